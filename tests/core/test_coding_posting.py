from dataclasses import replace
from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.codings import coded
from tests.core.builders import eur
from wainwright.core.coding import Asked, Code, CodeBook, Dimension, check_coding
from wainwright.core.dividing import check_parts, divide, divide_lines
from wainwright.core.money import Money, total
from wainwright.core.posting import (
    Accounts,
    Charged,
    Entry,
    Journal,
    PostLine,
    Unbalanced,
    advance_back_journal,
    advance_journal,
    billed_journal,
    card_paid_journal,
    charges_journal,
    claim_journal,
    difference_journal,
    payment_journal,
)
from wainwright.core.settlement import ClaimSums, settle
from wainwright.core.splits import SplitError, SplitPart, check_shares
from wainwright.core.statement import Coded, Line

D = Decimal
DAY = date(2026, 10, 14)
A, B = coded("3120", "P-0417", "field", account="6420"), coded("3140", account="6420")
C = coded("3180", account="6420")
BOOKS = Accounts("2320", "1530", "2310", "1480", "1520", "1410", "1100")
TOLD = replace(BOOKS, suppliers="2330", card_issuers="2315", differences="7790")
KEPT = [
    Dimension("cost_centre", "cost centre", "cost centres", 0, Asked.ALWAYS), Dimension("project", "project", "projects", 1, Asked.FREE),
    Dimension("task", "task", "tasks", 2), Dimension("fund", "funding source", "funding sources", 3),
]  # fmt: skip
CODES = CodeBook.of("ltd", [
    Code("ltd", "account", "6420", "Meals"), Code("ltd", "cost_centre", "3120", "Field work"),
    Code("ltd", "cost_centre", "3140", "Boats"),
    Code("ltd", "project", "P-0417", "Northern gauges", asks_for=("task",)),
    Code("ltd", "project", "P-0500", "Sponsored", asks_for=("task", "fund")),
    Code("ltd", "project", "P-0300", "Old harbour", open_until=date(2026, 9, 30), asks_for=("task",)),
    Code("ltd", "task", "field", "Field"), Code("ltd", "task", "lab", "Lab", parent="P-0500"),
    Code("ltd", "fund", "F1", "Coast fund"), Code("norge", "cost_centre", "9000", "Norge"),
], KEPT)  # fmt: skip


class CodingTest(TestCase):
    def test_checked_at_once(self):
        for coding, wanted in [
            (A, []),
            (B, []),
            (coded(account="6420"), ["missing cost_centre"]),
            (coded("3120", "P-0417", account="6420"), ["missing task"]),
            (coded("3120", "P-0500", "lab", account="6420"), ["missing fund"]),
            (coded("3120", "P-0500", "lab", "F1", account="6420"), []),
            (coded("3120", "P-0417", "lab", account="6420"), ["stray task"]),
            (coded("3120", "P-0300", "field", account="6420"), ["closed project"]),
            (coded("3120", "", "field", account="6420"), ["not_asked task"]),
            (coded("3120", "P-0417", "field", "F1", account="6420"), ["not_asked fund"]),
            (coded("9000", account="6420"), ["foreign cost_centre"]),
            (coded("3120", account="9999"), ["unknown account"]),
        ]:
            with self.subTest(coding=str(coding)):
                faults = [f"{fault.code} {fault.dimension}" for fault in check_coding(coding, CODES, DAY)]
                self.assertEqual(faults, wanted)


def piece(net: Money, tax: Money) -> Coded:
    return Coded("Dinner", "meals", C, net, tax, tax)


class SplitTest(TestCase):
    def test_net_and_tax_each_shared_out(self):
        (lines,) = divide([piece(eur("81.60"), eur("20.40"))], [SplitPart(A, D(60)), SplitPart(B, D(40))])
        self.assertEqual(
            [(x.net, x.recoverable) for x in lines], [(eur("48.96"), eur("12.24")), (eur("32.64"), eur("8.16"))]
        )

    def test_shares_must_add_up(self):
        for shares in ([], ["60", "30"], ["100.00001", "-0.00001"], ["0", "100"], ["33.33333", "66.66667"]):
            with self.subTest(shares), self.assertRaises(SplitError):
                check_shares([SplitPart(A, D(share)) for share in shares])

    def test_by_amount(self):
        parts = [SplitPart(A, D(0), eur("2.00")), SplitPart(B, D(0), eur("100.00"))]
        (lines,) = divide([piece(eur("81.60"), eur("20.40"))], parts)
        self.assertEqual(
            [(x.gross, x.share) for x in lines], [(eur("2.00"), D("1.9608")), (eur("100.00"), D("98.0392"))]
        )
        for whole, words in [
            ("104.00", "2.00 is left to place"), ("100.00", "2.00 too much"), ("-102.00", "the sign of what it splits"),
        ]:  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(SplitError, words):
                check_parts(parts, eur(whole))

    @given(
        st.lists(st.tuples(st.integers(0, 10**8), st.integers(0, 10**6)), min_size=1, max_size=9),
        st.lists(st.integers(1, 10**6), min_size=1, max_size=8),
    )  # fmt: skip
    def test_every_total_is_exact(self, costs, cuts):
        whole = sum(cuts)
        shares = [(D(100) * cut / whole).quantize(D("0.0001")) for cut in cuts]
        shares[-1] += D(100) - sum(shares)
        if any(share <= 0 for share in shares):
            return
        pieces = [piece(Money.from_minor(net, "EUR"), Money.from_minor(tax, "EUR")) for net, tax in costs]
        divided = divide(pieces, [SplitPart(A, s) for s in shares])
        for each, lines in zip(pieces, divided, strict=True):
            for name in ("net", "tax", "recoverable"):
                self.assertEqual(total((getattr(x, name) for x in lines), "EUR"), getattr(each, name))

    def test_of_a_claim_the_line_goes_before_its_category_and_that_before_the_whole(self):
        def line(key: str, category: str, amount: str) -> Line:
            coded_ = Coded(key, category, C, eur(amount), eur(0), eur(0))
            return Line(key, "cost", key, DAY, category, category, eur(amount), None, "", eur(amount), "", (coded_,))

        lines = [
            line("a", "meals", "10.01"),
            line("b", "meals", "10.01"),
            line("c", "taxi", "7.00"),
            line("d", "taxi", "5.00"),
        ]
        half = [SplitPart(A, D(50)), SplitPart(B, D(50))]
        shares = {"all": [SplitPart(C, D(100))], "category:meals": half, "line:c": [SplitPart(B, D(100))]}
        got = divide_lines(lines, shares, frozenset((key, 0) for key in "abc"))
        self.assertEqual(
            [[str(c.gross) for c in each.coded] for each in got],
            [["5.01", "5.00"], ["5.00", "5.01"], ["7.00"], ["5.00"]],
        )
        self.assertEqual([each.coded[0].coding.codes for each in got[2:]], [B.codes, C.codes])
        self.assertEqual(got[3].coded[0].share, None)


def claim(lines, own="0", allowance="0", miles="0", firm="0", personal="0", advance="0"):
    sums = ClaimSums(*(eur(v) for v in (own, allowance, miles, firm, personal, advance)))
    return claim_journal("claim:1", lines, settle(sums), BOOKS)


class PostingTest(TestCase):
    def test_the_dinner_over_two_cost_centres(self):
        (parts,) = divide([piece(eur("81.60"), eur("20.40"))], [SplitPart(A, D(60)), SplitPart(B, D(40))])
        got = claim(
            [PostLine("Dinner", x.coding.with_account("6420"), x.net, x.recoverable, "self") for x in parts],
            own="102.00",
        )
        rows = [(e.coding.account, e.coding.get("cost_centre"), str(e.debit), str(e.credit)) for e in got.entries]
        self.assertEqual(rows, [
            ("6420", "3120", "48.96", "0.00"), ("1410", "3120", "12.24", "0.00"),
            ("6420", "3140", "32.64", "0.00"), ("1410", "3140", "8.16", "0.00"), ("2320", "", "0.00", "102.00"),
        ])  # fmt: skip

    def test_cards_central_personal_and_advance(self):
        got = claim(
            [PostLine("Ferry", A, eur("88.20"), eur(0), "firm"), PostLine("Flight", A, eur("408"), eur(0), "central"),
             PostLine("Cinema", A, eur("16"), eur(0), "firm", personal=True), PostLine("Taxi", A, eur("300"), eur(0), "self")],
            own="300", firm="496.20", personal="16", advance="120",
        )  # fmt: skip
        self.assertEqual(got.balance("2310"), eur("-104.20"))
        self.assertEqual(got.balance("1480"), eur("-408"))
        self.assertEqual(
            (got.balance("1520"), got.balance("2320"), got.balance("1530")), (eur(-120), eur(-164), eur(0))
        )

    def test_payment_advance_and_reversal(self):
        paid = payment_journal("pay:1", eur("164"), BOOKS, "Claim C-1")
        self.assertEqual((paid.balance("2320"), paid.balance("1100")), (eur(164), eur(-164)))
        self.assertEqual(advance_journal("adv:1", eur(120), BOOKS, "Advance").balance("1520"), eur(120))
        back = paid.reversed("pay:1:reversal")
        self.assertEqual(back.balance("2320") + paid.balance("2320"), eur(0))

    def test_what_is_billed_given_back_and_told_names_its_supplier(self):
        billed = billed_journal("booking:1", eur("45.00"), TOLD, "Fee").naming("L1", (TOLD.suppliers,))
        self.assertEqual([(e.coding.account, e.party) for e in billed.entries], [("1480", ""), ("2330", "L1")])
        back = billed_journal("booking:1:2", eur("-35.00"), TOLD, "Fee")
        self.assertEqual((billed.balance("2330") + back.balance("2330"), back.balance("1480")), (eur(-10), eur(-35)))
        self.assertEqual({e.party for e in billed.reversed("x").entries}, {"", "L1"})
        self.assertEqual(advance_back_journal("b", eur(60), TOLD, "Back").balance("1520"), eur(-60))
        self.assertEqual(card_paid_journal("c", "2315", "1100", eur(120), "Bill").balance("2315"), eur(120))
        self.assertEqual(difference_journal("d", "2310", eur("-1.20"), TOLD, "Less").balance("7790"), eur("-1.20"))

    @given(
        st.lists(
            st.tuples(st.integers(-(10**6), 10**6), st.integers(-500, 500), st.booleans()), min_size=1, max_size=20
        )
    )
    def test_clearing_comes_to_what_nobody_has_claimed_once_differences_are_told(self, rows):
        """Charges in, claims at what was pending, the differences after: to the cent, whatever was booked."""
        cent = lambda n: Money.from_minor(n, "EUR")  # noqa: E731
        charged = [Charged("2310", cent(minor + more), f"charge {n}") for n, (minor, more, _) in enumerate(rows)]
        told = charges_journal("charges:1", charged, "EUR", TOLD, "Charged")
        lines = [
            PostLine(f"line {n}", A, cent(minor), cent(0), "firm") for n, (minor, _, used) in enumerate(rows) if used
        ]
        spent = total((line.net for line in lines), "EUR")
        claimed = claim_journal(
            "claim:1", lines, settle(ClaimSums(cent(0), cent(0), cent(0), spent, cent(0), cent(0))), TOLD
        )
        differ = [
            difference_journal(f"d:{n}", "2310", cent(more), TOLD, "x")
            for n, (_, more, used) in enumerate(rows)
            if used
        ]
        whole = [told, claimed, *differ]
        left = total((cent(minor + more) for minor, more, used in rows if not used), "EUR")
        self.assertEqual(total((journal.balance("2310") for journal in whole), "EUR"), left)
        self.assertEqual(told.balance("2315"), -total((each.amount for each in charged), "EUR"))
        self.assertTrue(all(journal.debits == journal.credits for journal in whole))

    def test_what_does_not_balance_cannot_be_made(self):
        with self.assertRaises(Unbalanced):
            Journal("x", "EUR", (Entry(A, eur(1), eur(0), ""),))

    @given(st.lists(st.tuples(st.integers(-10**6, 10**6), st.integers(0, 10**5), st.sampled_from(["self", "firm", "central"]),
                              st.booleans()), max_size=15), st.integers(0, 10**6))  # fmt: skip
    def test_journals_balance_and_owe_what_the_claim_comes_to(self, rows, advance):
        cent = lambda n: Money.from_minor(n, "EUR")  # noqa: E731
        lines = [
            PostLine(f"line {n}", A, cent(net), cent(tax), by, personal)
            for n, (net, tax, by, personal) in enumerate(rows)
        ]

        def add(by, personal):
            return total((x.net + x.tax for x in lines if x.paid_by == by and x.personal == personal), "EUR")

        sums = ClaimSums(
            add("self", False), cent(0), cent(0), cent(0), add("firm", True) + add("central", True), cent(advance)
        )
        settlement = settle(sums)
        got = claim_journal("claim:1", lines, settlement, BOOKS)
        self.assertEqual(got.debits, got.credits)
        self.assertTrue(all(e.debit.minor >= 0 and e.credit.minor >= 0 for e in got.entries))
        self.assertEqual(-got.balance("2320") - got.balance("1530"), settlement.due)
