"""A claim read from other sides: by coding with owners and budgets, and beside the plan that was authorised."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from wainwright.claims.models import Claim
from wainwright.claims.selectors import ClaimFile
from wainwright.core.against import Actual, Against, Planned, against
from wainwright.core.said import say
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


def signed_plans(claim: Claim) -> dict[int, Frozen]:
    """Return the plan of each of a claim's trips as it was signed last, by the trip's number. One query."""
    rows = TripVersion.objects.filter(pk__in=[trip.signed_id for trip in claim.trips])
    found = ((row.trip_id, thaw(row.frozen)) for row in rows)
    return {trip_id: plan for trip_id, plan in found if plan is not None}


def against_plan(plans: Mapping[int, Frozen], file: ClaimFile) -> list[Against]:
    """Return the signed plans beside what is claimed, by what each cost came of; nothing without one. Two queries."""
    claim = file.claim
    if not plans:
        return []
    planned = []
    for trip_id, plan in plans.items():
        planned += [Planned(e.key, e.label, e.category, e.amount) for e in plan.figures.estimates if e.amount]
        if plan.figures.allowance.amount:
            key = ALLOWANCE if trip_id == claim.trip_id else f"{ALLOWANCE}:{trip_id}"
            planned.append(Planned(key, say("Daily allowance"), ALLOWANCE, plan.figures.allowance.amount))
    legs = list(Leg.objects.filter(trip__in=claim.trips))
    came_of = {expense.key: planned_key(expense, legs) for expense in claim.expenses.all()}
    reasons: dict[str, str] = {}
    for each in file.findings:
        if each.reason is not None:
            for target in (each.finding.target, *each.finding.also):
                reasons.setdefault(target, each.reason.words)
    actual = [
        Actual(
            line.key, line.key if line.kind in (ALLOWANCE, "flat") else came_of.get(line.key, ""), line.label,
            ALLOWANCE if line.kind == ALLOWANCE else line.category, line.says, reasons.get(line.key, ""),
        )
        for line in file.figures.lines
        if not all(piece.personal for piece in line.coded)
    ]  # fmt: skip
    return against(planned, actual, file.book.names | {ALLOWANCE: say("Daily allowance")}, claim.currency)


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
