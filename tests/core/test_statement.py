"""A statement: its sums, what it posts, how a correction and another advance change it and nothing else."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.codings import coded
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.posting import Accounts, claim_journal, set_off_journal
from wainwright.core.statement import Coded, Evidence, Line, Statement, between

ACCOUNTS = Accounts("2710", "1510", "2720", "1530", "1520", "1410", "1010")
CODINGS = [
    coded("3120", account="6445"),
    coded("3140", account="6445"),
    coded("3120", "P-0417", "field", account="6410"),
]
NOTHING = Money.zero("EUR")


def eur(minor: int) -> Money:
    return Money.from_minor(minor, "EUR")


@st.composite
def lines(draw) -> Line:
    number = draw(st.integers(1, 9_999))
    kind = draw(st.sampled_from(["cost", "cost", "cost", "mileage", "allowance"]))
    paid_by = draw(st.sampled_from(["self", "firm", "central"])) if kind == "cost" else "self"
    parts = []
    for place in range(draw(st.integers(1, 3))):
        gross = draw(st.integers(-5_000, 90_000))
        personal = kind == "cost" and draw(st.booleans())
        back = 0 if personal or gross <= 0 else draw(st.integers(0, gross // 5))
        parts.append(
            Coded(
                f"part {place}",
                "taxi",
                draw(st.sampled_from(CODINGS)),
                eur(gross - back),
                eur(back),
                eur(back),
                personal,
            )
        )
    says = eur(sum(p.gross.minor for p in parts))
    key = "allowance" if kind == "allowance" else f"expense:{number}"
    return Line(
        key,
        kind,
        f"Cost {number}",
        date(2026, 9, 1),
        "taxi",
        "Taxi",
        says,
        None,
        "",
        says,
        "no limit",
        tuple(parts),
        paid_by,
    )


statements = st.builds(
    lambda found, advance: Statement.of(list({line.key: line for line in found}.values()), eur(advance)),
    st.lists(lines(), max_size=6), st.integers(0, 50_000),
)  # fmt: skip


class StatementTest(TestCase):
    @given(statements)
    def test_what_it_posts_is_what_it_says(self, done):
        journal = claim_journal("k", done.post_lines, done.settlement, ACCOUNTS)
        owed = -(journal.balance("2710") + journal.balance("1510"))
        self.assertEqual(owed, done.settlement.due)
        self.assertEqual(done.torn, [])
        personal_own = sum(
            c.gross.minor for line in done.lines if line.paid_by == "self" for c in line.coded if c.personal
        )
        sums = done.settlement.sums
        said = sum(line.says.minor for line in done.lines)
        self.assertEqual(said, done.total.minor + sums.personal_on_firm_card.minor + personal_own)

    @given(statements, st.integers(0, 50_000))
    def test_another_advance_changes_what_is_due_and_nothing_else(self, done, advance):
        after = done.with_advance(eur(advance))
        self.assertEqual(after.lines, done.lines)
        self.assertEqual(done.settlement.due + done.advance, after.settlement.due + after.advance)
        changed = {c.label for c in between(done, after)}
        due = "Due to the traveller" if after.settlement.due.minor >= 0 else "Owed back to the firm"
        self.assertEqual(changed, set() if after == done else {"Advance set against it", due})

    @given(statements, st.integers(1, 50_000))
    def test_an_advance_set_off_later_leaves_the_ledger_as_if_it_had_been_known(self, done, advance):
        without = done.with_advance(NOTHING)
        posted = claim_journal("k", without.post_lines, without.settlement, ACCOUNTS)
        known = without.with_advance(eur(advance))
        back = known.settlement.owed_back - without.settlement.owed_back
        later = set_off_journal("s", eur(advance), back, ACCOUNTS, "Advance")
        journal = claim_journal("k", known.post_lines, known.settlement, ACCOUNTS)
        staff = sum(j.balance(a).minor for j in (posted, later) for a in ("2710", "1510"))
        self.assertEqual(staff, sum(journal.balance(a).minor for a in ("2710", "1510")))
        self.assertEqual((posted.balance("1520") + later.balance("1520")), journal.balance("1520"))

    @given(statements)
    def test_another_coding_moves_cost_and_never_a_sum(self, done):
        to = coded("3900")
        after = done.recoded(lambda coding: coding.get("cost_centre") == "3120", to)
        self.assertEqual(after.settlement, done.settlement)
        self.assertNotIn(("cost_centre", "3120"), after.by_code)
        self.assertEqual(
            {a for d, a in after.by_code if d == "account"}, {a for d, a in done.by_code if d == "account"}
        )
        cost = sum(amount.minor for (d, _), amount in done.by_code.items() if d == "cost_centre")
        self.assertEqual(cost, sum(amount.minor for (d, _), amount in after.by_code.items() if d == "cost_centre"))

    def test_two_versions_are_compared_line_by_line(self):
        coding = coded("3120", account="6445")
        line = Line(
            "expense:1", "cost", "Pier taxi", date(2026, 9, 7), "taxi", "Taxi", eur(2000), eur(2000), "receipt", eur(2000),
            "no limit", (Coded("Pier taxi", "taxi", coding, eur(2000), NOTHING, NOTHING),),
            evidence=(Evidence("receipt", 4, "receipt pier.jpg"),),
        )  # fmt: skip
        other = replace(line, key="expense:2", label="Ferry", coded=(replace(line.coded[0], text="Ferry"),))
        before = Statement.of([line, other], NOTHING)
        cut = replace(line, says=eur(1500), coded=(replace(line.coded[0], net=eur(1500)),))
        after = Statement.of([cut], eur(500)).recoded(lambda c: c.get("cost_centre") == "3120", coded("3140"))
        said = {(c.section, c.label): (c.before, c.after) for c in between(before, after)}
        self.assertEqual(
            said["Lines", "Pier taxi, Mon 7 Sep"],
            ("20.00, paid by the traveller, Taxi", "15.00, paid by the traveller, Taxi"),
        )
        self.assertEqual(said["Coding", "Pier taxi"], ("3120 → 6445: 20.00", "3140 → 6445: 15.00"))
        self.assertEqual(said["What it comes to", "Due to the traveller"], ("40.00", "10.00"))
        self.assertEqual(said["Lines", "Ferry, Mon 7 Sep"][1], "")
        self.assertEqual(between(after, after), [])

    def test_a_line_whose_codings_do_not_add_up_is_told(self):
        line = Line(
            "expense:1", "cost", "Torn", date(2026, 9, 7), "taxi", "Taxi", eur(2000), None, "", eur(2000), "",
            (Coded("Torn", "taxi", Coding(), eur(1999), NOTHING, NOTHING),),
        )  # fmt: skip
        self.assertEqual([each.label for each in Statement.of([line], NOTHING).torn], ["Torn"])
        self.assertEqual(line.splits, ())
        self.assertEqual(replace(line, coded=(replace(line.coded[0], share=Decimal(100)),)).splits[0].share, 100)
