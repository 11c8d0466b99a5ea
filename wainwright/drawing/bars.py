"""Bars over time: what is new above a line, what is gone below it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

WIDE, HIGH, GAP, MOST_WIDE = 560, 72, 4, 44


@dataclass(frozen=True, slots=True)
class Bar:
    """One bar: its left edge and width, the heights above and below the middle line, and what it says."""

    x: float
    wide: float
    up: float
    down: float
    name: str
    new: int
    gone: int

    @property
    def top(self) -> float:
        """Where the upper part begins."""
        return round(HIGH / 2 - self.up, 1)


def bars(rows: Sequence[tuple[str, int, int]]) -> list[Bar]:
    """Lay (name, above, below) out side by side in a box of 560 by 72; the largest of all reaches the edge.

    Whatever is not nothing can be seen.
    """
    most = max((max(up, down) for _, up, down in rows), default=0)
    if not most:
        return []
    step = min(WIDE / len(rows), MOST_WIDE)

    def high(count: int) -> float:
        return round(max(count / most * (HIGH / 2 - 1), 1.5), 1) if count else 0.0

    return [
        Bar(round(n * step, 1), round(max(step - GAP, 1.0), 1), high(up), high(down), name, up, down)
        for n, (name, up, down) in enumerate(rows)
    ]
