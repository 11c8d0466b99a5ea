"""To which journey a cost may belong, by its day alone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

BEFORE, AFTER = timedelta(days=3), timedelta(days=3)


@dataclass(frozen=True, slots=True)
class Span:
    """A journey by its key, and the days from its first to its last."""

    key: str
    starts: date
    ends: date


def may_belong_to(day: date, spans: Sequence[Span]) -> tuple[str, ...]:
    """Return the keys of the journeys that a cost of ``day`` may belong to: one where there is no doubt, none for none.

    A day within journeys belongs to one of those. A day outside all belongs to the nearest, up to three days before or
    after it: parking paid ahead, a taxi home after midnight, a charge that was booked later.
    """
    within = tuple(span.key for span in spans if span.starts <= day <= span.ends)
    if within:
        return within
    away = {
        span.key: max(span.starts - day, day - span.ends)
        for span in spans
        if span.starts - BEFORE <= day <= span.ends + AFTER
    }
    return tuple(key for key, days in away.items() if days == min(away.values()))
