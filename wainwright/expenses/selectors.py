"""Reads about what lies in the tray."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation

from django.db.models import Count, Min, Prefetch, QuerySet

from wainwright import clock
from wainwright.core.fx import NoRate, RateTable, convert
from wainwright.core.matching import Charge as CoreCharge
from wainwright.core.matching import Pair, Paper, best_pairs
from wainwright.core.money import Money
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import category_for, rate_table, rulebook

SHOWN = 40
TOWNS = ("Bergen", "Florø", "Floro", "Cork", "Oslo", "Stavanger", "Dublin")


@dataclass(frozen=True)
class Row:
    """One row of the matching board: a paper, a charge, or both, and what they would become."""

    paper: Receipt | None
    charge: Charge | None
    pair: Pair | None
    becomes: str
    amount: Money | None

    @property
    def fits(self) -> bool:
        """Whether it can be taken without a look."""
        return self.pair is not None and self.pair.sure


@dataclass(frozen=True)
class Tray:
    """What is loose, as a board."""

    rows: list[Row]
    papers: int
    charges: int
    reading: int
    oldest: int
    expenses: list[Expense]

    @property
    def fitting(self) -> list[Row]:
        """The rows that fit without doubt."""
        return [row for row in self.rows if row.fits]


def paper_of(receipt: Receipt, home: str, table: RateTable) -> Paper:
    """Return a receipt as far as it was read, with its worth in ``home``."""
    amount = worth = None
    day = date.fromisoformat(receipt.value("date")) if receipt.value("date") else None
    if receipt.value("total"):
        try:
            amount = Money.of(receipt.value("total"), receipt.value("currency") or home)
            if amount.currency != home and day is not None:
                worth = convert(amount, home, day, table).home
        except (NoRate, ValueError, InvalidOperation):
            worth = None
    return Paper(str(receipt.pk), receipt.value("merchant"), day, amount, receipt.value("card"), worth)


def tray(member: Membership) -> Tray:
    """Return the board: the newest of what is loose, paired as well as it can be. Seven queries."""
    receipts = list(Receipt.objects.filter(owner=member, expense__isnull=True)[:SHOWN])
    charges = list(Charge.objects.filter(owner=member, state="Loose").select_related("card")[:SHOWN])
    expenses = list(
        Expense.objects.filter(owner=member, claim__isnull=True)
        .select_related("charge")
        .prefetch_related("receipts")
        .order_by("-date")[:SHOWN]
    )
    home, today = member.firm.currency, clock.today(member.firm.zone)
    table = rate_table(today)
    pairs = best_pairs(
        [paper_of(r, home, table) for r in receipts],
        [CoreCharge(str(c.pk), c.merchant, c.date, c.amount, c.card.last_four, TOWNS) for c in charges],
    )
    rows = _rows(member, receipts, charges, pairs)
    # The board shows the newest; what is counted and how old it is comes from all that is loose.
    counted = Charge.objects.filter(owner=member, state="Loose").aggregate(n=Count("pk"), first=Min("date"))
    kept = Receipt.objects.filter(owner=member, expense__isnull=True).aggregate(
        n=Count("pk"), first=Min("received__date")
    )
    firsts = [day for day in (counted["first"], kept["first"]) if day]
    reading = sum(not r.done for r in receipts)
    return Tray(rows, kept["n"], counted["n"], reading, (today - min(firsts)).days if firsts else 0, expenses)


def _rows(member: Membership, receipts: list[Receipt], charges: list[Charge], pairs: list[Pair]) -> list[Row]:
    categories = rulebook(member.firm).categories
    by_receipt, by_charge = {str(r.pk): r for r in receipts}, {str(c.pk): c for c in charges}

    def becomes(receipt: Receipt | None, charge: Charge | None) -> str:
        words = f"{receipt.value('merchant') if receipt else ''} {charge.merchant if charge else ''}"
        category = category_for(words, categories)
        return category.name if category else "Field supplies"

    rows = []
    for pair in sorted(pairs, key=lambda p: (not p.sure, -p.score)):
        receipt, charge = by_receipt.pop(pair.paper), by_charge.pop(pair.charge)
        rows.append(Row(receipt, charge, pair, becomes(receipt, charge), charge.amount))
    for receipt in by_receipt.values():
        total = receipt.value("total")
        amount = Money.of(total, receipt.value("currency") or member.firm.currency) if total else None
        rows.append(Row(receipt, None, None, becomes(receipt, None), amount))
    rows += [Row(None, charge, None, becomes(None, charge), charge.amount) for charge in by_charge.values()]
    return rows


def with_evidence(expenses: QuerySet[Expense]) -> QuerySet[Expense]:
    """Load expenses with their parts, shares, charge and receipts: four queries in all."""
    receipts = Receipt.objects.defer("lines")
    return expenses.select_related("charge__card").prefetch_related("parts", "shares", Prefetch("receipts", receipts))


def expense_for(member: Membership, expense_id: int) -> Expense:
    """Return an expense that ``member`` may see. Raises ``Expense.DoesNotExist``."""
    found = with_evidence(Expense.objects.visible_to(member)).select_related("claim", "firm", "charge__card")
    return found.get(pk=expense_id)


def receipt_for(member: Membership, receipt_id: int) -> Receipt:
    """Return a receipt that ``member`` may see. Raises ``Receipt.DoesNotExist``."""
    return Receipt.objects.visible_to(member).select_related("expense").prefetch_related("pages").get(pk=receipt_id)


def shown_by(expense: Expense) -> tuple[Money | None, str]:
    """Return what the evidence of an expense shows, and which evidence: the card before the paper."""
    charge = getattr(expense, "charge", None)
    if charge is not None:
        return charge.amount, "card"
    totals = []
    for receipt in expense.receipts.all():
        if receipt.value("total"):
            totals.append(Money.of(receipt.value("total"), receipt.value("currency") or expense.currency))
    if totals and all(t.currency == totals[0].currency for t in totals):
        whole = totals[0]
        for each in totals[1:]:
            whole = whole + each
        if whole.currency == expense.currency:
            return whole, "receipt"
        if expense.rate and whole.currency == expense.original_currency:
            return Money.rounded(whole.amount / Decimal(expense.rate), expense.currency), "receipt"
    return None, "receipt" if expense.receipts.all() else ""
