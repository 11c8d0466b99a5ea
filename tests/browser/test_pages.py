"""Every main page: nothing grave for axe-core at both widths, nothing wider than its box in any language, keys at work."""

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests import worlds
from tests.browser.base import BrowserTestCase
from tests.browser.chromium import resize
from tests.coverage import shows
from wainwright.accounts.models import Posting
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.services import charges
from wainwright.people.models import Membership, Person
from wainwright.reconciling.models import BankAccount
from wainwright.rehearsal.models import Rehearsal
from wainwright.rulebook.models import RuleSetting
from wainwright.trips.models import Trip

PAGES = {
    "Maren Oyelaran": ["/away/", "/", "/trips/", "/trips/new/", "/trips/{trip}/", "/trips/{plan}/", "/trips/{plan}/?open=allowance", "/trips/{plan}/?open=leg-{leg}", "/trips/{plan}/?open=bearing", "/trips/{plan}/?open=details", "/trips/{plan}/?open=signing", "/accounts/password/change/", "/trips/{plan}/sign/", "/trips/{plan}/cars/",
                       "/trips/{plan}/stays/", "/trips/{plan}/bookings/{booking}/seats/", "/trips/{trip}/itinerary/", "/trips/{trip}/order/", "/profile/", "/stand-ins/",
                       "/trips/{plan}/ways/?from=ORK&to=DUB&on={day}&when=any&at=&from=DUB&to=ORK&on={day}&when=after&at=10:00", "/tray/", "/receipts/{receipt}/", "/tray/card-file/{file}/", "/expenses/new/", "/expenses/ride/", "/expenses/grid/", "/expenses/rides/", "/expenses/{hotel}/", "/rates/",
                       "/claims/", "/claims/{claim}/", "/claims/{claim}/?asked=1&split=all", "/claims/{claim}/planned/", "/claims/{claim}/by-coding/", "/people/{maren}/", "/news/", "/find/?q=gauge", "/firms/", "/mail/", "/look/", "/reports/", "/reports/spend-by-category/?of=&by=category&span=this-year"],
    "Tobias Achterberg": ["/bench/", "/bench/trip/{waiting}/"],
    "Callum Iwasaki": ["/people/", "/people/invite/", "/people/table/", "/people/roles/", "/firm/", "/firm/sign-in/", "/firm/archive/", "/firm/keeping/", "/running/", "/accounts/2fa/webauthn/", "/firms/new/", "/profile/", "/accounts/2fa/", "/accounts/password/change/", "/people/{maren}/leave/", "/people/{maren}/", "/rules/safeguards/", "/rules/drafts/{draft}/", "/rules/rehearsals/{rehearsal}/", "/rules/routes/?example=Maren,+6,240+EUR,+Taxi", "/rules/routes/new/", "/rules/policy/", "/rules/mileage/", "/rules/limits/", "/rules/categories/", "/rules/categories/new/?like=meals&change=1", "/rules/questions/new/?like=goods&change=1", "/rules/figures/", "/policy/", "/rules/schemes/new/", "/rules/schemes/{scheme}/", "/rules/allowances/"],
    "Priya Sundqvist": ["/rules/schemes/", "/ledger/", "/ledger/{journal}/", "/ledger/pay/", "/ledger/loose/", "/ledger/cards/", "/rates/", "/bench/claim/{refused}/", "/rules/", "/ledger/runs/", "/ledger/bank/", "/ledger/bank/{bank}/", "/ledger/month/", "/ledger/masters/", "/ledger/tables/?kind=lines", "/ledger/api/", "/ledger/accounts/2320/", "/ledger/billed/", "/ledger/masters/accounts/", "/ledger/masters/categories/", "/bench/corrections/", "/", "/reports/spend-by-month/?of=stage:spent&by=month&across=category&picture=stacked", "/reports/spend-by-category/things/?of=category:lodging", "/reports/runs/"],
    "Benedikt Okafor": ["/trail/"],
}  # fmt: skip

# What stands out of its box: the page itself, or whatever holds words and does not scroll.
WIDER = """
const boxes = "html, .btn, button, .state, .sheet, .panel, td, th, label, h1, h2, p, li, dl, dt, dd, .door, .way, .board-row, .j-when, .j-what, .j-state, .j-price";
const apart = ".scroll-x, svg, .sr-only, details:not([open]) .workings";
return [...document.querySelectorAll(boxes)].filter((each) => each.clientWidth && each.scrollWidth > each.clientWidth + 1 &&
  getComputedStyle(each).overflowX === "visible" && !each.closest(apart)).map((each) =>
  `${each.tagName} ${each.textContent.trim().slice(0, 50)}: ${each.scrollWidth} > ${each.clientWidth}`);
"""


WIDTHS = (1280, 390)


class PagesTest(BrowserTestCase):
    # The whole demo, so that every page has something on it.
    starts_from = worlds.DEMO
    wide = 0

    def a_card_file(self):
        """A table as a bank gives it, shown and not taken yet."""
        maren = Membership.objects.get(person__name="Maren Oyelaran")
        day = worlds.today()
        file = charges.look_at(
            maren, "bank.csv", f"Date;Merchant;Amount;Card\n{day};Pier;1,00;4410\nx;y;z;4410\n".encode()
        )
        file.refresh_from_db()
        self.assertEqual(file.state, "Shown")
        return file

    def test_every_main_page(self):
        numbers = {
            "trip": Trip.objects.get(title__startswith="Tide-gauge").pk, "plan": Trip.objects.get(title__startswith="Northern").pk,
            "booking": Booking.objects.filter(trip__title__startswith="Northern", kind="air").first().pk, "day": Trip.objects.get(title__startswith="Northern").starts,
            "leg": Booking.objects.filter(trip__title__startswith="Northern", kind="air").first().legs.first().pk, "claim": Claim.objects.get(state="Open", claimant__person__name="Maren Oyelaran").pk, "journal": Posting.objects.filter(firm__slug="ltd").first().pk, "refused": Claim.objects.get(state="Posting refused").pk,
            "waiting": Trip.objects.filter(state="Awaiting sign-off", traveller__manager__person__name="Tobias Achterberg").first().pk,
            "receipt": Receipt.objects.get(name="lab-og-lodd.jpg").pk, "hotel": Expense.objects.filter(owner__person__name="Maren Oyelaran", category="lodging").first().pk,
            "file": self.a_card_file().pk, "maren": self.people["maren"].pk, "scheme": self.people["maren"].firm.schemes.first().pk, "draft": RuleSetting.objects.get(draft=True).pk, "rehearsal": Rehearsal.objects.get().pk, "bank": BankAccount.objects.filter(firm__slug="ltd", kind="bank").first().pk,
        }  # fmt: skip
        self.open("/accounts/login/")
        self.assert_accessible("signing in")
        for who, paths in PAGES.items():
            self.sign_in(who)
            for path in paths:
                path = path.format(**numbers)
                # The screen changes once for each page, not twice.
                for language, widths in (("nb", WIDTHS), ("de", WIDTHS[::-1]), ("", WIDTHS)):
                    Person.objects.filter(name=who).update(language=language)
                    self.open(path)
                    for width in widths:
                        with self.subTest(path=path, width=width, language=language):
                            self.as_wide_as(width)
                            if not language:
                                self.assert_accessible(f"{path} at {width}")
                            self.assertEqual(self.driver.execute_script(WIDER), [], "wider than its box")
        self.assertEqual(self.console(), [])

    def as_wide_as(self, width: int):
        """Make the screen so wide, under 500 a phone's."""
        if width == self.wide:
            return
        self.wide = width
        resize(self.driver, width)

    def type_keys(self, keys: str):
        """Type as a person does: to whatever has the focus."""
        self.until(lambda d: d.execute_script("return document.readyState") == "complete")
        ActionChains(self.driver).send_keys(keys).perform()

    @shows("X2.1", "X10.1")
    def test_keys_and_the_ribbon_by_keyboard(self):
        self.sign_in("Maren Oyelaran")
        self.type_keys("?")
        self.see("Next and last line")
        self.type_keys(Keys.ESCAPE)
        self.until(lambda d: not d.execute_script("return document.getElementById('keys').open"))
        self.type_keys("g")
        self.type_keys("t")
        self.until(lambda d: d.current_url.endswith("/trips/"))
        self.see("the latest first")
        self.type_keys("j")
        self.until(lambda d: "/trips/" in (d.switch_to.active_element.get_attribute("href") or ""))
        plan = Trip.objects.get(title__startswith="Gauge inspection")
        self.open(f"/trips/{plan.pk}/")
        key = self.do(lambda d: d.find_element("css selector", ".ribbon .meal").get_attribute("value"))
        self.do(lambda d: d.find_element("css selector", ".ribbon .meal").send_keys(Keys.SPACE) or True)
        self.until(lambda d: key in Trip.objects.get(pk=plan.pk).supplied)
        # The part that changed is there again with the focus where it was.
        pressed = "return [document.activeElement.value, document.activeElement.getAttribute('aria-pressed')]"
        self.until(lambda d: d.execute_script(pressed) == [key, "true"], "the focus is not on the meal, pressed")
