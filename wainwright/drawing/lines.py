"""A small line of figures over time, for the inside of a table's cell."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

WIDE, HIGH, EDGE = 120, 24, 2


def way_of(values: Sequence[Decimal]) -> str:
    """Return the points of a line through ``values`` in a box of 120 by 24: the lowest below, the highest above."""
    if len(values) < 2:
        return ""
    low, high = min(values), max(values)
    step = Decimal(WIDE - 2 * EDGE) / (len(values) - 1)
    tall = Decimal(HIGH - 2 * EDGE)
    points = []
    for n, value in enumerate(values):
        share = (value - low) / (high - low) if high > low else Decimal("0.5")
        points.append(f"{EDGE + n * step:.1f},{HIGH - EDGE - share * tall:.1f}")
    return " ".join(points)
