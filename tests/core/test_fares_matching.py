from datetime import UTC, date, datetime, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import eur
from wainwright.core.fares import Asked, Way, alternatives, yardstick
from wainwright.core.matching import Charge, Paper, best_pairs, plain_merchant, score
from wainwright.core.money import Money

NINE = datetime(2026, 10, 12, 9, tzinfo=UTC)
DAY = date(2026, 10, 14)


def way(key, price, hour=9.0, lasts=5.0, stops=1, cabin="economy", contracted=False):
    leaves = datetime(2026, 10, 12, tzinfo=UTC) + timedelta(hours=hour)
    return Way(key, eur(price), leaves, leaves + timedelta(hours=lasts), stops, cabin, contracted)


class YardstickTest(TestCase):
    def test_the_cheapest_that_fits(self):
        choice = way("choice", 204)
        ways = [
            choice,
            way("fits", 186, 8),
            way("too early", 90, 5),
            way("too long", 80, 8, 8.5),
            way("stops", 70, 9, 5, 3),
        ]
        self.assertEqual(yardstick(choice, ways, Asked()).key, "fits")
        self.assertEqual([each.key for each in alternatives(choice, ways, Asked())], ["fits"])

    def test_a_window_widens_it_and_a_contracted_fare_wins(self):
        choice = way("choice", 204)
        ways = [choice, way("early", 90, 5), way("contracted", 150, 5.5, contracted=True)]
        self.assertEqual(yardstick(choice, ways[:2], Asked(leave_from=NINE - timedelta(hours=5))).key, "early")
        self.assertEqual(yardstick(choice, ways, Asked(leave_from=NINE - timedelta(hours=5))).key, "contracted")

    def test_a_better_cabin_is_no_yardstick(self):
        choice = way("choice", 204)
        self.assertEqual(yardstick(choice, [choice, way("up", 100, cabin="business")], Asked()).key, "choice")


class MatchingTest(TestCase):
    def test_card_noise_is_taken_out(self):
        self.assertEqual(plain_merchant("KVALHEIM MARINE AS 2231 FLORØ", ["Florø"]), "kvalheim marine")

    def test_a_receipt_finds_its_charge(self):
        charges = [Charge("c1", "KVALHEIM MARINE AS", DAY, eur("102.00"), "4410"),
                   Charge("c2", "LAB OG LODD 2231", DAY, eur("61.75"), "4410")]  # fmt: skip
        papers = [
            Paper("r1", "Lab & Lodd", DAY, eur("61.75"), "4410"),
            Paper("r2", "Kvalheim Marine", DAY, eur("102.00")),
        ]
        pairs = {(pair.paper, pair.charge): pair for pair in best_pairs(papers, charges)}
        self.assertEqual(set(pairs), {("r1", "c2"), ("r2", "c1")})
        self.assertTrue(pairs["r2", "c1"].sure)
        self.assertIn("same amount", pairs["r2", "c1"].why)

    def test_two_alike_are_proposed_and_not_taken(self):
        charges = [Charge("c1", "KAFE", DAY, eur("5.00")), Charge("c2", "KAFE", DAY, eur("5.00"))]
        self.assertFalse(best_pairs([Paper("r1", "Kafe", DAY, eur("5.00"))], charges)[0].sure)

    def test_amount_and_date_can_rule_a_pair_out(self):
        charge = Charge("c", "KAFE", DAY, eur("5.00"))
        self.assertEqual(score(Paper("r", "Kafe", DAY, eur("5.01")), charge)[0], 0)
        self.assertEqual(score(Paper("r", "Kafe", DAY + timedelta(days=2), eur("5.00")), charge)[0], 0)
        self.assertGreater(score(Paper("r", "Kafe", DAY - timedelta(days=5), eur("5.00")), charge)[0], 0)
        self.assertEqual(score(Paper("r", "Kafe", DAY), charge)[0], 0)

    def test_foreign_money_and_tips(self):
        charge = Charge("c", "HAVNEKROA", DAY, eur("46.90"))
        foreign = Paper("r", "Havnekroa", DAY, Money.of("540", "NOK"), home=eur("46.41"))
        self.assertGreater(score(foreign, charge)[0], 0.8)
        self.assertGreater(score(Paper("r", "Havnekroa", DAY, eur("42.00"), tips=True), charge)[0], 0.7)
        self.assertEqual(score(Paper("r", "Havnekroa", DAY, eur("30.00"), tips=True), charge)[0], 0)

    @given(st.lists(st.integers(1, 400), max_size=7), st.lists(st.integers(1, 400), max_size=7))
    def test_nothing_is_paired_twice(self, papers, charges):
        pairs = best_pairs(
            [Paper(f"r{n}", "Kafe", DAY, Money.from_minor(a, "EUR")) for n, a in enumerate(papers)],
            [Charge(f"c{n}", "KAFE", DAY, Money.from_minor(a, "EUR")) for n, a in enumerate(charges)],
        )
        self.assertEqual(len({p.paper for p in pairs}), len(pairs))
        self.assertEqual(len({p.charge for p in pairs}), len(pairs))
