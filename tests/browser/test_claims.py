"""A claim from coming back to being paid for: drafted, split with a kept split, prepared by somebody else."""

from __future__ import annotations

import sys
from datetime import UTC, datetime, time, timedelta
from decimal import Decimal

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from demo.story import proof
from tests import worlds
from tests.browser.base import BrowserTestCase
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.kept import keep_split
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.services.drafting import draft_what_is_back
from wainwright.core.journey import Meal
from wainwright.core.money import Money
from wainwright.core.splits import SplitPart
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.expenses.services import taking
from wainwright.formats.places import place
from wainwright.people.models import Membership, Person
from wainwright.signoff.models import SignOff
from wainwright.staff.services import set_delegate
from wainwright.trips.models import Trip
from wainwright.trips.services import nights, plan
from wainwright.trips.services import road as trips

SHOPS = (
    "Pier taxi",
    "Lamp Quay kiosk",
    "Harbour parking",
    "Bybane tram",
    "Chandlers north",
    "Ropewalk",
    "Tar and twine",
    "Slip bus",
    "Buoy yard",
    "Dock fuel",
)


class ClaimsTest(BrowserTestCase):
    seconds = 40

    def a_trip_that_is_back(self) -> Trip:
        """Five days in Bergen, authorised, and over since yesterday."""
        maren, today = self.people["maren"], worlds.today()
        first, home, there, at = today - timedelta(days=6), place("ORK"), place("BGO"), datetime.combine
        with clock.at(datetime.combine(first - timedelta(days=9), time(9), UTC)):
            trip = plan.start_trip(
                maren, "Gauge week, Bergen", "Five days at the gauge", coded("3120", "P-0417", "field")
            )
            last = first + timedelta(days=4)
            plan.add_leg(
                maren, trip.pk, "air", home, there, at(first, time(9)), at(first, time(14)), Decimal(400), "firm"
            )
            plan.add_leg(maren, trip.pk, "air", there, home, at(last, time(15)), at(last, time(18)), Decimal(0), "firm")
            for night in trip.nights.all():
                nights.set_stay(maren, trip.pk, [night.date], "Lamp Quay Hotel", Decimal(120), "firm", False)
            nights.mark_meal(maren, trip.pk, first + timedelta(days=2), Meal.DINNER)
            plan.add_other(maren, trip.pk, "taxi", "Taxis and small things", Decimal(500), "self")
            plan.add_other(maren, trip.pk, "meals", "Dinner with the port", Decimal(120), "firm")
            self.answer_for(trip)
            trips.send(maren, trip.pk, Trip.objects.get(pk=trip.pk).version, maren.person.name)
            while (
                row := SignOff.objects.filter(kind="trip", object_id=trip.pk, state="Waiting", turn=True)
                .select_related("signer__person", "signer__firm")
                .first()
            ):
                bench.approve(row.signer, "trip", trip.pk)
        trips.move_along(clock.now())
        return Trip.objects.get(pk=trip.pk)

    def answer_for(self, trip: Trip):
        maren = self.people["maren"]
        file = trips.load_file(
            maren, Trip.objects.select_related("firm", "traveller__person", "traveller__firm").get(pk=trip.pk)
        )
        for each in file.findings:
            if each.open and each.finding.level == "explain":
                reason = each.finding.reasons[0] if each.finding.reasons else ""
                plan.explain(maren, trip.pk, [each.finding], [each.finding.identity], reason, "Nearest to the work")

    def charge(self, shop: str, amount: str, day, paper: bool = True) -> None:
        maren = self.people["maren"]
        Charge.objects.create(
            firm=maren.firm, owner=maren, card=maren.cards.first(), bank_id=f"b{Charge.objects.count()}", merchant=shop.upper(), date=day,
            currency="EUR", amount_minor=Money.of(amount, "EUR").minor,
        )  # fmt: skip
        if paper:
            fields = {
                n: {"value": v, "sure": 0.95}
                for n, v in (("merchant", shop), ("total", amount), ("currency", "EUR"), ("date", day.isoformat()))
            }
            Receipt.objects.create(
                firm=maren.firm, owner=maren, name=f"{shop}.jpg", media_type="image/jpeg", size=1, sha256=f"{Receipt.objects.count():064}",
                state="Read", fields=fields, day=day, received=clock.now(),
            )  # fmt: skip

    @shows("C12.1")
    def test_back_from_the_trip_to_sent_in_five_inputs(self):
        trip, maren = self.a_trip_that_is_back(), self.people["maren"]
        for n, shop in enumerate(SHOPS):
            self.charge(shop, f"{11 + n}.40", trip.starts + timedelta(days=n % 5))
        self.charge("Fjord kiosk", "7.20", trip.starts + timedelta(days=1), paper=False)
        dinner = taking.type_cost(
            maren,
            trip.starts + timedelta(days=2),
            "Lab and Lodd",
            "meals",
            Money.of("61.00", "EUR"),
            "self",
            Decimal(0),
            None,
            "",
            "",
            2,
        )
        proof(dinner, 7)
        self.assertEqual(draft_what_is_back(), 1)
        claim = Claim.objects.get()
        self.assertEqual(claim.expenses.count(), 11)
        self.sign_in("Maren Oyelaran")
        self.open(f"/claims/{claim.pk}/")
        self.see("Fjord Kiosk")
        self.assert_accessible("a claim with its question")
        self.inputs = 0
        self.key("y")
        self.see("who was there?")
        self.fill(within="#question", words="Two from the port")
        self.key(Keys.ENTER)
        self.see("Nothing is asked any more")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("In sign-off")
        print(f"\nback to sent: {self.inputs} inputs", file=sys.stderr)
        self.assertLessEqual(self.inputs, 5)
        self.assertEqual(Claim.objects.get().expenses.count(), 12)

    def test_numbers_of_a_split_and_of_a_bill_are_read_and_written_back_as_the_reader_writes_them(self):
        maren, day = self.people["maren"], clock.today("Europe/Dublin") - timedelta(days=3)
        cost = taking.type_cost(maren, day, "Pier taxi", "taxi", Money.of("1240.00", "EUR"), "self", Decimal(0), None, "", "", 1)  # fmt: skip
        self.sign_in("Maren Oyelaran")
        Person.objects.filter(pk=maren.person_id).update(language="de")
        self.open(f"/expenses/{cost.pk}/")
        self.press("Auf Kontierungen aufteilen")
        self.put("#split-coding-1", "3120")
        self.put("#split-coding-2", "3140")
        self.put("#split-part-1", f"33,5{Keys.TAB}")
        part = lambda n: self.driver.find_element(By.ID, f"split-part-{n}").get_attribute("value")  # noqa: E731
        self.until(lambda d: part(2) == "66,5", "the rest is not written with a comma")
        self.driver.find_element(By.CSS_SELECTOR, "[name=split-by][value=amount]").click()
        self.until(lambda d: (part(1), part(2)) == ("415,4", "824,6"), "shares do not become amounts")
        self.put("#split-part-1", f"1.000{Keys.TAB}")
        self.until(lambda d: part(2) == "240", "a point that parts thousands is read as one before the cents")
        self.press("Rechnung aufschlüsseln")
        self.put("[name='part-amount']", "1.000,50")
        self.until(lambda d: d.find_element(By.CSS_SELECTOR, "[data-left]").text == "239,50")

    def test_a_kept_split_over_twelve_costs_and_one_line_sent_back(self):
        trip, maren = self.a_trip_that_is_back(), self.people["maren"]
        for n, shop in enumerate([*SHOPS, "Winch house", "Sail loft"]):
            cost = taking.type_cost(
                maren,
                trip.starts + timedelta(days=n % 5),
                shop,
                "taxi",
                Money.of(f"{11 + n}.00", "EUR"),
                "self",
                Decimal(0),
                None,
                "",
                "",
                1,
            )
            proof(cost, n)
        keep_split(self.people["priya"], "Harbour thirds", [SplitPart(coded("3120", "P-0417", "field"), Decimal("33.3334")), SplitPart(coded("3140"), Decimal("33.3333")), SplitPart(coded("3900"), Decimal("33.3333"))], shared=True)  # fmt: skip
        draft_what_is_back()
        claim = Claim.objects.get()
        self.sign_in("Maren Oyelaran")
        self.open(f"/claims/{claim.pk}/?split=all")
        self.put("#kept", "thirds")
        self.press("Fill in")
        self.see("Nothing remains.")
        self.assert_accessible("the divided bar")
        self.press("Split it")
        self.see("on the default")
        self.answer_all("The work was so")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("In sign-off", "owner of 3140 Boats")
        owners = set(SignOff.objects.filter(subject=claim.subject).values_list("signer__person__name", flat=True))
        self.sign_all_but("Ottilie Marsh", claim)
        line = claim.expenses.get(merchant="Sail loft")
        self.sign_in("Ottilie Marsh")
        self.open(f"/bench/claim/{claim.pk}/?line={line.key}")
        self.press("Send back")
        self.fill(within="#send-back", comment="One question", **{f"line-{line.key}": "Which boat?"})
        self.press("Send back", within="#send-back form")
        self.see("Sent back with your comment")
        self.sign_in("Maren Oyelaran")
        self.open(f"/claims/{claim.pk}/")
        self.see("Ottilie Marsh: Which boat?")
        self.fill(within=f"tr[id='{line.key}']", text="The Kittiwake")
        self.press("Answer", within=f"tr[id='{line.key}']")
        self.see("Maren Oyelaran: The Kittiwake")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        # Words changed, and no figure: who has signed is not asked again.
        self.see("signed before, unchanged")
        asked = set(
            SignOff.objects.filter(subject=claim.subject, state="Waiting").values_list(
                "signer__person__name", flat=True
            )
        )
        self.assertEqual(asked, {"Ottilie Marsh"})
        self.assertGreaterEqual(len(owners), 2)

    def sign_all_but(self, name: str, claim: Claim):
        while (
            row := SignOff.objects.filter(subject=claim.subject, state="Waiting", turn=True)
            .exclude(signer__person__name=name)
            .select_related("signer__person", "signer__firm")
            .first()
        ):
            bench.approve(row.signer, "claim", claim.pk)

    @shows("U4.1")
    def test_a_delegate_prepares_and_the_traveller_signs(self):
        trip, maren, aiko = self.a_trip_that_is_back(), self.people["maren"], self.people["aiko"]
        draft_what_is_back()
        claim = Claim.objects.get()
        today = worlds.today()
        set_delegate(
            Membership.objects.select_related("person", "firm").get(pk=maren.pk),
            aiko.pk,
            today,
            today + timedelta(days=5),
        )
        self.sign_in("Aiko Brandt")
        self.press("Prepare for them")
        self.see("You prepare for Maren Oyelaran")
        self.assert_accessible("the desk of somebody prepared for")
        self.open("/expenses/new/")
        self.see("You prepare for Maren Oyelaran")
        self.fill(
            merchant="Quay taxi", category="Taxi", amount="14.00", date=(trip.starts + timedelta(days=1)).isoformat()
        )
        self.press("Keep the cost", "button")
        self.until(lambda d: Expense.objects.filter(merchant="Quay taxi").exists())
        self.assertEqual(Expense.objects.get().owner, maren)
        self.open(f"/claims/{claim.pk}/")
        self.press("Put in what is loose")
        self.see("Quay taxi")
        self.assertNotIn("Certify and send", self.body())
        self.press("It is ready to be signed")
        self.see("waits on Maren Oyelaran's desk")
        self.press("Stop preparing")
        self.sign_in("Maren Oyelaran")
        self.see("waits for your signature", "Aiko Brandt prepared it")
        self.press(claim.title, within=".asks")
        self.see("Certify and send")
        self.answer_all("It was so")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("In sign-off")
        self.assertTrue(self.driver.find_elements(By.ID, "comes-to"))
