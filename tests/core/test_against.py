"""Authorised against actual."""

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import eur
from wainwright.core.against import Actual, Against, Planned, against
from wainwright.core.money import Money, total

NAMES = {"taxi": "Taxi", "air": "Flights", "meals": "Meals with others"}
plans = st.lists(
    st.tuples(
        st.sampled_from(["leg:1", "booking:2", "other:3", "x"]), st.sampled_from(["taxi", "air"]), st.integers(0, 10**6)
    ),
    max_size=8,
)
costs = st.lists(
    st.tuples(
        st.sampled_from(["leg:1", "booking:2", ""]),
        st.sampled_from(["taxi", "air", "meals"]),
        st.integers(-(10**5), 10**6),
    ),
    max_size=8,
)


class AgainstTest(TestCase):
    def test_by_what_it_came_of_else_by_category(self):
        planned = [
            Planned("booking:2", "Flight Cork – Bergen", "air", eur("408.00")), Planned("other:1", "Taxis", "taxi", eur("80.00")),
            Planned("other:2", "Boat", "ferry", eur("30.00")),
        ]  # fmt: skip
        actual = [
            Actual("expense:1", "booking:2", "Skerry Air", "air", eur("420.00"), "Rebooked after the storm"),
            Actual("expense:2", "", "Pier taxi", "taxi", eur("24.00")), Actual("expense:3", "", "Quay taxi", "taxi", eur("31.00")),
            Actual("expense:4", "", "Dinner", "meals", eur("61.00")),
        ]  # fmt: skip
        got = against(planned, actual, NAMES, "EUR")
        self.assertEqual(
            got,
            [
                Against("Flight Cork – Bergen", eur("408.00"), eur("420.00"), ("Rebooked after the storm",)),
                Against("Taxi", eur("80.00"), eur("55.00")), Against("Boat", eur("30.00"), eur("0.00")),
                Against("Meals with others", eur("0.00"), eur("61.00")),
            ],
        )  # fmt: skip
        self.assertEqual([str(row.difference) for row in got], ["12.00", "-25.00", "-30.00", "61.00"])

    @given(plans, costs)
    def test_nothing_is_lost_and_nothing_counted_twice(self, rows, done):
        planned = [
            Planned(f"{key}{n}" if key == "x" else key, "p", code, Money.from_minor(minor, "EUR"))
            for n, (key, code, minor) in enumerate(rows)
        ]
        planned = list({each.key: each for each in planned}.values())
        actual = [
            Actual(f"e{n}", key, "a", code, Money.from_minor(minor, "EUR")) for n, (key, code, minor) in enumerate(done)
        ]
        got = against(planned, actual, NAMES, "EUR")
        self.assertEqual(total((r.planned for r in got), "EUR"), total((p.amount for p in planned), "EUR"))
        self.assertEqual(total((r.actual for r in got), "EUR"), total((a.amount for a in actual), "EUR"))
