"""Days that are alike can be changed together; this says which are."""

from __future__ import annotations

from datetime import date

from wainwright.core.journey import Journey, Meal


def like_days(journey: Journey, day: date) -> list[date]:
    """Return the days that are like ``day``: whole days at the same place, or the first or last alone."""
    days = journey.days()
    if day not in days or day in (days[0], days[-1]):
        return [day] if day in days else []
    night = journey.night_of(day)
    town = night.place.town if night else journey.last_place_on(day).town
    return [
        each
        for each in days[1:-1]
        if ((other := journey.night_of(each)) is not None and other.place.town == town) or each == day
    ]


def with_meal(journey: Journey, days: list[date], meal: Meal, supplied: bool) -> frozenset[tuple[date, Meal]]:
    """Return the supplied meals with ``meal`` added on, or taken off, every one of ``days``."""
    marks = {(day, meal) for day in days}
    return journey.supplied | marks if supplied else journey.supplied - marks
