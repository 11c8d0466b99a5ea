"""The facts of a claim's risk: what its costs are beside what this person and this firm pay as a rule."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import timedelta
from decimal import Decimal, InvalidOperation

from django.db.models import Avg, Count, QuerySet
from django.db.models.functions import Lower

from wainwright.claims.models import Claim, Statement, StatementLine
from wainwright.claims.selectors import ClaimFile
from wainwright.core.money import Money
from wainwright.core.risk import Habit, Reason, Risk, Seen, claim_risk
from wainwright.core.rules import Setting
from wainwright.core.said import kept
from wainwright.expenses.models import Expense

# Habits are of the last year.
BACK = timedelta(days=365)
# Rules whose amount asks more of whoever passes it: what lies just below is looked at.
ASKING = {"missing_evidence": "over", "own_money": "over", "limit": "limit"}
SATURDAY = 5


def risk_of(claim: Claim, file: ClaimFile) -> Risk:
    """Return the risk of an open claim as it is about to be sent. Three queries."""
    expenses = {expense.key: expense for expense in file.expenses}
    costs = [line for line in file.figures.lines if line.kind == "cost" and line.key in expenses]
    categories = {line.category for line in costs}
    past = StatementLine.objects.filter(
        statement__claim__firm=claim.firm_id, statement__pk__in=_newest(claim), kind="cost", category__in=categories,
        says_minor__gt=0, day__gte=file.budget_day - BACK,
    )  # fmt: skip
    own = _habits(past.filter(statement__claim__claimant=claim.claimant_id), claim.currency)
    firm = _habits(past, claim.currency)
    names = {line.merchant.casefold() for line in costs if line.merchant}
    everywhere = StatementLine.objects.filter(statement__claim__firm=claim.firm_id).exclude(statement__claim=claim.pk)
    known = set(everywhere.annotate(name=Lower("merchant")).filter(name__in=names).values_list("name", flat=True))
    rules = file.book.rules_for(claim.claimant)
    seen = [
        Seen(
            line.key, line.label, line.says, line.category, own.get(line.category), firm.get(line.category),
            not line.merchant or line.merchant.casefold() in known, line.day.weekday() >= SATURDAY,
            tuple(_limits(expenses[line.key], rules)), _sure(expenses[line.key]), bool(line.evidence),
        )
        for line in costs
    ]  # fmt: skip
    explained = [each.finding.text for each in file.findings if each.reason is not None]
    return claim_risk(seen, explained)


def _newest(claim: Claim) -> QuerySet:
    """The statements that count of the firm's other claims."""
    return Claim.objects.live().filter(firm=claim.firm_id).exclude(pk=claim.pk).values("statement_id")


def _habits(rows: QuerySet, currency: str) -> dict[str, Habit]:
    found = rows.order_by().values("category").annotate(mean=Avg("says_minor"), count=Count("pk"))
    return {row["category"]: Habit(Money.from_minor(round(row["mean"]), currency), row["count"]) for row in found}


def _limits(expense: Expense, rules: Sequence[Setting]) -> Iterable[Money]:
    """The amounts from which a rule asks more of such a cost."""
    for setting in rules:
        name = ASKING.get(setting.kind)
        if (
            name is None
            or not setting.in_force(expense.date)
            or not setting.applies_to(expense.category)
            or setting.params.get("by") == "head"
        ):
            continue
        if setting.kind == "own_money" and expense.paid_by != "self":
            continue
        if setting.kind == "missing_evidence" and expense.receipts.all():
            continue
        yield setting.amount(name, expense.currency)


def _sure(expense: Expense) -> Decimal | None:
    """How surely the sum on its paper was read: the least sure of its papers that was read by a machine."""
    found = []
    for receipt in expense.receipts.all():
        try:
            found.append(Decimal(str(receipt.fields.get("total", {}).get("sure", ""))))
        except InvalidOperation:
            continue
    return min(found, default=None)


def risk_as_kept(row: Statement) -> Risk:
    """Return the risk of a claim as its statement keeps it."""
    return Risk(row.risk, tuple(Reason(points, kept(words)) for points, words in row.risk_why))
