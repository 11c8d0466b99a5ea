"""Seat plans by kind of craft, with some seats taken."""

from __future__ import annotations

import random

from wainwright.ports.market import SeatPlan

# Craft -> letters of a row with "|" for the aisle, rows, rows with more room for the legs.
PLANS = {
    "turboprop": ("AC|DF", 17, (1, 9)),
    "narrow": ("ABC|DEF", 28, (1, 12, 13)),
    "wide": ("AB|DEFG|JK", 34, (1, 15, 16)),
    "carriage": ("AB|CD", 15, (8,)),
}


def plan(craft: str, seed: str, full: float = 0.55) -> SeatPlan | None:
    """Return the seats of a craft; which are taken follows from the seed. Nothing for a craft without a plan."""
    if craft not in PLANS:
        return None
    letters, rows, roomy = PLANS[craft]
    rng = random.Random(f"seats {seed}")
    seats = [f"{row}{letter}" for row in range(1, rows + 1) for letter in letters if letter != "|"]
    taken = frozenset(seat for seat in seats if rng.random() < full)
    return SeatPlan(craft, letters, rows, taken, frozenset(roomy))
