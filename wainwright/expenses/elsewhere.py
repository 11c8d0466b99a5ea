"""Costs that may be the same as some at hand: recorded elsewhere, by whomever, under whatever name."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from datetime import date
from typing import Any

from django.db.models import Count, F, OuterRef, QuerySet, Subquery, Window

from wainwright.core.money import Money
from wainwright.core.rules.facts import Known
from wainwright.core.said import as_figure, say
from wainwright.expenses.models import Expense, Receipt
from wainwright.prepared import padded, prepared

KNOWN = (
    "pk", "merchant", "description", "date", "amount_minor", "owner__person__name", "claim__number",
    "charge__merchant", "paper_name", "paper_read",
)  # fmt: skip
PK, DAY, MINOR = (KNOWN.index(name) for name in ("pk", "date", "amount_minor"))


def _with_names(rows: QuerySet[Expense]) -> QuerySet[Expense]:
    """Costs with what their first paper calls the merchant: as it was put right, and as it was read."""
    papers = Receipt.objects.filter(expense=OuterRef("pk")).order_by("place", "received", "pk")
    return rows.annotate(
        paper_name=Subquery(papers.values("fields__merchant__value")[:1]),
        paper_read=Subquery(papers.values("fields__merchant__read")[:1]),
    )


def names_of(expense: Expense) -> tuple[str, ...]:
    """Return what its charge and its papers call the merchant of a cost, loaded with its evidence."""
    charge = getattr(expense, "charge", None)
    read = [receipt.fields.get("merchant", {}) for receipt in expense.receipts.all()]
    found = [charge.merchant if charge else "", *(each.get(name, "") for each in read for name in ("value", "read"))]
    return tuple(dict.fromkeys(filter(None, found)))


def known_like(
    firm_id: int, currency: str, costs: Collection[tuple[date, int]], besides: Collection[int],
    papers: Collection[str] = (),
) -> list[Known]:  # fmt: skip
    """Costs recorded elsewhere that share a day and an amount with some, or a paper by its hash: candidates for a duplicate.

    Two queries at most, none for nothing.
    """
    if not costs:
        return []
    own = set(besides)
    same = _with_papers(firm_id, *padded(own), *padded(papers)) if papers else []
    twins = [_paper_known(each) for each in same]
    rows = _of_days(firm_id, *padded({day for day, _ in costs}), *padded({minor for _, minor in costs}))
    # The day of one and the amount of another are no pair.
    alike = set(costs)
    others = (row for row in rows if (row[DAY], row[MINOR]) in alike and row[PK] not in own)
    return twins + [_row_known(row, currency) for row in others]


@prepared
def _with_papers(firm: int, *sought: int | str) -> QuerySet[Receipt]:
    """Papers that lie with a cost, by their hashes: but those of some costs, by their numbers."""
    papers, own = [each for each in sought if isinstance(each, str)], [each for each in sought if isinstance(each, int)]
    rows = Receipt.objects.filter(firm_id=firm, sha256__in=papers, expense__isnull=False).exclude(expense__in=own)
    return rows.select_related("expense__owner__person", "expense__claim").order_by("pk")


@prepared
def _of_days(firm: int, *sought: date | int) -> QuerySet:
    """Costs of some days that have some amounts, in minor units."""
    days, minors = (
        [each for each in sought if isinstance(each, date)],
        [each for each in sought if isinstance(each, int)],
    )
    rows = _with_names(Expense.objects.filter(firm_id=firm, date__in=days, amount_minor__in=minors))
    return rows.exclude(merchant="").order_by("pk").values_list(*KNOWN)


class Elsewhere:
    """What ``known_like`` would find for any claim of a firm, looked up once for many claims: two queries.

    Held are the costs that share their day and amount with another, and the papers that lie with several costs.
    """

    def __init__(self, firm_id: int, currency: str) -> None:
        self._costs: dict[tuple[date, int], list[Known]] = defaultdict(list)
        self._papers: dict[str, list[Known]] = defaultdict(list)
        alike = Window(Count("pk"), partition_by=[F("date"), F("amount_minor")])
        rows = (
            _with_names(Expense.objects.filter(firm_id=firm_id))
            .exclude(merchant="")
            .annotate(alike=alike)
            .filter(alike__gt=1)
            .order_by("pk")
        )
        for row in rows.values_list(*KNOWN):
            known = _row_known(row, currency)
            self._costs[known.day, known.amount.minor].append(known)
        twice = Window(Count("pk"), partition_by=[F("sha256")])
        papers = (
            Receipt.objects.filter(firm_id=firm_id, expense__isnull=False).annotate(twice=twice).filter(twice__gt=1)
        )
        for paper in papers.select_related("expense__owner__person", "expense__claim").order_by("pk"):
            self._papers[paper.sha256].append(_paper_known(paper))

    def beside(self, expenses: Sequence[Expense]) -> list[Known]:
        """Return what may be the same as some costs of a claim, those themselves left out."""
        own = {expense.key for expense in expenses}
        papers = {receipt.sha256 for expense in expenses for receipt in expense.receipts.all()}
        found = [known for paper in sorted(papers) for known in self._papers.get(paper, ())]
        for spot in sorted({(expense.date, expense.amount_minor) for expense in expenses}):
            found += self._costs.get(spot, ())
        return [known for known in found if known.key not in own]


def _row_known(row: tuple[Any, ...], currency: str) -> Known:
    """A cost as ``KNOWN`` reads it."""
    pk, merchant, description, day, minor, name, number, *others = row
    amount, names = Money.from_minor(minor, currency), tuple(each for each in others if isinstance(each, str) and each)
    return Known(f"expense:{pk}", description or merchant, _where(number, name), merchant, day, amount, names=names)


def _paper_known(paper: Receipt) -> Known:
    expense = paper.expense
    if expense is None:
        raise ValueError("a paper that lies loose is with no cost")
    where = _where(expense.claim and expense.claim.number, expense.owner.name)
    return Known(expense.key, expense.label, where, expense.merchant, expense.date, expense.amount, (paper.sha256,))


def _where(claim: int | None, owner: str) -> str:
    return (
        say("claim C-{claim} of {owner}", claim=as_figure(claim, "04d"), owner=owner)
        if claim
        else say("the tray of {owner}", owner=owner)
    )
