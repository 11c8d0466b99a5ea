"""A scheme tried on a journey: for each period which row paid and why, and what the next that fits would have paid."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal

from wainwright.core import fx
from wainwright.core.allowance.days import Allowance, DayAllowance, daily_allowance
from wainwright.core.allowance.periods import periods
from wainwright.core.allowance.scheme import NoRate, Rate, Scheme
from wainwright.core.journey import Journey, Leg, Meal, Mode, Night, Place
from wainwright.core.money import Money
from wainwright.core.said import say


@dataclass(frozen=True, slots=True)
class Tried:
    """One period of a journey: what it earned by which row, and by which row it would have earned ``other`` else.

    ``other`` is before supplied meals, in the money of the rate; nothing where no further row fits, or it names an amount
    that the rate does not have.
    """

    day: DayAllowance
    hours: Decimal
    next_row: int
    other: Money | None


def tried(
    journey: Journey, scheme: Scheme, rates: Sequence[Rate], currency: str, table: fx.RateTable | None = None
) -> tuple[Allowance, list[Tried]]:
    """Return the allowance of a journey, and each period beside what else could have paid it. Raises ``NoRate``."""
    allowance = daily_allowance(journey, scheme, rates, currency, table=table)
    if not allowance.days:
        return allowance, []
    found = []
    for day, period in zip(allowance.days, periods(journey, scheme), strict=True):
        rest = enumerate(scheme.rows[day.row :], day.row + 1) if day.row else ()
        number, row = next(((n, row) for n, row in rest if row.fits(period.at)), (0, None))
        other = None
        if row is not None:
            try:
                other = day.rate.named(row.pays.amount).times(row.pays.part(period.at.hours))
            except NoRate:
                other = None
        found.append(Tried(day, period.at.hours, number, other))
    return allowance, found


@dataclass(frozen=True, slots=True)
class Example:
    """A journey as one tells it in a line: away from when to when, where, on to where from which day, meals supplied."""

    leaves: datetime
    back: datetime
    place: Place
    then: Place | None = None
    then_from: date | None = None
    meals: tuple[Meal, ...] = ()
    way: timedelta = timedelta(hours=2)

    def journey(self, home: Place, bed_hour: int = 3) -> Journey:
        """Return it as a journey from ``home`` and back: the way takes ``way``, or a third of the time where that is short.

        Supplied is every meal that falls between leaving and being back. Raises ``ValueError`` where it ends before it begins.
        """
        if self.back <= self.leaves:
            raise ValueError(say("it is back before it leaves"))
        way = min(self.way, (self.back - self.leaves) / 3)
        legs = [Leg(home, self.place, Mode.AIR, self.leaves, self.leaves + way)]
        last = self.place
        if self.then is not None and self.then_from is not None:
            at = datetime.combine(self.then_from, time(12))
            if self.leaves + way <= at <= self.back - way:
                legs.append(Leg(self.place, self.then, Mode.FERRY, at, at))
                last = self.then
        legs.append(Leg(last, home, Mode.AIR, self.back - way, self.back))
        days = [self.leaves.date() + timedelta(days=n) for n in range((self.back.date() - self.leaves.date()).days + 1)]
        nights = [day for day in days if datetime.combine(day + timedelta(days=1), time(bed_hour)) < self.back]
        then = self.then_from if last is self.then else None
        hours = {Meal.BREAKFAST: time(8), Meal.LUNCH: time(12, 30), Meal.DINNER: time(19)}
        marks = {
            (day, meal) for day in days for meal in self.meals
            if self.leaves <= datetime.combine(day, hours[meal]) <= self.back
        }  # fmt: skip
        return Journey(
            tuple(legs),
            tuple(Night(day, last if then is not None and day >= then else self.place) for day in nights),
            frozenset(marks),
        )
