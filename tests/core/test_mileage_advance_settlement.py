from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import eur
from wainwright.core.advance import proposed_advance
from wainwright.core.mileage import (
    MileageRate,
    OdometerError,
    Reading,
    against_ticket,
    by_odometer,
    mileage,
    rate_on,
    to_km,
)
from wainwright.core.money import Money
from wainwright.core.settlement import ClaimSums, settle

D = Decimal
RATE = MileageRate("car", date(2026, 1, 1), "EUR", ((D(5000), D("0.42")), (None, D("0.28"))), D("0.04"))


class MileageTest(TestCase):
    def test_bands_and_passenger(self):
        got = mileage(D(180), RATE, D(4930))
        self.assertEqual(got.amount, eur("60.20"))
        self.assertEqual(
            got.workings.lines()[0], "70 km × 0.42, band up to 5000 km a year (car) from 1 Jan 2026: 29.40"
        )
        self.assertEqual(mileage(D(180), RATE, D(4930), passengers=1).amount, eur("67.40"))

    def test_the_way_to_work_is_taken_off(self):
        self.assertEqual(mileage(D(50), RATE, D(0), commute=D(20)).amount, eur("12.60"))
        self.assertEqual(mileage(D(10), RATE, D(0), commute=D(20)).amount, eur(0))

    @given(st.integers(0, 20000), st.lists(st.integers(0, 500), max_size=6))
    def test_rides_in_any_cut_earn_the_same_distance(self, so_far, rides):
        together = mileage(D(sum(rides)), RATE, D(so_far)).amount.amount
        apart, done = D(0), D(so_far)
        for ride in rides:
            apart += mileage(D(ride), RATE, done).amount.amount
            done += ride
        self.assertLessEqual(abs(together - apart), D("0.005") * max(1, len(rides)))

    def test_rate_by_date(self):
        newer = MileageRate("car", date(2026, 7, 1), "EUR", ((None, D("0.45")),))
        self.assertIs(rate_on([RATE, newer], "car", date(2026, 6, 30)), RATE)
        self.assertIs(rate_on([RATE, newer], "car", date(2026, 7, 1)), newer)
        with self.assertRaises(LookupError):
            rate_on([RATE], "bicycle", date(2026, 7, 1))

    def test_odometer(self):
        self.assertEqual(by_odometer(Reading(D(1000), D(1180))), 180)
        for reading, others in [((1180, 1000), []), ((1000, 1180), [(1100, 1300)]), ((1100, 1120), [(1000, 1200)])]:
            with self.subTest(reading), self.assertRaises(OdometerError):
                by_odometer(Reading(*map(D, reading)), [Reading(*map(D, each)) for each in others])
        self.assertEqual(by_odometer(Reading(D(1180), D(1200)), [Reading(D(1000), D(1180))]), 20)

    def test_miles_and_the_cheaper_of_two_ways(self):
        self.assertEqual(to_km(D(100)), D("160.9344"))
        self.assertEqual(against_ticket(eur("168"), D(400), D(300), eur("120")).over, eur("48"))
        self.assertEqual(against_ticket(eur("120"), D(290), D(300), eur("80")).over, eur(0))


class AdvanceTest(TestCase):
    def test_percentage_rounded_down_to_a_whole_unit(self):
        for qualifying, out, blocks, wanted in [
            ("900.00", None, False, 630),
            ("905.00", None, False, 630),
            ("900", "100", False, 530),
            ("900", "100", True, 0),
            ("100", "500", False, 0),
            ("0", None, False, 0),
        ]:
            with self.subTest(qualifying=qualifying, out=out):
                got = proposed_advance(eur(qualifying), D(70), D(10), eur(out) if out else None, blocks)
                self.assertEqual(got.amount, eur(wanted))


AMOUNTS = st.integers(0, 10**7).map(lambda n: Money.from_minor(n, "EUR"))


class SettlementTest(TestCase):
    def sums(self, *values):
        own, allowance, miles, personal, advance = (eur(v) for v in values)
        return ClaimSums(own, allowance, miles, eur("1000"), personal, advance)

    def test_the_example(self):
        got = settle(self.sums("300.00", "197.20", "60.20", "25.00", "120.00"))
        self.assertEqual((got.due, got.to_traveller, got.owed_back), (eur("412.40"), eur("412.40"), eur(0)))

    def test_below_zero_is_owed_back(self):
        got = settle(self.sums("10", "0", "0", "25", "120"))
        self.assertEqual((got.due, got.owed_back, got.to_traveller), (eur("-135"), eur("135"), eur(0)))

    def test_part_to_the_card_issuer_has_its_limits(self):
        sums = self.sums("300", "0", "0", "0", "0")
        self.assertEqual(settle(sums, eur("100"), eur("150")).to_traveller, eur("200"))
        for part, owed in [("160", "150"), ("301", "500"), ("-1", "10")]:
            with self.subTest(part), self.assertRaises(ValueError):
                settle(sums, eur(part), eur(owed))

    @given(AMOUNTS, AMOUNTS, AMOUNTS, AMOUNTS, AMOUNTS)
    def test_the_total_is_the_sum_of_its_settlement(self, own, allowance, miles, personal, advance):
        got = settle(ClaimSums(own, allowance, miles, eur(0), personal, advance))
        self.assertEqual(got.to_traveller + got.to_issuer - got.owed_back, got.due)
        self.assertEqual(got.due + personal + advance, own + allowance + miles)
