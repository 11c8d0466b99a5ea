"""A claim read from other sides: by coding with owners and budgets, and beside the plan that was authorised."""

from __future__ import annotations

from collections.abc import Sequence

from wainwright.claims.models import Claim
from wainwright.claims.selectors import ClaimFile
from wainwright.core.against import Actual, Against, Planned, against
from wainwright.expenses.models import Expense
from wainwright.signoff.summaries import ByCoding
from wainwright.signoff.summaries import by_coding as summary
from wainwright.trips.frozen import Frozen, thaw
from wainwright.trips.models import Leg, TripVersion

ALLOWANCE = "allowance"


def by_coding(file: ClaimFile) -> list[ByCoding]:
    """Return what each coding of a claim bears, the most first. Two queries."""
    claim = file.claim
    return summary(claim.firm, file.books, file.codings, file.budgets, claim.coding)


def signed_plan(claim: Claim) -> Frozen | None:
    """Return the plan of a claim's trip as it was signed last, nothing where none was. One query."""
    signed = TripVersion.objects.filter(pk=claim.trip.signed_id).first() if claim.trip else None
    return thaw(signed.frozen) if signed else None


def against_plan(plan: Frozen | None, file: ClaimFile) -> list[Against]:
    """Return the signed plan beside what is claimed, by what each cost came of; nothing without one. Two queries."""
    claim, trip = file.claim, file.claim.trip
    if trip is None or plan is None:
        return []
    planned = [Planned(e.key, e.label, e.category, e.amount) for e in plan.figures.estimates if e.amount]
    if plan.figures.allowance.amount:
        planned.append(Planned(ALLOWANCE, "Daily allowance", ALLOWANCE, plan.figures.allowance.amount))
    legs = list(trip.legs.all())
    came_of = {expense.key: planned_key(expense, legs) for expense in claim.expenses.all()}
    reasons: dict[str, str] = {}
    for each in file.findings:
        if each.reason is not None:
            for target in (each.finding.target, *each.finding.also):
                reasons.setdefault(target, each.reason.words)
    actual = [
        Actual(
            line.key, ALLOWANCE if line.kind == ALLOWANCE else came_of.get(line.key, line.key if line.kind == "flat" else ""), line.label,
            ALLOWANCE if line.kind == ALLOWANCE else line.category, line.says, reasons.get(line.key, ""),
        )
        for line in file.figures.lines
        if not all(piece.personal for piece in line.coded)
    ]  # fmt: skip
    return against(planned, actual, file.book.names | {ALLOWANCE: "Daily allowance"}, claim.currency)


def planned_key(expense: Expense, legs: Sequence[Leg]) -> str:
    """The key on the plan of what a cost came of: its booking, or the leg that it drove; nothing where neither is known."""
    if expense.booking_id is not None:
        return f"booking:{expense.booking_id}"
    if expense.kind != Expense.Kind.MILEAGE or not expense.origin or not expense.target:
        return ""
    towns = (expense.date, expense.origin["town"], expense.target["town"])
    return next(
        (f"leg:{leg.pk}" for leg in legs if (leg.leaves.date(), leg.origin["town"], leg.target["town"]) == towns), ""
    )
