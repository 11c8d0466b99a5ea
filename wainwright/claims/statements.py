"""Reads of statements: from their rows back to the core's values, as they were kept and from nothing else."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db.models import QuerySet

from wainwright.claims.models import Claim, StatementCoding, StatementFinding, StatementLine
from wainwright.claims.models import Statement as Row
from wainwright.core.money import Money
from wainwright.core.rules import Cure, Finding, Level
from wainwright.core.said import kept, say
from wainwright.core.settlement import ClaimSums, Settlement
from wainwright.core.statement import Coded, Evidence, Line, Statement, between
from wainwright.core.versions import Change
from wainwright.core.workings import Step, Workings
from wainwright.prepared import prepared
from wainwright.rulebook.selectors import Explained


@dataclass(frozen=True)
class Certified:
    """A reason as it was certified, in the shape of the row it came from."""

    reason: str
    words: str


@dataclass(frozen=True)
class Version:
    """One version of a statement, and how it differs from the one before."""

    row: Row
    statement: Statement
    changes: list[Change]


def read(row: Row, currency: str) -> Statement:
    """Return a statement as the core knows it. Two queries."""
    return _read_all([row], currency)[0]


def findings_of(row: Row) -> list[Explained]:
    """Return what was found when it was certified, with the reasons given. One query."""
    return [_finding(each) for each in _findings(row.pk)]


def versions(claim: Claim) -> list[Version]:
    """Return every version of a claim's statement, the newest first, each beside the one before. Three queries."""
    rows = list(claim.statements.select_related("by__person"))
    read_ = _read_all(rows, claim.currency)
    found = [
        Version(row, statement, between(read_[index - 1], statement) if index else [])
        for index, (row, statement) in enumerate(zip(rows, read_, strict=True))
    ]
    return found[::-1]


def _read_all(rows: Sequence[Row], currency: str) -> list[Statement]:
    coded: dict[int, list[StatementCoding]] = {}
    # One alone is what every page of a claim reads.
    alone = rows[0].pk if len(rows) == 1 else None
    codings = StatementCoding.objects.filter(line__statement__in=rows).order_by("line_id", "order")
    for each in codings if alone is None else _codings(alone):
        coded.setdefault(each.line_id, []).append(each)
    lines: dict[int, list[Line]] = {row.pk: [] for row in rows}
    in_order = StatementLine.objects.filter(statement__in=rows).order_by("statement_id", "order")
    for line in in_order if alone is None else _lines(alone):
        lines[line.statement_id].append(_line(line, coded.get(line.pk, []), currency))
    return [Statement(currency, tuple(lines[row.pk]), _settlement(row, currency)) for row in rows]


@prepared
def _codings(statement: int) -> QuerySet[StatementCoding]:
    return StatementCoding.objects.filter(line__statement_id=statement).order_by("line_id", "order")


@prepared
def _lines(statement: int) -> QuerySet[StatementLine]:
    return StatementLine.objects.filter(statement_id=statement).order_by("order")


@prepared
def _findings(statement: int) -> QuerySet[StatementFinding]:
    return StatementFinding.objects.filter(statement_id=statement)


def _settlement(row: Row, currency: str) -> Settlement:
    def money(minor: int) -> Money:
        return Money.from_minor(minor, currency)

    sums = ClaimSums(
        money(row.own_money_minor), money(row.allowance_minor), money(row.mileage_minor), money(row.firm_paid_minor),
        money(row.personal_minor), money(row.advance_minor), money(row.earlier_minor),
        money(row.flat_minor),
    )  # fmt: skip
    steps = tuple(Step(kept(what), worth) for what, worth in row.workings)
    to_traveller = max(row.due_minor, 0) - row.to_issuer_minor
    return Settlement(
        sums, money(row.due_minor), money(row.to_issuer_minor), money(to_traveller), money(max(-row.due_minor, 0)),
        Workings(say("What it comes to"), steps),
    )  # fmt: skip


def _kept(each: object) -> object:
    return kept(each) if isinstance(each, str) else each


def _line(row: StatementLine, coded: Sequence[StatementCoding], currency: str) -> Line:
    def money(minor: int) -> Money:
        return Money.from_minor(minor, currency)

    return Line(
        row.key, row.kind, kept(row.label), row.day, row.category, row.category_name,  # type: ignore[arg-type]
        money(row.says_minor), None if row.shows_minor is None else money(row.shows_minor), kept(row.shows_by),
        money(row.allows_minor), kept(row.allows_by),
        tuple(
            Coded(
                kept(c.text), c.category, c.coding.with_account(c.account), money(c.net_minor), money(c.tax_minor),
                money(c.recoverable_minor), c.personal, c.share, c.over, c.refused,
            )
            for c in coded
        ),
        row.paid_by, row.merchant, row.guests, row.card, row.card_account,  # type: ignore[arg-type]
        None if row.original_minor is None else Money.from_minor(row.original_minor, row.original_currency),
        row.rate, row.rate_source, tuple(Evidence(*map(_kept, each)) for each in row.evidence), tuple(row.nights),
        tuple(map(kept, row.workings)), money(row.taxed_minor) if row.kind == "allowance" else None,
    )  # fmt: skip


def _finding(row: StatementFinding) -> Explained:
    finding = Finding(
        row.identity, row.rule, Level(row.level), kept(row.text), row.rule_text, Cure(kept(row.cure), row.target), row.target, None,
        tuple(row.also),
    )  # fmt: skip
    return Explained(finding, Certified(row.reason, row.words) if row.words else None)  # type: ignore[arg-type]
