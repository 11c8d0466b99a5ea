"""How long things took: the middle one, and within how long nine of ten were done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from decimal import ROUND_HALF_UP, Decimal

DAY = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Spread:
    """In days of 24 hours, to a tenth: the median, and the nearest-rank ninth tenth."""

    median: Decimal
    nine_of_ten: Decimal


def days_of(time: timedelta) -> Decimal:
    """Return a time in days, to a tenth."""
    seconds = Decimal(time // timedelta(seconds=1))
    return (seconds / (DAY // timedelta(seconds=1))).quantize(Decimal("0.1"), ROUND_HALF_UP)


def of_all(times: Sequence[timedelta]) -> Spread | None:
    """Return how times are spread; nothing for none. The median of an even number is the mean of the middle two."""
    if not times:
        return None
    rows = sorted(times)
    half = len(rows) // 2
    middle = rows[half] if len(rows) % 2 else (rows[half - 1] + rows[half]) / 2
    rank = -(-len(rows) * 9 // 10)
    return Spread(days_of(middle), days_of(rows[rank - 1]))
