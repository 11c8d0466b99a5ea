"""Small drawings beside a figure: a line over time, a year's driving as a bar."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
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


@dataclass(frozen=True, slots=True)
class YearBar:
    """A year's driving as a bar of 100: what was driven before, this ride after it, and where rates change (place, km)."""

    before: Decimal
    ride: Decimal
    marks: tuple[tuple[Decimal, Decimal], ...]


def year_bar(so_far: Decimal, km: Decimal, limits: Sequence[Decimal]) -> YearBar:
    """Lay a ride of ``km`` after ``so_far`` on a bar that holds the last limit, and the ride itself."""
    whole = max(so_far + km, *(limit * Decimal("1.15") for limit in limits), Decimal(1))
    marks = tuple((round(limit * 100 / whole, 2), limit) for limit in limits)
    # A short ride stays visible beside thousands of kilometres.
    ride = max(round(km * 100 / whole, 2), Decimal("0.8"))
    return YearBar(min(round(so_far * 100 / whole, 2), 100 - ride), ride, marks)
