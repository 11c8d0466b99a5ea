"""The days that are difficult, for tests and the demo: where months, years, clocks and holidays turn."""

from __future__ import annotations

import random
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta

# What makes it difficult, and the moment (UTC). At 23:30 UTC it is tomorrow in Bergen already.
DIFFICULT = {
    "the last half hour of a year, in Christmas week, the last of a month": "2026-12-31T23:30",
    "New Year's Day, a holiday at both firms, the first of a month": "2027-01-01T08:00",
    "29 February, the day before a period closes": "2028-02-29T12:00",
    "the night clocks go forward, a Sunday, Easter": "2027-03-28T00:30",
    "the night clocks go back, a Sunday": "2026-10-25T00:30",
    "a Saturday, the first of a month": "2027-05-01T05:15",
    "a Saturday like others": "2026-11-14T10:00",
    "a Sunday evening, tomorrow in summer time": "2027-06-13T23:10",
    "Easter Monday": "2027-03-29T09:00",
    "Christmas Eve": "2026-12-24T11:00",
    "the last of a month": "2027-04-30T22:30",
    "the last of February": "2027-02-28T16:00",
}
# Those that every run takes: between them they have every sort of difficulty.
FEW = list(DIFFICULT.values())[:6]
FIRST, LAST = datetime(2026, 1, 1, tzinfo=UTC), datetime(2029, 12, 31, tzinfo=UTC)


def moments(texts: Iterable[str]) -> list[datetime]:
    """Return moments from a table above: its values, or the table itself."""
    found = texts.values() if isinstance(texts, dict) else texts
    return [datetime.fromisoformat(text).replace(tzinfo=UTC) for text in found]


def draw(count: int, seed: int) -> list[datetime]:
    """Return moments of four years, drawn by a seed."""
    dice = random.Random(seed)
    minutes = int((LAST - FIRST).total_seconds() // 60)
    return sorted(FIRST + timedelta(minutes=dice.randrange(minutes)) for _ in range(count))
