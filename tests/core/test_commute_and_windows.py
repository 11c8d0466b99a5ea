"""What must always hold of the way to work that is taken off rides, and of bookings matched over their time."""

from __future__ import annotations

from datetime import date, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.matching import Charge, Paper, best_pairs, score
from wainwright.core.mileage import commute_off
from wainwright.core.money import Money

PLACES = st.sampled_from(["home", "work", "away", "there"])
RIDES = st.lists(st.tuples(PLACES, PLACES, st.booleans()), max_size=8)


class CommuteTest(TestCase):
    @given(RIDES, st.decimals(0, 500, places=1))
    def test_a_day_never_loses_more_than_there_and_back_and_only_at_home(self, rides, way):
        off = Decimal(0)
        for origin, target, back in rides:
            one = commute_off(origin, target, back, "home", way, off)
            self.assertGreaterEqual(one, 0)
            if "home" not in (origin, target):
                self.assertEqual(one, 0)
            off += one
        self.assertLessEqual(off, 2 * way)

    @given(RIDES, st.decimals(0, 500, places=1))
    def test_the_order_of_a_days_rides_changes_nothing(self, rides, way):
        sums = []
        for order in (rides, rides[::-1]):
            off = Decimal(0)
            for origin, target, back in order:
                off += commute_off(origin, target, back, "home", way, off)
            sums.append(off)
        self.assertEqual(sums[0], sums[1])

    def test_who_has_no_home_loses_nothing(self):
        self.assertEqual(commute_off("", "", True, "", Decimal(30)), 0)


class WindowTest(TestCase):
    @given(st.integers(0, 60), st.integers(-80, 80))
    def test_a_booking_is_charged_from_a_day_before_its_order_to_five_after_its_end(self, long, when):
        first, amount = date(2026, 9, 1), Money.of("180.00", "EUR")
        booking = Paper("b", "Quay House", first, amount, until=first + timedelta(days=long))
        charge = Charge("c", "QUAY HOUSE", first + timedelta(days=when), amount)
        found = score(booking, charge)[0] > 0
        self.assertEqual(found, -1 <= when <= long + 5)
        self.assertEqual(bool(best_pairs([booking], [charge])), found)

    @given(st.integers(1, 10_000), st.integers(-5_000, 5_000), st.booleans(), st.booleans())
    def test_more_than_the_paper_is_a_tip_up_to_a_fifth_where_either_side_knows_tips(
        self, minor, over, on_paper, on_card
    ):
        day = date(2026, 9, 1)
        paper = Paper("p", "Kroa", day, Money.from_minor(minor, "EUR"), tips=on_paper)
        charge = Charge("c", "KROA", day, Money.from_minor(minor + over, "EUR"), tips=on_card)
        fits = over == 0 or ((on_paper or on_card) and 0 < over * 5 <= minor)
        self.assertEqual(score(paper, charge)[0] > 0, fits)
        self.assertEqual(bool(best_pairs([paper], [charge])), fits)
