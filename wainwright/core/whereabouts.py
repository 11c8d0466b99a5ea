"""In which country a cost was paid, which decides whether its tax can be reclaimed: by place, never by currency alone."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta

from wainwright.core.journey import Journey
from wainwright.core.said import say


@dataclass(frozen=True)
class Whereabouts:
    """Where a journey was on each of its days, as countries (ISO 3166), and the towns that it touched."""

    by_day: Mapping[date, frozenset[str]] = field(default_factory=dict)
    towns: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Paid:
    """The country of a cost where it is known, whether it is another than the firm's, and how that is known."""

    country: str
    abroad: bool
    why: str


def whereabouts(journey: Journey) -> Whereabouts:
    """Return where a journey was: on a day with a move, at both ends of it; else where one slept before and after."""
    days: dict[date, set[str]] = {}
    towns: dict[str, str] = {}
    for leg in journey.legs:
        for place, moment in ((leg.origin, leg.leaves), (leg.target, leg.arrives)):
            days.setdefault(moment.date(), set()).add(place.country)
            towns[place.town.casefold()] = place.country
    for night in journey.nights:
        for day in (night.date, night.date + timedelta(days=1)):
            days.setdefault(day, set()).add(night.place.country)
        towns[night.place.town.casefold()] = night.place.country
    return Whereabouts({day: frozenset(found) for day, found in days.items()}, towns)


def paid_in(
    home: str, day: date, said: str, papers: Collection[str], merchant: str, where: Whereabouts, foreign_currency: bool
) -> Paid:  # fmt: skip
    """Return where a cost was paid: as its owner says, as its papers say, by the merchant's town, by the trip's day.

    Papers or towns that name several countries settle nothing. Where the day was spent in both, or no place is known,
    a foreign currency makes it foreign, since tax that was not paid at home is never reclaimed at home.
    """
    words = f" {merchant.casefold()} "
    named = {country for town, country in where.towns.items() if f" {town} " in words}
    for found, why in (
        (frozenset({said}) - {""}, say("as typed")),
        (frozenset(papers), say("on the paper")),
        (frozenset(named), say("the merchant's town")),
    ):
        if len(found) == 1:
            country = next(iter(found))
            return Paid(country, country != home, why)
    that_day = where.by_day.get(day, frozenset())
    if len(that_day) == 1 and home not in that_day:
        return Paid(next(iter(that_day)), True, say("where the day was spent"))
    if foreign_currency:
        return Paid("", True, say("its currency"))
    return Paid(home, False, say("at home"))
