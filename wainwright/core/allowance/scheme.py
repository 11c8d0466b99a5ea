"""What a scheme can say: every choice is data, so that a new scheme needs no code (calculations, section 4)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Decimal
from typing import Any, Literal

from wainwright.core.allowance.rows import Row
from wainwright.core.journey import Meal, Place
from wainwright.core.money import Money
from wainwright.core.said import as_figure, say

FULL = "full"
ONE = Decimal(1)


class NoRate(LookupError):
    """No rate covers a place on a day, or the one that does names no such amount."""


@dataclass(frozen=True, slots=True)
class MealSet:
    """What several meals of one day come to when they are supplied together."""

    meals: tuple[Meal, ...]
    amount: Money


@dataclass(frozen=True, slots=True)
class Rate:
    """What a day earns at a place, and the most a night may cost there.

    ``town`` empty means the whole country, ``country`` empty means anywhere. ``until`` is the last day of validity, so a
    season is a rate with both ends. ``amounts`` are further amounts by their names ("part", "long"); ``free`` is what of an
    amount, by its name, is free of tax, where that is less than what is paid; ``sets`` are meals that are cut together;
    ``flat_night`` is paid for a night without a receipt; ``ceilings`` and ``flats`` are those of kinds of lodging that
    have their own. All in one currency, which need not be the firm's. ``called`` is what journeys call the town where that is
    another name than the rate's: Düsseldorf for Dusseldorf.
    """

    town: str
    country: str
    since: date
    full: Money
    meals: Mapping[Meal, Money] = field(default_factory=dict)
    incidentals: Money | None = None
    ceiling: Money | None = None
    until: date | None = None
    amounts: Mapping[str, Money] = field(default_factory=dict)
    free: Mapping[str, Money] = field(default_factory=dict)
    sets: tuple[MealSet, ...] = ()
    flat_night: Money | None = None
    ceilings: Mapping[str, Money] = field(default_factory=dict)
    flats: Mapping[str, Money] = field(default_factory=dict)
    called: tuple[str, ...] = ()

    def covers(self, place: Place, day: date) -> bool:
        """Say whether this rate is meant for ``place`` on ``day``."""
        in_time = self.since <= day and (self.until is None or day <= self.until)
        in_town = not self.town or place.town.casefold() in self.names
        return in_time and in_town and self.country in ("", place.country)

    def named(self, name: str) -> Money:
        """Return an amount by its name. Raises ``NoRate`` where the rate gives none of that name."""
        if name == FULL:
            return self.full
        try:
            return self.amounts[name]
        except KeyError:
            raise NoRate(
                say(
                    "no amount “{name}” in the rate of {label} from {since}",
                    name=name,
                    label=self.label,
                    since=as_figure(self.since, "%d %b %Y"),
                )
            ) from None

    @property
    def names(self) -> tuple[str, ...]:
        """What its town is called, in small letters; one empty name for a whole country."""
        return tuple(dict.fromkeys(name.casefold() for name in (self.town, *self.called)))

    @property
    def label(self) -> str:
        """The name of the place the rate was published for."""
        return self.town or self.country or "elsewhere"


class Rates(Sequence[Rate]):
    """Many rates, found by their place at once however many there are."""

    def __init__(self, rates: Iterable[Rate] = ()) -> None:
        self._all = tuple(rates)
        self._by_place: dict[tuple[str, str], list[Rate]] = {}
        for rate in self._all:
            for name in rate.names:
                self._by_place.setdefault((name, rate.country), []).append(rate)

    def __getitem__(self, at: Any) -> Any:
        return self._all[at]

    def __len__(self) -> int:
        return len(self._all)

    def at(self, place: Place) -> list[Rate]:
        """Return the rates meant for a place, of any day."""
        town = place.town.casefold()
        keys = dict.fromkeys([(town, place.country), (town, ""), ("", place.country), ("", "")])
        return [rate for key in keys for rate in self._by_place.get(key, ())]


def rate_for(rates: Sequence[Rate], place: Place, day: date) -> Rate:
    """Return the closest rate: the town before the country before anywhere, the latest published first.

    Of two from one day the one with an end goes before, as a season does before the whole year. Raises ``NoRate``.
    """
    known = rates.at(place) if isinstance(rates, Rates) else rates
    fitting = [rate for rate in known if rate.covers(place, day)]
    if not fitting:
        raise NoRate(say("no rate for {town} on {day}", town=place.town or place.name, day=as_figure(day, "%d %b %Y")))
    return max(fitting, key=lambda rate: (bool(rate.town), bool(rate.country), rate.since, rate.until is not None))


@dataclass(frozen=True, slots=True)
class Rounding:
    """To whole ``unit``s of money, to the nearest (half goes up), up or down. Without a unit to the currency's own."""

    unit: Decimal | None = None
    way: Literal["nearest", "up", "down"] = "nearest"

    def of(self, amount: Money) -> Money:
        """Return the amount rounded."""
        if self.unit is None:
            return amount
        how = {"nearest": ROUND_HALF_UP, "up": ROUND_CEILING, "down": ROUND_FLOOR}[self.way]
        units = (amount.amount / self.unit).to_integral_value(rounding=how)
        return Money.rounded(units * self.unit, amount.currency)


@dataclass(frozen=True, slots=True)
class MealRule:
    """What a supplied meal takes away.

    ``by`` "table": the rate's own amounts; "share": ``shares`` of the full day's rate, also for several meals together
    ("lunch", "dinner"). ``part_day`` "full": in full from a part day; "proportion": at the day's share. ``floor`` "zero", or
    "incidentals": those stay whole, from a part day too. Each is rounded.
    """

    by: Literal["table", "share"] = "table"
    shares: Mapping[tuple[Meal, ...], Decimal] = field(default_factory=dict)
    part_day: Literal["full", "proportion"] = "full"
    floor: Literal["zero", "incidentals"] = "zero"
    rounding: Rounding = field(default_factory=Rounding)


@dataclass(frozen=True, slots=True)
class NightRule:
    """How nights are paid: cost up to the rate's ceiling, or ``flat`` without a receipt where the rate names no flat sum."""

    flat: Money | None = None
    tax_outside_ceiling: bool = False


@dataclass(frozen=True, slots=True)
class Step:
    """A lower share from so many days, or calendar months, at one place on."""

    after: int
    unit: Literal["days", "months"]
    share: Decimal

    def reached(self, since: date, day: date) -> bool:
        """Say whether a stay that began on ``since`` has come so far on ``day``."""
        if self.unit == "days":
            return day >= since + timedelta(days=self.after)
        months = since.month - 1 + self.after
        year, month = since.year + months // 12, months % 12 + 1
        # A stay from the 31st has lasted a month on the first of the month after a shorter one.
        return (day.year, day.month, day.day) >= (year, month, since.day)


@dataclass(frozen=True, slots=True)
class LongStay:
    """Lower shares for who stays long; whoever is back within ``continues_within`` days goes on with the stay before."""

    steps: tuple[Step, ...] = ()
    continues_within: int = 0

    @property
    def goes_on(self) -> int:
        """Within how many days a stay goes on where one is back: the next day always; 0 where no step pays less."""
        return max(1, self.continues_within) if self.steps else 0

    def share(self, since: date, day: date) -> Decimal:
        """Return the share of a day of a stay that began on ``since``: that of the last step that is reached."""
        reached = [step for step in self.steps if step.reached(since, day)]
        return reached[-1].share if reached else ONE


@dataclass(frozen=True, slots=True)
class PlaceRule:
    """Whose rate a day has.

    ``by`` "night": where the night is spent; "most": where most hours between two clock times (minutes of the day, the
    second up to 24:00) were spent; "shared": each place for its hours. ``last_day``: the place of the last night, or where
    one worked last. ``day_out``: the last place, or the one with the highest rate. ``under_way``: who is under way counts
    as still at the place left, or at the next one already.
    """

    by: Literal["night", "most", "shared"] = "night"
    between: tuple[int, int] = (0, 1440)
    last_day: Literal["night", "worked"] = "night"
    day_out: Literal["last", "highest"] = "last"
    under_way: Literal["left", "next"] = "left"


@dataclass(frozen=True, slots=True)
class Scheme:
    """A daily allowance scheme: for each period the first of ``rows`` that fits pays, ``supplements`` add to it.

    ``code`` and ``since`` are shown in every working. ``bed_hour``: away at this hour of the morning is a night away.
    """

    code: str
    name: str
    since: date
    window: Literal["day", "24h"]
    rows: tuple[Row, ...]
    supplements: tuple[Row, ...] = ()
    meals: MealRule = field(default_factory=MealRule)
    nights: NightRule = field(default_factory=NightRule)
    places: PlaceRule = field(default_factory=PlaceRule)
    long_stay: LongStay = field(default_factory=LongStay)
    rounding: Rounding = field(default_factory=Rounding)
    actual_cost_share: Decimal | None = None
    bed_hour: int = 3


def in_force(schemes: Scheme | Sequence[Scheme], day: date) -> Scheme:
    """Return the scheme in force on a day: the last that had begun by then, or the first where none had.

    Raises ``ValueError`` where there is none at all.
    """
    if isinstance(schemes, Scheme):
        return schemes
    if not schemes:
        raise ValueError(say("there is no allowance scheme"))
    begun = [each for each in schemes if each.since <= day]
    return max(begun, key=lambda each: each.since) if begun else min(schemes, key=lambda each: each.since)
