"""A journey cut into the periods that a scheme pays for: calendar days, or 24 hours from leaving."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from wainwright.core.allowance.rows import Kind, Situation
from wainwright.core.allowance.scheme import Scheme
from wainwright.core.journey import Journey, moment

DAY = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Period:
    """One period: the day whose rate it has, its two moments (UTC), and as the rows see it."""

    day: date
    begins: datetime
    ends: datetime
    at: Situation


def periods(journey: Journey, scheme: Scheme) -> list[Period]:
    """Return the periods of a journey with legs, in order."""
    cut = _by_24_hours(journey) if scheme.window == "24h" else _by_days(journey)
    if not cut:
        return []
    night = away_overnight(journey, scheme.bed_hour)
    spans = [_hours(begins, ends) for _, _, begins, ends in cut]
    most = spans.index(max(spans))
    first, last = journey.legs[0].leaves_utc, journey.legs[-1].arrives_utc
    return [
        Period(
            day, begins, ends,
            Situation(
                kind, spans[number], journey.elapsed_hours(), night, journey.starts.time() if begins == first else None,
                journey.ends.time() if ends == last else None, _away(journey, begins, ends), number == most,
            ),
        )
        for number, (kind, day, begins, ends) in enumerate(cut)
    ]  # fmt: skip


def _by_days(journey: Journey) -> list[tuple[Kind, date, datetime, datetime]]:
    days = journey.days()
    made = []
    for day in days:
        first, last = day == days[0], day == days[-1]
        kind = Kind.ONLY if first and last else Kind.FIRST if first else Kind.LAST if last else Kind.WHOLE
        made.append((kind, day, *day_bounds(journey, day)))
    return made


def _by_24_hours(journey: Journey) -> list[tuple[Kind, date, datetime, datetime]]:
    begins, ends = journey.legs[0].leaves_utc, journey.legs[-1].arrives_utc
    day, made = journey.starts.date(), []
    while begins + DAY <= ends:
        made.append((Kind.WHOLE, day, begins, begins + DAY))
        begins, day = begins + DAY, day + DAY
    if begins < ends:
        made.append((Kind.REST, day, begins, ends))
    return made


def day_bounds(journey: Journey, day: date) -> tuple[datetime, datetime]:
    """Return the moments between which a journey falls on a local day, by the zones of its two ends."""
    starts, ends = journey.legs[0], journey.legs[-1]
    begin, end = starts.leaves_utc, ends.arrives_utc
    if day > journey.starts.date():
        begin = moment(datetime.combine(day, time.min), ends.target.zone)
    if day < journey.ends.date():
        end = moment(datetime.combine(day + DAY, time.min), starts.origin.zone)
    return begin, max(begin, end)


def away_overnight(journey: Journey, hour: int) -> bool:
    """Say whether a journey has a night away: one left on a day and is not back at ``hour`` of the next morning, local."""
    return datetime.combine(journey.starts.date() + DAY, time(hour)) < journey.ends


def _away(journey: Journey, begins: datetime, ends: datetime) -> Callable[[time], bool]:
    """Whether one is away at a clock time, local to where one left from, within a period; back at that time is not away."""
    zone = ZoneInfo(journey.legs[0].origin.zone)

    def away(at: time) -> bool:
        day, last = begins.astimezone(zone).date(), ends.astimezone(zone).date()
        while day <= last:
            if begins <= moment(datetime.combine(day, at), zone.key) < ends:
                return True
            day += DAY
        return False

    return away


def _hours(begins: datetime, ends: datetime) -> Decimal:
    return Decimal(int((ends - begins).total_seconds())) / 3600
