"""The ribbon of a claim: what happened, with the authorised plan as a ghost behind it."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from wainwright.claims.models import Claim
from wainwright.core.money import Money, add_up
from wainwright.drawing.ribbon import Ribbon, draw
from wainwright.drawing.ribbon_shapes import Plan
from wainwright.trips.frozen import Frozen
from wainwright.trips.pictures import data_of, spends_of
from wainwright.trips.selectors import load_file

# What it has beside the figures of a claim.
ROOM = 700


def ghost_ribbon(plan: Frozen | None, claim: Claim) -> Ribbon | None:
    """Draw a claim's trip as it was, the plan that was signed behind it; nothing where none was."""
    trip = claim.trip
    if trip is None or plan is None:
        return None
    file = load_file(trip.traveller, trip)
    spends = spends_of(file, list(claim.expenses.prefetch_related("receipts")))
    behind = Plan(plan.figures.journey, plan.figures.nights, _sums(plan))
    return draw(replace(data_of(file, spends), plan=behind, asks={}), ROOM)


def _sums(plan: Frozen) -> dict[date, Money]:
    """What each day was planned to cost: its estimates and its allowance."""
    spent = [(each.day, each.amount) for each in plan.figures.estimates if each.day is not None]
    days = plan.figures.journey.days()
    earned = [(day, of_day.amount) for day in days if (of_day := plan.figures.allowance.on(day)) is not None]
    return add_up(spent + earned)
