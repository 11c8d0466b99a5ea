"""A journey as the core sees it: places, legs with local times and zones, nights, and its days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import StrEnum
from zoneinfo import ZoneInfo

from wainwright.core.said import say


class Mode(StrEnum):
    """How a leg is travelled."""

    AIR = "air"
    RAIL = "rail"
    FERRY = "ferry"
    COACH = "coach"
    HIRE_CAR = "hire car"
    OWN_CAR = "own car"
    TAXI = "taxi"
    ON_FOOT = "on foot"


class Meal(StrEnum):
    """The three meals that somebody else may supply."""

    BREAKFAST = "breakfast"
    LUNCH = "lunch"
    DINNER = "dinner"


_AIRPORT = " airport"


def place_said(name: str) -> str:
    """A place's name as it is kept, for a sentence or a page: an airport's is said in the reader's language."""
    town = name.removesuffix(_AIRPORT)
    return name if town == name else say("{town_name} airport", town_name=town)


@dataclass(frozen=True, slots=True)
class Place:
    """Somewhere on earth: ``code`` is ours, ``town`` and ``country`` (ISO 3166) find the rates."""

    code: str
    name: str
    town: str
    country: str
    zone: str
    lat: float = 0.0
    lon: float = 0.0


@dataclass(frozen=True, slots=True)
class Leg:
    """One move. ``leaves`` and ``arrives`` are local wall times (naive) at their own place.

    Raises ``ValueError`` when it arrives before it leaves, measured on the world's clock.
    """

    origin: Place
    target: Place
    mode: Mode
    leaves: datetime
    arrives: datetime
    key: str = ""

    def __post_init__(self) -> None:
        if self.arrives_utc < self.leaves_utc:
            raise ValueError(
                say("{origin} to {target} arrives before it leaves", origin=self.origin.name, target=self.target.name)
            )

    @property
    def leaves_utc(self) -> datetime:
        """The moment it leaves, on the world's clock."""
        return moment(self.leaves, self.origin.zone)

    @property
    def arrives_utc(self) -> datetime:
        """The moment it arrives, on the world's clock."""
        return moment(self.arrives, self.target.zone)


# Kinds of lodging that a rate may have a ceiling, or a flat sum, of its own for.
LODGINGS = ("hotel", "guesthouse", "apartment", "private", "camp")


@dataclass(frozen=True, slots=True)
class Night:
    """The night from ``date`` to the next morning: where, in which kind of lodging, whether quarters are supplied."""

    date: date
    place: Place
    name: str = ""
    supplied: bool = False
    lodging: str = ""


@dataclass(frozen=True, slots=True)
class Journey:
    """Legs in order, nights by date, and the meals that others supply, as (day, meal)."""

    legs: tuple[Leg, ...]
    nights: tuple[Night, ...] = ()
    supplied: frozenset[tuple[date, Meal]] = frozenset()

    def __post_init__(self) -> None:
        for before, after in zip(self.legs, self.legs[1:], strict=False):
            if after.leaves_utc < before.arrives_utc:
                raise ValueError(
                    say(
                        "{origin} to {target} leaves before the leg before it has arrived",
                        origin=after.origin.name,
                        target=after.target.name,
                    )
                )

    @property
    def starts(self) -> datetime:
        """Local time of leaving."""
        return self.legs[0].leaves

    @property
    def ends(self) -> datetime:
        """Local time of being back."""
        return self.legs[-1].arrives

    def days(self) -> list[date]:
        """Every local day from leaving to being back."""
        if not self.legs:
            return []
        first, last = self.starts.date(), self.ends.date()
        return [first + timedelta(days=n) for n in range((last - first).days + 1)]

    def elapsed_hours(self) -> Decimal:
        """Hours between leaving and being back on the world's clock, whatever the zones do."""
        seconds = (self.legs[-1].arrives_utc - self.legs[0].leaves_utc).total_seconds()
        return Decimal(int(seconds)) / 3600

    def night_of(self, day: date) -> Night | None:
        """The night that begins on ``day``, if the traveller sleeps anywhere."""
        return next((night for night in self.nights if night.date == day), None)

    def last_place_on(self, day: date) -> Place:
        """Where the traveller last arrived by the end of ``day``; before any arrival, the start."""
        place = self.legs[0].origin
        for leg in self.legs:
            if leg.arrives.date() <= day:
                place = leg.target
        return place

    def bed_on(self, day: date, hour: int) -> Place | None:
        """Where a bed is needed for the night that begins on ``day``: nowhere where one is under way, or back, at ``hour``.

        A night is spent wherever the traveller is in the small hours; ``hour`` (of the next morning, local) is the firm's.
        """
        then = datetime.combine(day + timedelta(days=1), time(hour))
        if self.legs[-1].arrives <= then or any(leg.leaves <= then < leg.arrives for leg in self.legs):
            return None
        place = None
        for leg in self.legs:
            if leg.arrives <= then:
                place = leg.target
        return place

    def under_way_at_midnight(self, day: date) -> Leg | None:
        """The leg that is under way when ``day`` ends, if any."""
        return next((leg for leg in self.legs if leg.leaves.date() <= day < leg.arrives.date()), None)


def moment(local: datetime, zone: str) -> datetime:
    """Turn a wall time at a place into the moment on the world's clock (the earlier one when it is ambiguous)."""
    return local.replace(tzinfo=ZoneInfo(zone)).astimezone(UTC)
