from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.money import CurrencyMismatch, Money, add_up, round_amount, share_out, total

WEIGHTS = st.lists(st.decimals(min_value=0, max_value=1000, places=4), min_size=1, max_size=12).filter(
    lambda w: sum(w) > 0
)


class MoneyTest(TestCase):
    @given(st.lists(st.tuples(st.sampled_from("abc"), st.integers(-10_000, 10_000))))
    def test_sums_by_key_are_those_of_the_whole(self, rows):
        amounts = [(key, Money.from_minor(minor, "EUR")) for key, minor in rows]
        sums = add_up(amounts)
        self.assertEqual(list(sums), list(dict.fromkeys(key for key, _ in rows)))
        for key, amount in sums.items():
            self.assertEqual(amount, total((each for own, each in amounts if own == key), "EUR"))

    def test_rounds_half_up_to_the_minor_unit_away_from_zero(self):
        for amount, currency, wanted in [
            ("2.345", "EUR", "2.35"),
            ("-2.345", "EUR", "-2.35"),
            ("2.5", "JPY", "3"),
            ("1.0005", "KWD", "1.001"),
        ]:
            with self.subTest(amount):
                self.assertEqual(round_amount(Decimal(amount), currency), Decimal(wanted))

    def test_sharing_out_by_largest_remainder(self):
        for amount, currency, weights, wanted in [
            ("100.00", "EUR", [1, 1, 1], ["33.34", "33.33", "33.33"]),
            ("148.40", "EUR", [60, 40], ["89.04", "59.36"]),
            ("1000", "JPY", [1, 1, 1], ["334", "333", "333"]),
            ("-100.00", "EUR", [1, 1, 1], ["-33.34", "-33.33", "-33.33"]),
            ("0.01", "EUR", [0, 1, 1], ["0.00", "0.01", "0.00"]),
        ]:
            with self.subTest(amount=amount, weights=weights):
                shares = share_out(Money.of(amount, currency), weights)
                self.assertEqual([str(share.amount) for share in shares], wanted)

    @given(st.integers(-(10**12), 10**12), WEIGHTS, st.sampled_from(["EUR", "JPY", "KWD"]))
    def test_shares_always_add_up(self, minor, weights, currency):
        amount = Money.from_minor(minor, currency)
        shares = share_out(amount, weights)
        self.assertEqual(total(shares, currency), amount)
        self.assertTrue(all(share.minor * minor >= 0 for share in shares))

    def test_two_currencies_are_an_error(self):
        with self.assertRaises(CurrencyMismatch):
            Money.of(1, "EUR") + Money.of(1, "NOK")
        with self.assertRaises(CurrencyMismatch):
            Money.of(1, "EUR") < Money.of(1, "NOK")  # noqa: B015

    def test_refuses_wrong_states(self):
        for amount, currency in [("1.001", "EUR"), ("NaN", "EUR"), ("1", "eur"), ("1", "EURO"), ("Infinity", "EUR")]:
            with self.subTest(amount=amount, currency=currency), self.assertRaises(ValueError):
                Money.of(amount, currency)

    def test_weights_must_make_sense(self):
        for weights in ([], [0, 0], [-1, 2]):
            with self.subTest(weights), self.assertRaises(ValueError):
                share_out(Money.of(1, "EUR"), weights)

    @given(st.integers(-(10**15), 10**15), st.sampled_from(["EUR", "JPY", "KWD"]))
    def test_minor_units_there_and_back(self, minor, currency):
        self.assertEqual(Money.from_minor(minor, currency).minor, minor)
