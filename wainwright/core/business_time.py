"""Deadlines: business hours of an office, and calendar days in somebody's zone."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo


@dataclass(frozen=True, slots=True)
class Office:
    """An issuing office: its zone, its hours from Monday to Friday, its public holidays."""

    zone: str
    opens: time = time(9)
    closes: time = time(17)
    holidays: Container[date] = field(default_factory=frozenset)

    def works_on(self, day: date) -> bool:
        """Say whether the office is open at all on ``day``."""
        return day.weekday() < 5 and day not in self.holidays


def business_hours_before(departure: datetime, hours: Decimal, office: Office) -> datetime:
    """Count ``hours`` of business back from an aware ``departure``; return the moment in the office's zone.

    Raises ``ValueError`` for a naive departure, or where a year holds too few business hours.
    """
    if departure.tzinfo is None:
        raise ValueError("a departure needs its zone")
    zone = ZoneInfo(office.zone)
    local = departure.astimezone(zone)
    left = timedelta(seconds=int(hours * 3600))
    day = local.date()
    for _ in range(366):
        if office.works_on(day):
            opens = datetime.combine(day, office.opens, zone)
            end = min(datetime.combine(day, office.closes, zone), local)
            room = max(timedelta(0), end - opens)
            if left <= room:
                return end - left
            left -= room
        day -= timedelta(days=1)
    raise ValueError("no such moment within a year")


def due_by(back: date, days: int, zone: str) -> datetime:
    """Return the end of the day ``days`` calendar days after ``back``, in the traveller's home zone, as UTC."""
    last = back + timedelta(days=days)
    return datetime.combine(last, time(23, 59, 59), ZoneInfo(zone)).astimezone(UTC)
