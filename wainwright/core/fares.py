"""The yardstick: which of the ways on offer is the cheapest that fits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from wainwright.core.money import Money

WINDOW = timedelta(minutes=90)
LONGER = timedelta(hours=2)
CABINS = ("economy", "premium", "business")


@dataclass(frozen=True, slots=True)
class Way:
    """One way on offer, with aware times."""

    key: str
    price: Money
    leaves: datetime
    arrives: datetime
    stops: int
    cabin: str = "economy"
    contracted: bool = False

    @property
    def lasts(self) -> timedelta:
        """Time on the way."""
        return self.arrives - self.leaves


@dataclass(frozen=True, slots=True)
class Asked:
    """The window asked for: to leave in, or to arrive in; nothing asked fits anything near the choice."""

    leave_from: datetime | None = None
    leave_until: datetime | None = None
    arrive_until: datetime | None = None


def fits(way: Way, choice: Way, asked: Asked, cabin: str) -> bool:
    """Say whether ``way`` is a fair comparison with ``choice``.

    Within the window asked or within 90 minutes of the choice; at most one stop more; at most two
    hours longer; no cabin above what the rules allow.
    """
    # Every way of a day is held against every other: what costs least to see is asked first.
    return (
        way.stops <= choice.stops + 1
        and CABINS.index(way.cabin) <= CABINS.index(cabin)
        and (_near(way, choice) or _within(way, asked))
        and way.lasts <= choice.lasts + LONGER
    )


def _near(way: Way, choice: Way) -> bool:
    """Whether one leaves or arrives about when the other does."""
    return abs(way.leaves - choice.leaves) <= WINDOW or abs(way.arrives - choice.arrives) <= WINDOW


def _within(way: Way, asked: Asked) -> bool:
    """Whether a way is within the window that was asked for; none was where nothing is named."""
    return (
        any((asked.leave_from, asked.leave_until, asked.arrive_until))
        and (asked.leave_from is None or way.leaves >= asked.leave_from)
        and (asked.leave_until is None or way.leaves <= asked.leave_until)
        and (asked.arrive_until is None or way.arrives <= asked.arrive_until)
    )


def yardstick(choice: Way, ways: Sequence[Way], asked: Asked, cabin: str = "economy") -> Way:
    """Return the cheapest way that fits ``choice``; a contracted fare that fits goes before the rest."""
    return next((way for way in by_price(ways) if fits(way, choice, asked, cabin)), choice)


def by_price(ways: Sequence[Way]) -> list[Way]:
    """Return ways in the order in which they are taken as a yardstick: contracted fares first, then the cheapest, the earliest."""
    return sorted(ways, key=lambda way: (not way.contracted, way.price.amount, way.leaves))


def alternatives(choice: Way, ways: Sequence[Way], asked: Asked, cabin: str = "economy") -> list[Way]:
    """Return up to three cheaper ways that fit, as evidence, the cheapest first: different journeys, each at its best fare."""
    found: dict[tuple[datetime, datetime, int], Way] = {}
    for way in sorted((way for way in ways if way.price < choice.price), key=lambda way: way.price.amount):
        if fits(way, choice, asked, cabin):
            found.setdefault((way.leaves, way.arrives, way.stops), way)
            if len(found) == 3:
                break
    return list(found.values())
