"""A traveller without a signal: what is taken down waits on the phone and is sent on, each once. And signing in by a passkey."""

from __future__ import annotations

from contextlib import suppress

from django.contrib.staticfiles import finders
from selenium.common.exceptions import WebDriverException
from selenium.webdriver.common.virtual_authenticator import VirtualAuthenticatorOptions

from tests.browser.base import BrowserTestCase
from tests.browser.wire import ANSWERS_LOST, CUT, WHOLE, Wire
from tests.coverage import shows
from wainwright.expenses.models import Expense, Receipt

CONTROLLED = "return navigator.serviceWorker && navigator.serviceWorker.controller !== null"
SHARES = """
    const form = document.createElement("form"), field = document.createElement("input"), given = new DataTransfer();
    form.method = "post"; form.action = "/away/share/"; form.enctype = "multipart/form-data";
    field.type = "file"; field.name = "files"; field.multiple = true;
    given.items.add(new File([arguments[0]], "shared.pdf", {type: "application/pdf"}));
    field.files = given.files; form.append(field); document.body.append(form); form.submit();
"""


class AwayTest(BrowserTestCase):
    width = 390
    same_on_any_day = True

    def setUp(self):
        super().setUp()
        self.wire = Wire(int(self.live_server_url.rpartition(":")[2]))
        self.addCleanup(self.wire.close)

    def open(self, path: str):
        self.driver.get(self.wire.address + path)

    def waits(self, count: int):
        self.until(
            lambda d: len(d.find_elements("css selector", "[data-waiting] > li")) == count,
            f"not {count} wait",
        )

    def unfold(self, words: str):
        self.do(lambda d: d.execute_script(
            "const all = [...document.querySelectorAll('#away details')]; const one = all.find((each) => each.innerText.includes(arguments[0]));"
            "if (one) one.open = true; return !!one", words,
        ))  # fmt: skip

    def type_cost(self, merchant: str, amount: str):
        self.unfold("Type a cost")
        self.fill(within="form[data-kind=cost]", merchant=merchant, amount=amount, category="taxi")
        self.press("Keep it", within="form[data-kind=cost]")

    @shows("U9.3")
    def test_in_aeroplane_mode_and_back(self):
        self.sign_in("Maren")
        self.open("/away/")
        self.see("Everything is sent", "Maren")
        self.until(lambda d: d.execute_script(CONTROLLED), "the page's worker does not begin")
        self.assert_accessible("on the way")
        self.wire.set(CUT)
        # Another page altogether: this one opens instead.
        self.open("/trips/")
        self.see("waits here", "Maren", "Next steps")
        self.type_cost("Quay cab", "12.50")
        self.waits(1)
        self.unfold("Type a ride")
        self.fill(within="form[data-kind=ride]", origin="Cork", target="Cobh", km="24", description="To the gauge")
        self.press("Keep it", within="form[data-kind=ride]")
        self.waits(2)
        self.attach("#away-files", finders.find("web/icons/icon-192.png"))
        self.waits(3)
        # The phone is put away, and taken out again.
        self.open("/away/")
        self.waits(3)
        self.assertEqual((Expense.objects.count(), Receipt.objects.count()), (0, 0))
        # What is asked arrives, and its answer is lost: it is not known whether it was done.
        self.wire.set(ANSWERS_LOST)
        self.driver.execute_script("window.dispatchEvent(new Event('online'))")
        self.waits(3)
        self.wire.set(WHOLE)
        self.driver.execute_script("window.dispatchEvent(new Event('online'))")
        self.waits(0)
        self.see("Everything is sent")
        made = list(Expense.objects.order_by("pk").values_list("kind", "merchant"))
        self.assertEqual([kind for kind, _ in made], ["cost", "mileage"])
        self.assertEqual(made[0][1], "Quay cab")
        self.assertEqual(Receipt.objects.count(), 1)

    @shows("U9.3")
    def test_with_every_page_closed_the_browser_sends_it_once_the_signal_is_back(self):
        self.sign_in("Maren")
        self.open("/away/")
        self.see("Everything is sent")
        self.until(lambda d: d.execute_script(CONTROLLED), "the page's worker does not begin")
        self.wire.set(CUT)
        self.open("/away/")
        self.type_cost("Quay cab", "12.50")
        self.type_cost("Late ferry", "8.00")
        self.waits(2)
        # Nothing of ours that could send is open: this says one word, and runs nothing.
        self.wire.set(WHOLE)
        self.open("/up/")
        self.assertEqual(Expense.objects.count(), 0)
        # A browser does this by itself when it sees the net again; here only the wire was cut, which it does not see.
        self.driver.execute_cdp_cmd("ServiceWorker.enable", {})
        woken = {"origin": self.wire.address, "tag": "wainwright-away", "lastChance": False}
        for number in range(60):
            # Workers of all tests before have numbers; one that is not of this origin does nothing.
            with suppress(WebDriverException):
                self.driver.execute_cdp_cmd("ServiceWorker.dispatchSyncEvent", woken | {"registrationId": str(number)})
        self.until(lambda d: Expense.objects.count() == 2, "the worker does not send")
        self.assertEqual(
            list(Expense.objects.order_by("pk").values_list("merchant", flat=True)), ["Quay cab", "Late ferry"]
        )
        self.open("/away/")
        self.see("Everything is sent")
        self.waits(0)

    def test_what_is_refused_says_why_and_is_changed_there(self):
        self.sign_in("Maren")
        self.open("/away/")
        self.see("Everything is sent")
        self.type_cost("Quay cab", "nothing")
        self.see("Amount: ", "Not everything was taken", "Change")
        self.press("Change")
        self.fill(within="form[data-kind=cost]", amount="7.20")
        self.press("Keep it", within="form[data-kind=cost]")
        self.waits(0)
        self.assertEqual(Expense.objects.get().amount.minor, 720)

    @shows("U9.2")
    def test_what_a_phone_shares_lies_in_the_tray(self):
        self.sign_in("Maren")
        self.open("/away/")
        self.until(lambda d: d.execute_script(CONTROLLED), "the page's worker does not begin")
        self.driver.execute_script(SHARES, "%PDF-1.7 shared")
        self.until(lambda d: "shared=1" in d.current_url, "the share is not taken")
        self.waits(0)
        self.assertEqual(Receipt.objects.get().name, "shared.pdf")


class PasskeyTest(BrowserTestCase):
    same_on_any_day = True

    def test_added_and_signed_in_by_alone(self):
        options = VirtualAuthenticatorOptions(
            protocol="ctap2",
            transport="internal",
            has_resident_key=True,
            has_user_verification=True,
            is_user_verified=True,
        )
        self.driver.add_virtual_authenticator(options)
        self.addCleanup(self.driver.remove_virtual_authenticator)
        self.sign_in("Maren")
        self.open("/accounts/2fa/")
        self.press("Add one")
        if "Is it you?" in self.body():
            self.fill(password="harbour-tide-9")
            self.press("It is me")
        self.see("Add a passkey")
        self.assert_accessible("adding a passkey")
        self.press("Let me sign in with it alone", "label")
        self.press("Add it", "button")
        self.see("Recovery codes")
        self.open("/accounts/2fa/webauthn/")
        self.see("signs you in alone")
        self.open("/")
        self.press("Sign out")
        self.open("/accounts/login/")
        self.press("Sign in with a passkey")
        self.see("Sign out", "Desk")
        self.assertEqual(self.console(), [])
