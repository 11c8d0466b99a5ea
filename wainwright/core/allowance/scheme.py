"""What a scheme can say: every choice is data, so that a new scheme needs no code."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, time
from decimal import Decimal
from typing import Literal

from wainwright.core.journey import Meal, Place
from wainwright.core.money import Money


class NoRate(LookupError):
    """No rate covers a place on a day."""


@dataclass(frozen=True, slots=True)
class Rate:
    """What one full day earns at a place, and the most a night may cost there.

    ``town`` empty means the whole country, ``country`` empty means anywhere. ``until`` is the last
    day of validity, so a season is a rate with both ends.
    """

    town: str
    country: str
    since: date
    full: Money
    meals: Mapping[Meal, Money] = field(default_factory=dict)
    incidentals: Money | None = None
    ceiling: Money | None = None
    until: date | None = None

    def covers(self, place: Place, day: date) -> bool:
        """Say whether this rate is meant for ``place`` on ``day``."""
        in_time = self.since <= day and (self.until is None or day <= self.until)
        in_town = not self.town or self.town.casefold() == place.town.casefold()
        return in_time and in_town and self.country in ("", place.country)

    @property
    def label(self) -> str:
        """The name of the place the rate was published for."""
        return self.town or self.country or "elsewhere"


def rate_for(rates: Sequence[Rate], place: Place, day: date) -> Rate:
    """Return the closest rate: the town before the country before anywhere, the latest published first.

    Raises ``NoRate`` naming the place and the day.
    """
    fitting = [rate for rate in rates if rate.covers(place, day)]
    if not fitting:
        raise NoRate(f"no rate for {place.town or place.name} on {day:%d %b %Y}")
    return max(fitting, key=lambda rate: (bool(rate.town), bool(rate.country), rate.since))


@dataclass(frozen=True, slots=True)
class Fractions:
    """A fixed share of the rate on the first day, the last day, and a journey of a single day."""

    first: Decimal
    last: Decimal
    single: Decimal


@dataclass(frozen=True, slots=True)
class HourTable:
    """The share earned from so many hours on: ``((6, 0.5), (12, 1))``; fewer hours earn nothing."""

    rows: tuple[tuple[Decimal, Decimal], ...]


@dataclass(frozen=True, slots=True)
class ClockTimes:
    """A share when leaving at or after one hour, or being back at or before another; else all."""

    leaving_from: time
    back_until: time
    share: Decimal


@dataclass(frozen=True, slots=True)
class Twelfths:
    """Nothing up to ``beyond`` hours, then a twelfth of the rate for each hour begun since leaving."""

    beyond: Decimal


@dataclass(frozen=True, slots=True)
class MealRule:
    """What a supplied meal takes away.

    ``by`` "table": the rate's own meal amounts; "share": ``shares`` of the full day's rate.
    ``part_day`` "full": in full from a part day; "proportion": at the day's share.
    ``floor`` "zero" or "incidentals": what always remains.
    """

    by: Literal["table", "share"] = "table"
    shares: Mapping[Meal, Decimal] = field(default_factory=dict)
    part_day: Literal["full", "proportion"] = "full"
    floor: Literal["zero", "incidentals"] = "zero"


@dataclass(frozen=True, slots=True)
class NightRule:
    """How nights are paid: cost up to the rate's ceiling, or ``flat`` without a receipt."""

    flat: Money | None = None
    tax_outside_ceiling: bool = False


@dataclass(frozen=True, slots=True)
class Scheme:
    """A daily allowance scheme. ``code`` and ``since`` are shown in every working."""

    code: str
    name: str
    since: date
    window: Literal["day", "24h"]
    ends: Fractions | HourTable | ClockTimes | Twelfths
    meals: MealRule = field(default_factory=MealRule)
    nights: NightRule = field(default_factory=NightRule)
    least_hours: Decimal = Decimal(0)
    under_way: Literal["left", "next"] = "left"
    long_stay_from: int | None = None
    long_stay_share: Decimal = Decimal(1)
    actual_cost_share: Decimal | None = None

    def __post_init__(self) -> None:
        if self.window == "24h" and not isinstance(self.ends, HourTable):
            raise ValueError("a scheme of 24 hours from leaving needs a table of hours for what is left over")
