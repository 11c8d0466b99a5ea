"""The risk order: plain points with reasons, and a draw that can be checked."""

from dataclasses import replace
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import eur
from wainwright.core.risk import Habit, Risk, Seen, after_change, claim_risk, drawn, looks_at, plan_risk

CALM = Seen("expense:1", "Pier taxi", eur("20.00"), "taxi")


class RiskTest(TestCase):
    def test_nothing_odd_is_worth_nothing(self):
        self.assertEqual(claim_risk([CALM, replace(CALM, key="expense:2")], []), Risk(0, ()))

    def test_each_thing_has_its_points_and_its_words(self):
        for cost, points, words in (
            (replace(CALM, own=Habit(eur("8.00"), 3)), 10, "2.5 times what this person pays"),
            (replace(CALM, own=Habit(eur("8.00"), 2)), 0, ""),
            (replace(CALM, firm=Habit(eur("9.00"), 5)), 6, "2.2 times what the firm pays"),
            (replace(CALM, own=Habit(eur("8.00"), 3), firm=Habit(eur("8.00"), 9)), 10, "this person"),
            (replace(CALM, known=False), 4, "Nobody of the firm has been at Pier taxi"),
            (replace(CALM, weekend=True), 3, "of a weekend"),
            (replace(CALM, limits=(eur("20.50"),)), 8, "just under 20.50"),
            (replace(CALM, limits=(eur("19.99"), eur("25.00"))), 0, ""),
            (replace(CALM, sure=Decimal("0.7")), 5, "little sureness"),
            (replace(CALM, sure=Decimal("0.8")), 0, ""),
            (replace(CALM, paper=False), 5, "has no paper"),
        ):
            with self.subTest(words):
                found = claim_risk([cost], [])
                self.assertEqual(found.points, points)
                self.assertIn(words, " ".join(found.lines))
        self.assertEqual(after_change(claim_risk([CALM], ["Ceiling"])).points, 16)
        self.assertEqual(plan_risk(["Not the cheapest"], ["Hire car"]).lines, [
            "Explained: Not the cheapest: 10", "Special permission: Hire car: 6",
        ])  # fmt: skip

    @given(st.integers(0, 60), st.integers(0, 60), st.booleans())
    def test_the_points_are_the_sum_of_their_reasons_and_never_over_a_hundred(self, costs, explained, changed):
        odd = replace(CALM, known=False, weekend=True, paper=False, sure=Decimal(0), own=Habit(eur(1), 9))

        def risk(costs):
            found = claim_risk([odd] * costs, ["x"] * explained)
            return after_change(found) if changed else found

        found = risk(costs)
        self.assertEqual(found.points, min(100, sum(each.points for each in found.reasons)))
        self.assertLessEqual(len(found.reasons), 30)
        more = risk(costs + 1)
        self.assertGreaterEqual(more.points, found.points)


class DrawTest(TestCase):
    def test_the_same_seed_draws_the_same(self):
        self.assertEqual(drawn("seed", "C-0001:1"), drawn("seed", "C-0001:1"))
        self.assertNotEqual(drawn("seed", "C-0001:1"), drawn("seed", "C-0002:1"))

    def test_a_share_is_about_that_share(self):
        looked = sum(drawn("a seed", f"C-{n:04d}:1") < 20 for n in range(4000))
        self.assertTrue(700 < looked < 900, looked)

    def test_always_above_an_amount_or_a_risk(self):
        calm, odd = Risk(0, ()), Risk(11, ())
        for risk, total, above, share, number, looks in (
            (calm, 100, 500, 0, 0, False), (calm, 500, 500, 0, 0, False), (calm, "500.01", 500, 0, 99, True),
            (odd, 1, None, 0, 99, True), (calm, 1, None, 100, "99.99", True), (calm, 1, None, 20, "20.00", False),
            (calm, 1, None, 20, "19.99", True),
        ):  # fmt: skip
            with self.subTest(total=total, share=share, number=number):
                found = looks_at(risk, 10, eur(total), eur(above) if above else None, share, Decimal(number))
                self.assertEqual(found.looks, looks)
