"""An administrator's tasks: a firm from nothing to its first paid claim, somebody let go and had back, a second factor from a day on."""

from __future__ import annotations

import re
from contextlib import nullcontext
from datetime import UTC, datetime, time, timedelta
from io import StringIO
from pathlib import Path

from django.core.management import call_command
from selenium.webdriver.common.by import By

from tests.apps.world import World
from tests.browser.base import BrowserTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Code
from wainwright.claims.models import Claim
from wainwright.claims.services import compose
from wainwright.expenses.models import Expense
from wainwright.people.models import Membership
from wainwright.signoff.models import SignOff
from wainwright.standins.mailbox.models import Mail


class PeopleTest(World, BrowserTestCase):
    seconds = 60

    def setUp(self):
        super().setUp()
        self.meet_the_people()

    def done(self):
        """What waits for the transaction is run as it is kept."""
        return nullcontext()

    @shows("U5.3")
    def test_an_approver_is_retired_with_open_work_and_brought_back(self):
        """What waits for him is decided by the next above; his people, codings and access are handed over in one act."""
        claim = self.sent_claim()
        Code.objects.filter(firm=self.tobias.firm, dimension="cost_centre", code="3140").update(owner=self.tobias)
        self.sign_in("Callum Iwasaki")
        self.open("/people/")
        self.press("Tobias Achterberg")
        self.press("They leave")
        self.see("Decisions that wait for them", "Codings they own", "claim of Maren Oyelaran")
        self.press("Retire Tobias Achterberg")
        self.see("Say who owns the codings of Tobias Achterberg")
        self.put("#id_owner", "Ottilie Marsh")
        self.press("Retire Tobias Achterberg")
        self.see("has no access", "not here any more")
        waiting = SignOff.objects.get(object_id=claim.pk, kind="claim", state="Waiting", turn=True)
        self.assertNotEqual(waiting.signer_id, self.tobias.pk)
        self.sign_in(waiting.signer.person.name)
        self.open(f"/bench/claim/{claim.pk}/")
        self.press("Approve")
        self.do(lambda d: Claim.objects.get(pk=claim.pk).state == "In finance check")
        self.sign_in("Callum Iwasaki")
        self.open(f"/people/{self.tobias.pk}/")
        self.press("Bring back")
        self.see("is back, with the roles of before")
        back = Membership.objects.get(pk=self.tobias.pk)
        self.assertEqual((back.active, back.approver, back.person.is_active), (True, True, True))

    @shows("U1.4")
    def test_a_second_factor_is_required_from_a_day_on(self):
        day = self.today + timedelta(days=7)
        self.sign_in("Callum Iwasaki")
        self.open("/rules/safeguards/")
        self.do(
            lambda d: d.find_element(By.CSS_SELECTOR, "#safeguards [name='roles'][value='finance']").click() or True
        )
        self.put("#safeguards [name='factor_from']", day.isoformat())
        self.put("#safeguards [name='factor_grace']", "2")
        self.press("Set the safeguards")
        self.see("The safeguards are set.")
        self.sign_in("Priya Sundqvist")
        self.see("asks a second factor of you", "without one you cannot go on")
        self.open("/ledger/")
        self.see("Ledger")
        for ahead, seen in ((8, "Ledger"), (12, "No authenticator is set up")):
            clock.move_to(datetime.combine(self.today + timedelta(days=ahead), time(9), UTC))
            self.sign_in("Priya Sundqvist")
            self.open("/ledger/")
            self.see("Is it you?" if ahead == 12 and "Is it you?" in self.body() else seen)
        self.assertNotIn("Ledger", self.driver.title)

    @shows("U6.4")
    def test_a_firm_from_nothing_to_its_first_paid_claim(self):
        said = StringIO()
        call_command(
            "new_firm", name="Saltholm Lights AS", country="NO", currency="NOK", zone="Europe/Oslo", admin="Una Falk", email="una@saltholm.example", stdout=said
        )  # fmt: skip
        self.come_by(re.search(r"/accounts/password/reset/key/\S+", said.getvalue())[0], "una@saltholm.example")
        self.open("/firm/")
        self.see("things are missing", "No rate for everywhere")
        self.fill("#letters", address="Lykteveien 4, Bergen", iban="NO9386011117947", bic="DNBANOKK")
        self.press("Set the firm")
        self.see("The firm is set.")
        self.fill("#rates", full="780", breakfast="156", lunch="234", dinner="390", ceiling="1500", car="4.90")
        self.press("Set the rates")
        self.see("The rates are set")
        table = Path(self.folder.name) / "people.csv"
        table.write_text(
            "name,email,manager,roles\nOla Ness,ola@saltholm.example,,approver\nEva Lid,eva@saltholm.example,Ola Ness,traveller\n"
            "Per Moe,per@saltholm.example,Ola Ness,finance\nNo One,no-address,Ola Ness,\n"
        )
        self.open("/people/table/")
        self.attach("#file", table)
        self.press("Look at it")
        self.see("3 to invite, 1 with something wrong", "That is no address for mail.")
        self.press("Invite the 3")
        self.see("3 people are invited")
        self.come_by(self.link_to("per@saltholm.example"), "per@saltholm.example")
        self.open("/ledger/masters/")
        self.press("Fetch")
        self.press("Take")
        self.see("What is not connected stands below, first.")
        self.open("/ledger/masters/accounts/")
        self.press("Name all")
        self.see("named:")
        self.come_by(self.link_to("eva@saltholm.example"), "eva@saltholm.example")
        self.driver.get(f"{self.live_server_url}/profile/")
        self.fill("", iban="NO9386011117947", password="quay-lantern-44")
        self.press("Keep my profile")
        self.see("Your profile is kept")
        eva = Membership.objects.select_related("person", "firm").get(person__email="eva@saltholm.example")
        Membership.objects.filter(pk=eva.pk).update(iban_confirmed=True)
        claim = self.claimed(eva)
        self.come_by(self.link_to("ola@saltholm.example"), "ola@saltholm.example")
        self.open(f"/bench/claim/{claim.pk}/")
        self.press("Approve")
        self.do(lambda d: Claim.objects.get(pk=claim.pk).state == "In finance check")
        self.enter_by("per@saltholm.example")
        self.open(f"/bench/claim/{claim.pk}/")
        self.press("Clear and post")
        self.do(lambda d: Claim.objects.get(pk=claim.pk).state == "Posted")
        self.open("/ledger/pay/")
        self.press("Make the pay run")
        self.do(lambda d: Claim.objects.get(pk=claim.pk).state == "Settled")

    def claimed(self, eva: Membership) -> Claim:
        """A cost typed on its page, and the claim of it sent."""
        self.open("/expenses/new/")
        self.fill("main form", merchant="Kai taxi", category="taxi", date=self.today.isoformat(), amount="190")
        self.press("Keep the cost", "button")
        self.do(lambda d: Expense.objects.filter(owner=eva).exists())
        claim = compose.claim_loose(eva, "First light")
        self.send_claim(claim)
        return claim

    def link_to(self, email: str) -> str:
        mail = Mail.objects.filter(to=email).earliest("pk")
        return re.search(r"/accounts/password/reset/key/\S+", mail.text)[0]

    def come_by(self, link: str, email: str) -> None:
        """Choose a password by the link of an invitation, and sign in with it."""
        self.driver.delete_all_cookies()
        self.open(link)
        self.see("Choose a password")
        self.fill("main", password1="quay-lantern-44", password2="quay-lantern-44")
        self.press("Keep this password")
        self.see("The password is kept")
        self.enter_by(email)

    def enter_by(self, email: str) -> None:
        self.driver.delete_all_cookies()
        self.open("/accounts/login/")
        self.fill("main", login=email, password="quay-lantern-44")
        self.press("Sign in", "form .btn-main")
        self.see("Sign out")
