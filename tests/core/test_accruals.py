"""Accruals: every cent of what was spent stands on one coding, and the journal and its reversal come to nothing."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.accruals import Spent, accrual_journal, accrue
from wainwright.core.coding import Coding
from wainwright.core.money import Money, total


def spent(what="charge", account="6430", cents=1000, centre="3120") -> Spent:
    return Spent(
        what,
        f"{what}:1",
        "A thing",
        Coding.of([("cost_centre", centre)]).with_account(account),
        Money.from_minor(cents, "EUR"),
    )


class AccrualTest(TestCase):
    def test_by_account_and_coding_with_what_it_is_of(self):
        rows = accrue(
            [
                spent(),
                spent("claim", cents=250),
                spent(account="6410"),
                spent(centre="3140"),
                spent(cents=-5, centre="9"),
                spent(cents=5, centre="9"),
            ],
            "EUR",
        )
        self.assertEqual(
            [(row.coding.account, str(row.coding), row.amount.minor) for row in rows],
            [("6410", "3120", 1000), ("6430", "3120", 1250), ("6430", "3140", 1000)],
        )
        self.assertEqual(
            [(name, amount.minor) for name, amount in rows[1].by_what],
            [("Loose charges", 1000), ("Claims on their way", 250)],
        )
        journal = accrual_journal("k", rows, "2390", "Accrued for September 2026")
        self.assertEqual(journal.balance("2390").minor, -3250)
        with self.assertRaises(ValueError):
            accrual_journal("k", [], "2390", "x")

    @given(
        st.lists(
            st.tuples(
                st.sampled_from(["plan", "charge", "claim"]),
                st.sampled_from(["6410", "6430"]),
                st.integers(-9999, 9999),
            ),
            max_size=12,
        )
    )
    def test_it_balances_and_its_reversal_undoes_it(self, rows):
        things = [spent(what, account, cents) for what, account, cents in rows]
        found = accrue(things, "EUR")
        self.assertEqual(total((row.amount for row in found), "EUR"), total((each.amount for each in things), "EUR"))
        if found:
            journal = accrual_journal("k", found, "2390", "x")
            back = journal.reversed("r")
            for account in ("6410", "6430", "2390"):
                self.assertFalse(journal.balance(account) + back.balance(account))
