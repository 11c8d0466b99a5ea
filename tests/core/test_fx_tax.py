from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.fx import NoRate, RateTable, convert, share_off
from wainwright.core.money import Money
from wainwright.core.tax import reclaim, tax_in

DAY = date(2026, 10, 14)
TABLE = RateTable("EUR", {DAY: {"NOK": Decimal("11.6350"), "GBP": Decimal("0.8700")}}, "demo table")


def money(amount, currency="EUR"):
    return Money.of(str(amount), currency)


class ForeignMoneyTest(TestCase):
    def test_rate_of_the_day(self):
        got = convert(money("540.00", "NOK"), "EUR", DAY, TABLE)
        self.assertEqual((got.home, got.rate, got.rate_day), (money("46.41"), Decimal("11.6350"), DAY))
        self.assertIn("540.00 NOK ÷ 11.6350, rate of 14 Oct 2026", got.workings.lines()[0])

    def test_order_of_trust(self):
        charged = convert(money("540.00", "NOK"), "EUR", DAY, TABLE, charged=money("46.90"), receipt_rate=Decimal("11"))
        self.assertEqual((charged.home, charged.source), (money("46.90"), "card charge"))
        receipt = convert(money("540.00", "NOK"), "EUR", DAY, TABLE, receipt_rate=Decimal("11.25"))
        self.assertEqual((receipt.home, receipt.source), (money("48.00"), "exchange receipt"))

    def test_crosses_go_through_the_base(self):
        got = convert(money("116.35", "NOK"), "GBP", DAY, TABLE)
        self.assertEqual(got.home, money("8.70", "GBP"))

    def test_last_published_rate_and_when_it_is_stale(self):
        self.assertFalse(convert(money(1, "NOK"), "EUR", date(2026, 10, 21), TABLE).stale)
        self.assertTrue(convert(money(1, "NOK"), "EUR", date(2026, 10, 22), TABLE).stale)
        with self.assertRaises(NoRate):
            convert(money(1, "NOK"), "EUR", date(2026, 10, 13), TABLE)

    def test_off_the_table(self):
        self.assertEqual(round(share_off(Decimal("11.20"), Decimal("11.6350")), 4), Decimal("0.0374"))


class TaxTest(TestCase):
    def test_tax_in_a_gross_amount(self):
        line = tax_in(money("102.00"), Decimal("0.25"))
        self.assertEqual((line.tax, line.net, line.odd), (money("20.40"), money("81.60"), False))

    def test_what_the_receipt_states_wins_and_is_odd_beyond_two_cents(self):
        for stated, odd in [("20.40", False), ("20.42", False), ("20.38", False), ("20.43", True), ("12.00", True)]:
            with self.subTest(stated):
                line = tax_in(money("102.00"), Decimal("0.25"), money(stated))
                self.assertEqual((line.tax, line.odd), (money(stated), odd))

    @given(st.integers(-(10**9), 10**9), st.decimals(0, 1, places=3))
    def test_net_and_tax_are_the_gross(self, minor, rate):
        line = tax_in(Money.from_minor(minor, "EUR"), rate)
        self.assertEqual(line.net + line.tax, line.gross)

    def test_reclaim(self):
        for receipt, own, share, wanted in [
            (True, True, "1", ("20.40", "0", "0")),
            (True, True, "0.5", ("10.20", "10.20", "0")),
            (False, True, "1", ("0", "20.40", "0")),
            (True, False, "1", ("0", "20.40", "20.40")),
        ]:
            with self.subTest(receipt=receipt, own=own, share=share):
                got = reclaim(money("20.40"), Decimal(share), receipt, own)
                self.assertEqual((got.recoverable, got.in_cost, got.foreign), tuple(money(each) for each in wanted))
