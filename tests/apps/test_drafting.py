"""A claim drafts itself, asks what is open, is split, and is prepared by somebody else."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile

from demo import papers
from demo.story import proof
from tests.apps.world import FIELD, OFFICE, WorldTestCase, eur
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.kept import drop_split, find_kept, keep_split, kept_for
from wainwright.accounts.models import KeptSplit
from wainwright.bookings.models import Booking
from wainwright.claims import questions
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import closing, compose, correcting, drafting, road, splitting
from wainwright.core.splits import SplitPart
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.expenses.services import editing
from wainwright.formats.places import town
from wainwright.people.acting import acting_for
from wainwright.people.models import Delegate, Membership
from wainwright.rulebook.models import Explanation
from wainwright.signoff.models import Remark
from wainwright.staff.services import end_delegate, set_delegate
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip
from wainwright.trips.services import details, plan
from wainwright.trips.services import road as trips

HALF = [SplitPart(coded("3120"), Decimal(60)), SplitPart(coded("3140"), Decimal(40))]


class Drafted(WorldTestCase):
    def charge(self, amount: str, days_ago: int = 9, merchant: str = "QUAY TAXI", who=None) -> Charge:
        who = who or self.maren
        return Charge.objects.create(
            firm=who.firm, owner=who, card=who.cards.first(), bank_id=f"d{Charge.objects.count()}", merchant=merchant,
            date=self.today - timedelta(days=days_ago), currency="EUR", amount_minor=eur(amount).minor,
        )  # fmt: skip

    def paper(self, amount: str, days_ago: int = 9, merchant: str = "Quay taxi", who=None) -> Receipt:
        who = who or self.maren
        day = (self.today - timedelta(days=days_ago)).isoformat()
        fields = {
            n: {"value": v, "sure": 0.95}
            for n, v in (("merchant", merchant), ("total", amount), ("currency", "EUR"), ("date", day))
        }
        return Receipt.objects.create(
            firm=who.firm, owner=who, name="p.jpg", media_type="image/jpeg", size=1, sha256=f"{Receipt.objects.count():064}",
            state="Read", fields=fields, day=self.today - timedelta(days=days_ago), received=clock.now(),
        )  # fmt: skip

    def drafted(self, trip: Trip) -> Claim:
        with self.done():
            drafting.draft_what_is_back()
        return Claim.objects.get(trip=trip)

    def asking(self, claim: Claim) -> questions.Asking:
        claim = Claim.objects.select_related("firm", "claimant__person", "claimant__firm", "trip__signed").get(
            pk=claim.pk
        )
        return questions.Asking(self.maren, claim, load_file(self.maren, claim))

    def asked(self, claim: Claim) -> dict[str, questions.Question]:
        return {each.key: each for each in questions.questions(self.asking(claim))}

    def answer(self, claim: Claim, key: str, said: str = "", words: str = "", ticked=()) -> str:
        return questions.answer(self.asking(claim), key, said, words, list(ticked))


class DraftTest(Drafted):
    @shows("C12.1")
    def test_what_is_sure_is_on_it_and_what_is_not_is_asked(self):
        other = self.authorised_trip(starts=-30, days=3)
        trip = self.authorised_trip()
        sure = self.charge("18.40")
        self.paper("18.40")
        alone = self.charge("7.00", merchant="FJORD KIOSK")
        elsewhere = self.charge("9.00", days_ago=29, merchant="OLD TOWN BAR")
        self.a_cost(amount="12.00", days_ago=29, merchant="Taxi of the other trip")
        claim = self.drafted(trip)
        self.assertEqual([e.charge for e in claim.expenses.all()], [sure])
        for charge in (alone, elsewhere):
            charge.refresh_from_db()
            self.assertEqual(charge.state, "Loose")
        self.assertEqual([e.merchant for e in Claim.objects.get(trip=other).expenses.all()], ["Taxi of the other trip"])
        entry = Entry.objects.filter(subject=claim.subject, what="drafted the claim").get()
        self.assertEqual((entry.who, entry.for_whom), ("Wainwright", "Maren Oyelaran"))
        fallen = self.asked(claim)["fallen"]
        self.assertEqual(fallen.ticks[0].label.split(",")[0], "Fjord Kiosk")
        self.assertEqual(len(fallen.ticks), 1)
        self.answer(claim, "fallen", "yes", ticked=[fallen.ticks[0].value])
        self.assertEqual(Expense.objects.get(charge=alone).claim, claim)
        self.assertNotIn("fallen", self.asked(claim))
        with self.done():
            self.assertEqual(drafting.draft_what_is_back(), 0)

    def test_what_comes_in_later_goes_on_by_itself_and_what_was_refused_does_not(self):
        claim = self.drafted(self.authorised_trip())
        no = self.charge("7.00", merchant="FJORD KIOSK")
        key = f"row::{no.pk}"
        self.answer(claim, "fallen", "no")
        self.assertIn(key, Claim.objects.get(pk=claim.pk).answered)
        late = self.charge("18.40")
        self.paper("18.40")
        drafting.follow(self.maren.pk)
        self.assertEqual([e.charge for e in claim.expenses.all()], [late])
        self.send_claim(claim)
        self.charge("31.00")
        self.paper("31.00")
        self.assertEqual(drafting.follow(self.maren.pk), 0)

    def test_a_card_file_and_a_receipt_tell_the_open_claim(self):
        self.drafted(self.authorised_trip())
        with mock.patch("wainwright.expenses.arrivals.LISTENERS", [seen := mock.Mock()]), self.done():
            self.take_file(self.maren, "card.ofx", papers.card_file(self.today - timedelta(days=20)))
        seen.assert_called_with(self.maren.pk)

    def test_bookings_rides_splits_and_reasons_of_the_plan(self):
        trip = plan.start_trip(self.maren, "Cobh and on", "A gauge by road", OFFICE)
        first, at = self.today - timedelta(days=8), datetime.combine
        one, two = town("Cork", "IE"), town("Cobh", "IE")
        plan.add_leg(self.maren, trip.pk, "own car", one, two, at(first, time(9)), at(first, time(10)))
        plan.add_leg(self.maren, trip.pk, "own car", two, one, at(first, time(17)), at(first, time(18)))
        booking = Booking.objects.create(
            firm=trip.firm, trip=trip, booker=self.maren, state="Ticketed", kind="ferry", carrier="Skerry Ferries", label="Ferry to the gauge",
            currency="EUR", price_minor=6200, cheapest_minor=6200, departure=clock.now() - timedelta(days=8), asked=clock.now() - timedelta(days=12),
            once="draft", placed=True, paid_by="central", ticket_number="SF-1", reference="SF-1",
        )  # fmt: skip
        details.split_plan(self.maren, trip.pk, "all", "The whole trip", HALF)
        with clock.at(clock.now() - timedelta(days=10)):
            trips.send(self.maren, trip.pk, Trip.objects.get(pk=trip.pk).version, "Maren Oyelaran")
            with self.done():
                self.approve_all("trip", trip.pk)
        trips.move_along(clock.now())
        Explanation.objects.create(firm=trip.firm, subject=trip.subject, identity=f"over-plan@booking:{booking.pk}", reason="Prices rose", words="Fuel went up", by=self.maren, time=clock.now())  # fmt: skip
        claim = self.drafted(Trip.objects.get(pk=trip.pk))
        kinds = sorted((e.kind, e.category, e.amount_minor, e.paid_by) for e in claim.expenses.all())
        self.assertEqual(kinds[0], ("cost", "ferry", 6200, "central"))
        self.assertEqual([kind for kind, *_ in kinds], ["cost", "mileage", "mileage"])
        file = load_file(self.maren, Claim.objects.get(pk=claim.pk))
        self.assertNotIn("receipt", {e.finding.rule for e in file.findings})
        ferry = next(line for line in file.figures.lines if line.category == "ferry")
        self.assertEqual([c.gross for c in ferry.coded], [eur("37.20"), eur("24.80")])
        self.assertIn("SF-1", ferry.evidence[0].text)
        # A ride that was taken out, or apart, is not put on again.
        editing.remove(self.maren, claim.expenses.filter(kind="mileage").last().pk)
        ride = claim.expenses.filter(kind="mileage").first()
        compose.move(self.maren, claim.pk, [ride.pk])
        drafting.follow(self.maren.pk)
        self.assertEqual(claim.expenses.filter(kind="mileage").count(), 0)

    def test_a_charge_of_a_booking_is_found_before_the_trip(self):
        trip = self.authorised_trip()
        Booking.objects.create(
            firm=trip.firm, trip=trip, booker=self.maren, state="Ticketed", kind="air", carrier="Skerry Air", label="Flight ORK–BGO", currency="EUR",
            price_minor=41000, cheapest_minor=41000, departure=clock.now() - timedelta(days=10), asked=clock.now() - timedelta(days=40), once="c",
            placed=True, paid_by="firm", card=self.maren.cards.first().last_four,
        )  # fmt: skip
        self.charge("410.00", days_ago=39, merchant="SKERRY AIR 77123")
        claim = self.drafted(trip)
        cost = claim.expenses.get()
        self.assertEqual(
            (cost.category, cost.description, cost.booking.label), ("air", "Flight ORK–BGO", "Flight ORK–BGO")
        )

    def test_what_pays_a_booking_belongs_to_its_trip_whatever_its_day(self):
        trip, later = self.authorised_trip(), self.authorised_trip(starts=20)
        for number, each in enumerate((trip, later)):
            Booking.objects.create(
                firm=each.firm, trip=each, booker=self.maren, state="Ticketed", kind="rail", carrier="Coast Rail", label=f"Rail {number}", currency="EUR",
                price_minor=5400 + number, cheapest_minor=5400, departure=clock.now() + timedelta(days=25), asked=clock.now() - timedelta(days=40),
                once=f"r{number}", placed=True, paid_by="self",
            )  # fmt: skip
        own, other = (
            self.paper("54.00", days_ago=39, merchant="Coast Rail"),
            self.paper("54.01", days_ago=9, merchant="Coast Rail"),
        )
        claim = self.drafted(trip)
        self.assertEqual([cost.booking.label for cost in claim.expenses.all()], ["Rail 0"])
        self.assertEqual(claim.expenses.get().receipts.get(), own)
        other.refresh_from_db()
        self.assertIsNone(other.expense)
        self.assertNotIn(other, [row.paper for row in self.asking(claim).rows])


class QuestionTest(Drafted):
    def test_each_kind_is_answered_in_place(self):
        claim = self.drafted(self.authorised_trip())
        dinner = self.a_cost(amount="61.00", category="meals", merchant="Lab and Lodd", heads=1)
        taxi = self.a_cost(amount="44.00", merchant="Fjord taxi")
        compose.put_in(self.maren, claim.pk, [dinner.pk, taxi.pk])
        asked = self.asked(claim)
        self.assertEqual(list(asked)[:2], [f"meal-{dinner.date}", f"who-guests-{dinner.pk}"])
        self.answer(claim, f"who-guests-{dinner.pk}", words="Two from the port, Aiko")
        dinner.refresh_from_db()
        self.assertEqual((dinner.guests, dinner.heads), ("Two from the port, Aiko", 3))
        before = load_file(self.maren, Claim.objects.get(pk=claim.pk)).allowance
        self.answer(claim, f"meal-{dinner.date}", "dinner")
        self.assertEqual(before - load_file(self.maren, Claim.objects.get(pk=claim.pk)).allowance, eur("23.20"))
        shown = questions.shown(self.asking(claim), list(self.asked(claim).values()), f"evidence-{taxi.pk}")
        self.assertTrue(shown.file)
        paper = self.paper("44.00", days_ago=30, merchant="Fjord taxi")
        self.assertIn(f"paper:{paper.pk}", [o.value for o in questions.shown(self.asking(claim), [shown]).options])
        self.answer(claim, f"evidence-{taxi.pk}", f"paper:{paper.pk}")
        self.assertEqual(Expense.objects.get(pk=taxi.pk).receipts.get(), paper)
        with self.assertRaises(Stale):
            self.answer(claim, f"evidence-{taxi.pk}", f"paper:{paper.pk}")

    def test_one_reason_for_all_that_a_rule_found(self):
        claim = self.drafted(self.authorised_trip())
        costs = [self.a_cost(amount=f"{n}.00", category="supplies", merchant=f"Shop {n}") for n in (310, 320)]
        for n, cost in enumerate(costs):
            proof(cost, n)
        compose.put_in(self.maren, claim.pk, [cost.pk for cost in costs])
        question = self.asked(claim)["reason-own-money"]
        self.assertEqual(len(question.ticks), 2)
        for said, words, ticked, wrong in [
            ("Card was blocked", "By the bank", [], "Tick at least one"), ("Nonsense", "By the bank", [t.value for t in question.ticks], "reason that fits"),
            ("Card was blocked", "x", [t.value for t in question.ticks], "few words"),
        ]:  # fmt: skip
            with self.subTest(wrong), self.assertRaisesRegex(Refusal, wrong):
                self.answer(claim, "reason-own-money", said, words, ticked)
        self.answer(claim, "reason-own-money", "Card was blocked", "By the bank", [t.value for t in question.ticks])
        self.assertNotIn("reason-own-money", self.asked(claim))

    def test_a_pair_in_doubt(self):
        claim = self.drafted(self.authorised_trip())
        charge, paper = self.charge("19.90"), self.paper("19.90", days_ago=12, merchant="Harbour bistro")
        pairs = [key for key in self.asked(claim) if key.startswith("pair-")]
        self.assertEqual(len(pairs), 1)
        self.answer(claim, pairs[0], "no")
        self.assertEqual([key for key in self.asked(claim) if key == pairs[0]], [])
        self.assertTrue(
            Charge.objects.filter(pk=charge.pk, state="Loose").exists() and Receipt.objects.filter(pk=paper.pk).exists()
        )

    @shows("C12.2")
    def test_the_page_asks_answers_and_keeps_what_was_typed(self):
        claim = self.drafted(self.authorised_trip())
        dinner = self.a_cost(amount="61.00", category="meals", merchant="Lab and Lodd")
        compose.put_in(self.maren, claim.pk, [dinner.pk])
        self.enter(self.maren)
        page = self.client.get(f"/claims/{claim.pk}/")
        self.assertContains(page, f'hx-get="/claims/{claim.pk}/asked/"')
        self.assertContains(self.client.get(f"/claims/{claim.pk}/asked/"), "Which of them was it?")
        url = f"/claims/{claim.pk}/answer/"
        again = self.client.post(url, {"key": f"who-guests-{dinner.pk}", "words": "x"})
        self.assertContains(again, "a word or two", status_code=422)
        self.assertContains(again, 'value="x"', status_code=422)
        bad = SimpleUploadedFile("x.gif", b"GIF89a nothing")
        self.assertContains(
            self.client.post(url, {"key": f"evidence-{dinner.pk}", "file": bad}), "not taken", status_code=422
        )
        with self.done():
            good = SimpleUploadedFile("r.png", papers.ferry_ticket(self.today))
            self.client.post(url, {"key": f"evidence-{dinner.pk}", "file": good})
        self.assertEqual(Expense.objects.get(pk=dinner.pk).receipts.count(), 1)
        self.enter(self.aiko)
        self.assertEqual(self.client.post(url, {"key": "fallen", "said": "no"}).status_code, 404)

    def test_the_example_of_the_how_to_asks_and_is_answered(self):
        text = Path("docs/how-to/add-a-question.md").read_text(encoding="utf-8")
        space: dict = {"__name__": "example"}
        exec(text.partition("```python\n")[2].partition("```")[0], space)
        claim = self.drafted(self.authorised_trip())
        car = self.a_cost(amount="90.00", category="hire", merchant="Bergen cars", paid_by="firm")
        compose.put_in(self.maren, claim.pk, [car.pk])
        with mock.patch.dict(questions.KINDS, {"full": space["KIND"]}):
            self.assertIn("full", self.asked(claim))
            self.answer(claim, "full", "yes")
            self.assertNotIn("full", self.asked(claim))
        self.assertEqual(Remark.objects.get(subject=claim.subject).text, "The car was brought back full.")


class SplitTest(Drafted):
    def parts(self, *rows) -> list[SplitPart]:
        return [SplitPart(coded(centre), Decimal(0), eur(amount)) for centre, amount in rows]

    def coded_sums(self, claim: Claim) -> dict[str, str]:
        file = load_file(self.maren, Claim.objects.get(pk=claim.pk))
        return {code: str(amount) for (d, code), amount in file.figures.by_code.items() if d == "cost_centre"}

    @shows("C4.1")
    def test_by_amount_over_several_every_sum_is_exact(self):
        claim = self.a_claim(costs=("10.01", "20.02", "3.33"))
        ids = list(claim.expenses.values_list("pk", flat=True))
        splitting.split_ticked(self.maren, claim.pk, ids, self.parts(("3120", "11.12"), ("3140", "22.24")))
        allowance = load_file(self.maren, Claim.objects.get(pk=claim.pk)).allowance
        sums = self.coded_sums(claim)
        self.assertEqual((sums["3140"], sums["3120"]), ("22.24", str(allowance + eur("11.12"))))
        with self.assertRaisesRegex(Refusal, "left to place"):
            splitting.split_ticked(self.maren, claim.pk, ids, self.parts(("3120", "11.12"), ("3140", "22.00")))
        with self.assertRaises(Stale):
            splitting.split_ticked(self.maren, claim.pk, [*ids, 10**9], HALF)
        # The cost of one changes: its amounts do not add up any more, and that stands in the way.
        expense = Expense.objects.get(pk=ids[0])
        Expense.objects.filter(pk=expense.pk).update(amount_minor=expense.amount_minor + 100)
        found = [
            e.finding.text
            for e in load_file(self.maren, Claim.objects.get(pk=claim.pk)).findings
            if e.finding.rule.startswith("split-off")
        ]
        self.assertIn("1.00 is left to place", found[0])

    @shows("P12.1", "C4.1")
    def test_the_whole_a_category_and_the_allowance(self):
        claim = self.a_claim(costs=("10.00", "20.00"))
        splitting.split_claim(self.maren, claim.pk, "all", "The whole claim", HALF, None)
        whole = load_file(self.maren, Claim.objects.get(pk=claim.pk)).figures.total
        sums = self.coded_sums(claim)
        self.assertEqual(sum(Decimal(each) for each in sums.values()), whole.amount)
        one = [SplitPart(coded("3140"), Decimal(100))]
        splitting.split_claim(self.maren, claim.pk, "line:allowance", "Daily allowance", one, None)
        splitting.split_claim(self.maren, claim.pk, "category:taxi", "Taxi", one, None)
        self.assertEqual(set(self.coded_sums(claim)), {"3140"})
        splitting.split_claim(self.maren, claim.pk, "category:taxi", "", [], None)
        self.assertEqual(set(self.coded_sums(claim)), {"3120", "3140"})
        with self.assertRaises(Stale):
            splitting.split_claim(self.maren, claim.pk, "category:taxi", "", [], None)
        self.send_claim(claim)
        self.assertEqual(self.approve_all("claim", claim.pk)[0], "Tobias Achterberg")
        with self.assertRaises(Stale):
            splitting.split_claim(self.maren, claim.pk, "all", "", HALF, None)

    @shows("C4.2")
    def test_kept_splits_are_found_by_letters_shared_by_finance_and_counted(self):
        keep_split(self.maren, "Boats", HALF)
        for member, error in ((self.maren, NotAllowed), (self.benedikt, NotAllowed)):
            with self.assertRaises(error):
                keep_split(member, "All", HALF, shared=True)
        shared = keep_split(self.priya, "Harbour thirds", HALF, shared=True)
        self.assertEqual([each.name for each in kept_for(self.maren)], ["Boats", "Harbour thirds"])
        self.assertEqual([each.name for each in kept_for(self.aiko)], ["Harbour thirds"])
        self.assertEqual(list(kept_for(self.liv)), [])
        self.assertEqual(find_kept(self.aiko, "thir"), shared)
        with self.assertRaisesRegex(Refusal, "No kept split"):
            find_kept(self.aiko, "boats")
        for name, parts, words in [
            ("x", HALF, "two letters"),
            ("Odd", HALF[:1], "add up to 60"),
            ("Gone", [SplitPart(coded("9999"), Decimal(100))], "not known"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                keep_split(self.maren, name, parts)
        claim = self.a_claim(costs=("10.00",))
        self.enter(self.maren)
        page = f"/claims/{claim.pk}/split/"
        filled = self.client.post(
            page, {"about": "all", "do": "use", "kept": "thirds", "split-coding": "", "split-share": ""}
        )
        self.assertContains(filled, 'value="60"')
        self.client.post(page, {"about": "all", "do": "split", "kept": "thirds", "split-coding": "", "split-share": ""})
        self.assertEqual(len(Claim.objects.get(pk=claim.pk).shares[0]["parts"]), 2)
        self.assertEqual(KeptSplit.objects.get(pk=shared.pk).used, 1)
        with self.assertRaises(NotAllowed):
            drop_split(self.maren, shared.pk)
        own = keep_split(self.maren, "Thirds of mine", HALF)
        profile = self.client.get("/profile/")
        self.assertContains(profile, 'aria-label="Drop Thirds of mine"')
        self.assertNotContains(profile, f'aria-label="Drop {shared.name}"')
        self.client.post("/profile/", {"act": "drop-split", "split": own.pk})
        self.assertFalse(KeptSplit.objects.filter(pk=own.pk).exists())
        drop_split(self.priya, shared.pk)

    def test_the_editor_helps_and_loses_nothing(self):
        claim = self.a_claim(costs=("10.00",))
        self.enter(self.maren)
        page = f"/claims/{claim.pk}/split/"
        rows = {"about": "all", "split-coding": ["3120", "3140", "3900"], "split-share": ["", "", ""]}
        self.assertContains(self.client.post(page, rows | {"do": "equal"}), 'value="33.3334"')
        self.assertContains(
            self.client.post(page, rows | {"do": "rest", "split-share": ["60", "15.5", ""]}), 'value="24.5"'
        )
        for share, words in [
            (["60", "x", ""], "is no share"),
            (["60", "-5", "45"], "more than nothing"),
            (["60", "", ""], "Type how much"),
            (["99999999999", "1", "1"], "more than can be split"),
        ]:
            with self.subTest(words):
                answer = self.client.post(page, rows | {"do": "split", "split-share": share})
                self.assertContains(answer, words, status_code=422)
                self.assertContains(answer, 'value="3900"', status_code=422)
        # One line left empty bears the rest, where there is one.
        self.assertEqual(self.client.post(page, rows | {"split-share": ["60", "30", ""]}).status_code, 302)
        self.assertIn("10", str(Claim.objects.get(pk=claim.pk).shares))
        same = self.client.post(page, rows | {"split-coding": ["3120", "3120"], "split-share": ["50", "50"]})
        self.assertContains(same, "name the same coding", status_code=422)
        self.assertContains(self.client.get(f"/claims/{claim.pk}/?split=all"), "data-divided")

    def test_a_corrected_coding_follows_into_the_claims_own_splits(self):
        claim = self.a_claim(costs=("10.00",))
        splitting.split_claim(self.maren, claim.pk, "all", "The whole claim", HALF, None)
        self.send_claim(claim)
        self.approve_all("claim", claim.pk)
        claim = Claim.objects.get(pk=claim.pk)
        correcting.recode(self.priya, claim.pk, claim.version, "cost_centre", "3140", coded("3900"))
        claim.refresh_from_db()
        self.assertEqual(
            [part["codes"] for part in claim.shares[0]["parts"]], [[["cost_centre", "3120"]], [["cost_centre", "3900"]]]
        )

    @shows("C4.2")
    def test_by_coding_names_owners_and_budgets(self):
        claim = self.a_claim(costs=("10.00",), coding=FIELD)
        editing.set_split(self.maren, claim.expenses.get().pk, None, HALF)
        self.enter(self.maren)
        page = self.client.get(f"/claims/{claim.pk}/by-coding/")
        for words in ("P-0417", "the default", "Ottilie Marsh"):
            self.assertContains(page, words)
        self.send_claim(claim)
        self.enter(self.tobias)
        self.assertContains(self.client.get(f"/bench/claim/{claim.pk}/"), "the default")
        self.assertContains(self.client.get(f"/claims/{claim.pk}/planned/"), "Daily allowance")


class DelegateTest(Drafted):
    def setUp(self):
        self.row = set_delegate(self.maren, self.aiko.pk, self.today, self.today + timedelta(days=9))

    def begin(self):
        self.enter(self.aiko)
        self.client.post("/delegate/begin/", {"who": self.maren.pk})

    @shows("U4.1")
    def test_everything_but_certifying(self):
        self.begin()
        desk = self.client.get("/", follow=True)
        self.assertContains(desk, "You prepare for <b>Maren Oyelaran</b>")
        self.client.post(
            "/trips/new/",
            {
                "title": "Gauge check",
                "purpose": "A gauge",
                "code-cost_centre": "3120",
                "code-project": "",
                "code-task": "",
                "code-fund": "",
                "line": "",
            },
        )
        trip = Trip.objects.latest("pk")
        self.assertEqual(trip.traveller, self.maren)
        entry = Entry.objects.filter(subject=trip.subject).first()
        self.assertEqual((entry.who.partition(" <")[0], entry.for_whom), ("Aiko Brandt", "Maren Oyelaran"))
        claim = self.a_claim()
        page = self.client.get(f"/claims/{claim.pk}/")
        self.assertContains(page, "It is ready to be signed")
        self.assertNotContains(page, "Certify and send</button>")
        self.client.post(f"/claims/{claim.pk}/send/", {"version": claim.version, "name": "Maren Oyelaran"})
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Open")
        self.client.post(f"/claims/{claim.pk}/say/", {"text": "Is this all?"})
        self.assertEqual(Remark.objects.get().by, self.aiko)
        self.client.post(f"/claims/{claim.pk}/ready/")
        self.assertEqual(Claim.objects.get(pk=claim.pk).ready_by, self.aiko)
        for path in ("/profile/", "/people/", "/bench/", "/ledger/", "/trail/", "/news/", "/firms/"):
            with self.subTest(path):
                shown = self.client.get(path)
                self.assertNotContains(shown, "Maren Oyelaran</h1>", status_code=shown.status_code)
        self.client.post("/delegate/stop/")
        self.assertEqual(self.client.get(f"/claims/{claim.pk}/").status_code, 404)
        self.enter(self.maren)
        self.assertContains(self.client.get("/"), "waits for your signature")
        self.send_claim(claim)
        self.assertNotContains(self.client.get("/"), "waits for your signature")

    def test_a_delegate_of_an_approver_sees_nothing_that_waits_for_them(self):
        claim = self.sent_claim(who=self.maren)
        set_delegate(self.tobias, self.aiko.pk, self.today, self.today)
        self.enter(self.aiko)
        self.client.post("/delegate/begin/", {"who": self.tobias.pk})
        for path in (f"/claims/{claim.pk}/", f"/trips/{claim.trip_id}/", f"/expenses/{claim.expenses.get().pk}/"):
            self.assertEqual(self.client.get(path).status_code, 404)
        self.client.post(f"/bench/claim/{claim.pk}/approve/", {"version": claim.version})
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In sign-off")

    @shows("U4.2", "C6.1")
    def test_services_refuse_what_only_the_person_certifies(self):
        as_maren = acting_for(
            Membership.objects.select_related("person", "firm").get(pk=self.aiko.pk),
            Membership.objects.select_related("person", "firm").get(pk=self.maren.pk),
        )
        claim = self.a_claim()
        cost = claim.expenses.get()
        trip = self.a_trip(starts=20)
        for act in (
            lambda: road.send(as_maren, claim.pk, claim.version, "Maren Oyelaran"),
            lambda: trips.send(as_maren, trip.pk, trip.version, "Maren Oyelaran"),
            lambda: editing.declare_lost(as_maren, cost.pk, cost.version, "It blew into the harbour", "Maren Oyelaran"),
            lambda: details.change_copy(as_maren, trip.pk, "phone", "+353 1", True),
        ):
            with self.assertRaises(NotAllowed):
                act()
        with self.assertRaises(RuntimeError):
            as_maren.save()
        with self.assertRaises(NotAllowed):
            road.ready(self.maren, claim.pk)
        closing.withdraw(as_maren, claim.pk, Claim.objects.get(pk=claim.pk).version)

    def test_only_within_its_days_and_only_whom_it_names(self):
        self.enter(self.tobias)
        self.client.post("/delegate/begin/", {"who": self.maren.pk})
        self.assertNotContains(self.client.get("/"), "You prepare for")
        self.begin()
        Delegate.objects.update(since=self.today - timedelta(days=9), until=self.today - timedelta(days=1))
        self.assertContains(self.client.get("/trips/", follow=True), "do not prepare for them any more")
        for by, since, until, words in [
            (self.maren, 0, 1, "somebody else"), (self.liv, 0, 1, "somebody else"), (self.benedikt, 0, 1, "audits"),
            (self.tobias, 3, 1, "before it begins"), (self.tobias, -9, -8, "over already"),
        ]:  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                set_delegate(self.maren, by.pk, self.today + timedelta(days=since), self.today + timedelta(days=until))
        with self.assertRaises(Stale):
            end_delegate(self.tobias, self.row.pk)
        end_delegate(self.aiko, self.row.pk)
