"""Moving house: what answers entitle to, for whom a journey earns, which stops ask a reason."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import BERGEN, ENDS, FRI, MON, SINCE, THU, TUE, WED, at, eur, journey, scheme
from wainwright.core.allowance import Grants, Head, Rate, daily_allowance
from wainwright.core.coding import Coding
from wainwright.core.money import Money, total
from wainwright.core.moving import Halt, Mover, Planned, effects, entitlements, heads_of, rank_of
from wainwright.core.posting import Accounts, PostLine, claim_journal
from wainwright.core.questions import Question
from wainwright.core.settlement import ClaimSums, settle

SCHEME = scheme(ENDS, {"pays": "1"}, code="S", name="test")
ACCOUNTS = Accounts("2320", "1530", "2310", "1480", "1520", "1410", "1100")
QUESTIONS = [
    Question("flat", "move", "Anew?", "yes_no", entitles=(
        {"when": "yes", "what": "sum", "name": "Flat sum", "category": "relocation", "amount": "2400.00"},)),
    Question("goods", "move", "Who moves them?", "choice", ("mover", "ourselves"), entitles=(
        {"when": "mover", "what": "cost", "name": "Mover", "category": "removal", "amount": "3200.00", "paid_by": "central"},)),
    Question("vehicles", "move", "How many?", "choice", ("0", "1", "2"), entitles=({"what": "vehicles"},)),
    Question("tickets", "move", "Who buys?", "choice", ("firm", "each"), entitles=({"when": "firm", "what": "tickets", "paid_by": "central"},)),
]  # fmt: skip


class EntitledTest(TestCase):
    def test_what_is_not_answered_decides_nothing(self):
        found = entitlements(QUESTIONS, {}, "EUR")
        self.assertEqual((found.lines, found.tickets, found.vehicles), ((), "", None))

    def test_each_answer_decides_its_own(self):
        found = entitlements(QUESTIONS, {"flat": "yes", "goods": "mover", "vehicles": "0", "tickets": "firm"}, "EUR")
        self.assertEqual([(each.key, each.amount, each.paid_by) for each in found.lines], [
            ("sum:flat", eur(2400), "self"), ("cost:goods", eur(3200), "central"),
        ])  # fmt: skip
        self.assertEqual((found.tickets, found.vehicles), ("central", 0))
        self.assertEqual([each.name for each in found.sums], ["Flat sum"])
        self.assertEqual(entitlements(QUESTIONS, {"flat": "no", "goods": "ourselves"}, "EUR").lines, ())

    def test_every_answer_says_what_it_changes_with_its_figure(self):
        parties = [
            Planned("Jonas", eur(148), Decimal(259)),
            Planned("Rasa", eur(295), Decimal(0)),
            Planned("Ona", eur(0), Decimal("12.5")),
        ]
        self.assertEqual(
            effects(QUESTIONS[0], "EUR", parties), ["Yes: 2,400.00 more for you, with the employee's claim (Flat sum)"]
        )
        self.assertEqual(effects(QUESTIONS[1], "EUR", parties), ["Mover: 3,200.00 planned, billed to the firm (Mover)"])
        self.assertEqual(effects(QUESTIONS[2], "EUR", parties), [
            "0: nothing earns mileage", "1: 259 km of Jonas earns mileage", "2: 259 km of Jonas and 12.5 km of Ona earn mileage",
        ])  # fmt: skip
        self.assertEqual(
            effects(QUESTIONS[3], "EUR", parties),
            ["Firm: 443.00 of tickets that are not booked yet, billed to the firm"],
        )

    def test_the_employees_vehicle_is_the_first(self):
        drives = [("1", True), ("2", False), ("3", True)]
        self.assertEqual([rank_of(drives, key) for key in "123"], [1, 1, 2])

    def test_a_longer_stop_asks_why(self):
        noon = at(TUE, "12:00")
        for hours, reason, asks in ((4, "", False), (5, "", True), (5, "A night's rest", False)):
            halt = Halt("leg:1", "Dublin", noon, noon + timedelta(hours=hours), reason)
            self.assertEqual(halt.asks, asks)
        self.assertEqual(Halt("leg:1", "Dublin", noon, noon + timedelta(hours=1)).words, "a change")


class HeadsTest(TestCase):
    def earned(self, full: str, heads=()):
        rates = [Rate("", "NO", SINCE, Money.of(full, "EUR"))]
        nights = [(day, BERGEN) for day in (MON, TUE, WED, THU)]
        moved = journey(at(MON, "08:00"), at(FRI, "18:00"), nights)
        return daily_allowance(moved, SCHEME, rates, "EUR", Grants(heads=tuple(heads)))

    def test_each_head_earns_its_share_of_each_day(self):
        done = self.earned("60.00", heads_of("Jonas", [Mover("Rasa", "partner"), Mover("Ona", "child")], {"partner": "0.75", "child": "0.5"}))  # fmt: skip
        self.assertEqual(done.amount, self.earned("60.00").amount.times(Decimal("2.25")))
        self.assertIn("Rasa, partner, three quarters of 45.00: 33.75", " | ".join(done.workings.lines()))

    def test_kin_without_a_share_earns_nothing_and_apart_the_employee_is_no_head(self):
        self.assertEqual(self.earned("60.00", heads_of("", [Mover("Otto", "cousin")], {"partner": "1"})).amount, eur(0))
        self.assertEqual(
            heads_of("", [Mover("Rasa", "partner")], {"partner": "1"}), (Head("Rasa, partner", Decimal(1)),)
        )

    @given(
        st.integers(0, 30000).map(lambda cents: f"{cents / 100:.2f}"),
        st.lists(st.sampled_from(["1", "0.75", "0.5", "0.333", "0"]), min_size=1, max_size=6),
    )
    def test_days_add_up_and_every_head_is_rounded_by_itself(self, full, shares):
        one = self.earned(full)
        done = self.earned(full, [Head(f"h{n}", Decimal(share)) for n, share in enumerate(shares)])
        self.assertEqual(done.amount, total((day.amount for day in done.days), "EUR"))
        each = [total((day.amount.times(Decimal(share)) for share in shares), "EUR") for day in one.days]
        self.assertEqual([day.amount for day in done.days], each)


class FlatSumsTest(TestCase):
    @given(*[st.integers(0, 10**6)] * 5, st.integers(0, 3 * 10**6))
    def test_they_are_owed_and_an_advance_eats_into_them_like_into_anything_else(
        self, own, allowance, mileage, flat, personal, advance
    ):
        def cents(minor):
            return Money.from_minor(minor, "EUR")

        bare = ClaimSums(cents(own), cents(allowance), cents(mileage), cents(0), cents(personal), cents(advance))
        sums = replace(bare, flat=cents(flat))
        self.assertEqual(settle(sums).due, settle(bare).due + cents(flat))
        lines = [PostLine("All", Coding("6495"), sums.earned, cents(0), "self")]
        lines += [PostLine("Mine", Coding("6400"), cents(personal), cents(0), "firm", True)] if personal else []
        journal = claim_journal("k", lines, settle(sums), ACCOUNTS)
        owed = -journal.balance("2320") - journal.balance("1530")
        self.assertEqual(owed, settle(sums).due)
