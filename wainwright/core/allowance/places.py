"""Whose rate a day of a journey has."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date, datetime, time, timedelta
from decimal import Decimal

from wainwright.core.allowance.periods import Period
from wainwright.core.allowance.rows import Kind
from wainwright.core.allowance.scheme import PlaceRule, Rate, rate_for
from wainwright.core.journey import Journey, Place, moment

# Who stops for less only changes; they do not work there.
WORKED = timedelta(hours=2)


def places_of(journey: Journey, period: Period, rule: PlaceRule, rates: Sequence[Rate]) -> list[tuple[Place, Decimal]]:
    """Return the places whose rates a period has, each with its share; one place but where hours are shared out.

    Raises ``NoRate`` where places are compared and one has no rate.
    """
    if rule.by == "night":
        return [(place_of_day(journey, period, rule, rates), Decimal(1))]
    since, until = rule.between if rule.by == "most" else (0, 1440)
    spent: dict[Place, int] = {}
    for place, begins, ends in _stretches(journey, rule.under_way):
        for first, last in _windows(journey, period, since, until):
            seconds = int((min(ends, last) - max(begins, first)).total_seconds())
            if seconds > 0:
                spent[place] = spent.get(place, 0) + seconds
    if not spent:
        return [(place_of_day(journey, period, rule, rates), Decimal(1))]
    if rule.by == "shared":
        whole = sum(spent.values())
        return [(place, Decimal(seconds) / whole) for place, seconds in spent.items()]
    if any(place.country for place in spent):
        # By country first: the hours in two towns of one count together.
        by_country: dict[str, int] = {}
        for place, seconds in spent.items():
            by_country[place.country] = by_country.get(place.country, 0) + seconds
        most = max(by_country, key=lambda country: by_country[country])
        spent = {place: seconds for place, seconds in spent.items() if place.country == most}
    return [(max(spent, key=lambda place: spent[place]), Decimal(1))]


def place_of_day(journey: Journey, period: Period, rule: PlaceRule, rates: Sequence[Rate]) -> Place:
    """Return the place of a day: where the night is spent, and what the scheme says of the last day and of a day out."""
    day = period.day
    night = journey.night_of(day)
    if night is not None:
        return night.place
    if day >= journey.ends.date() or period.at.kind == Kind.ONLY:
        before = [each for each in journey.nights if each.date < day]
        worked = worked_on(journey, journey.ends.date()) if before and rule.last_day == "worked" else None
        if worked is not None:
            return worked
        if before:
            return max(before, key=lambda each: each.date).place
        if rule.day_out == "highest":
            visited = [leg.target for leg in journey.legs[:-1]] or [journey.legs[0].target]
            return max(visited, key=lambda place: rate_for(rates, place, day).full.amount)
        return journey.legs[-1].origin if len(journey.legs) > 1 else journey.legs[0].target
    leg = journey.under_way_at_midnight(day)
    if leg is not None:
        return leg.target if rule.under_way == "next" else leg.origin
    return journey.last_place_on(day)


def worked_on(journey: Journey, day: date) -> Place | None:
    """Return the last place where one stopped on a day for longer than to change, the morning after a night included."""
    begins = moment(datetime.combine(day, time.min), journey.legs[-1].target.zone)
    stops = [
        (before.target, max(before.arrives_utc, begins), after.leaves_utc)
        for before, after in zip(journey.legs, journey.legs[1:], strict=False)
    ]
    long = [place for place, since, until in stops if until - since >= WORKED]
    return long[-1] if long else None


def _stretches(journey: Journey, under_way: str) -> Iterator[tuple[Place, datetime, datetime]]:
    """Where one is from when to when (UTC), from leaving to being back; under way counts for one end of the leg."""
    for number, leg in enumerate(journey.legs):
        last = number == len(journey.legs) - 1
        # Home is not a place of the journey: the way there counts for where one comes from, the way out for where one goes.
        place = leg.target if (under_way == "next" and not last) or number == 0 else leg.origin
        yield place, leg.leaves_utc, leg.arrives_utc
        if not last:
            yield leg.target, leg.arrives_utc, journey.legs[number + 1].leaves_utc


def _windows(journey: Journey, period: Period, since: int, until: int) -> Iterator[tuple[datetime, datetime]]:
    """The stretches of a period that lie between two clock times of its days, as the clocks of the day's place have them."""
    if (since, until) == (0, 1440):
        yield period.begins, period.ends
        return
    day = period.day
    zone = journey.last_place_on(day).zone
    while True:
        midnight = datetime.combine(day, time.min)
        first = moment(midnight + timedelta(minutes=since), zone)
        if first >= period.ends:
            return
        yield max(first, period.begins), min(moment(midnight + timedelta(minutes=until), zone), period.ends)
        day += timedelta(days=1)
