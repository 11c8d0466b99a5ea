"""Several costs over the same codings: every line and every total exact."""

from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.money import Money, share_out, total
from wainwright.core.splits import spread

weights = st.lists(st.decimals("0.0001", "100", places=4), min_size=1, max_size=6)


def eur(minor: int) -> Money:
    return Money.from_minor(minor, "EUR")


class SpreadTest(TestCase):
    def test_amounts_that_were_typed_are_met_to_the_cent(self):
        rows = spread([eur(1), eur(1), eur(1), eur(997)], [Decimal("333.34"), Decimal("333.33"), Decimal("333.33")])
        self.assertEqual([sum(each.minor for each in column) for column in zip(*rows, strict=True)], [334, 333, 333])

    @given(st.lists(st.integers(0, 10**7), min_size=1, max_size=30), weights)
    def test_rows_and_columns_are_exact_and_nothing_is_below_zero(self, minors, shares):
        rows = spread([eur(n) for n in minors], shares)
        self.assertEqual([total(row, "EUR").minor for row in rows], minors)
        columns = [total(column, "EUR") for column in zip(*rows, strict=True)]
        self.assertEqual(columns, share_out(eur(sum(minors)), shares))
        self.assertTrue(all(each.minor >= 0 for row in rows for each in row))

    @given(st.lists(st.integers(-(10**6), 10**6), min_size=1, max_size=30), weights)
    def test_a_refund_among_them_is_shared_out_by_itself(self, minors, shares):
        rows = spread([eur(n) for n in minors], shares)
        self.assertEqual([total(row, "EUR").minor for row in rows], minors)

    @given(st.lists(st.integers(1, 10**6), min_size=2, max_size=30), weights)
    def test_alike_costs_differ_by_little(self, minors, shares):
        for cost, row in zip(minors, spread([eur(n) for n in minors], shares), strict=True):
            fair = share_out(eur(cost), shares)
            self.assertTrue(
                all(abs(got.minor - each.minor) <= len(minors) for got, each in zip(row, fair, strict=True))
            )
