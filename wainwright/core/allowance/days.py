"""The daily allowance of a journey, day by day, with workings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from decimal import Decimal

from wainwright.core.allowance.scheme import (
    ClockTimes,
    Fractions,
    HourTable,
    Rate,
    Scheme,
    rate_for,
)
from wainwright.core.journey import Journey, Meal, Place, moment
from wainwright.core.money import Money, total
from wainwright.core.workings import Step, Workings, day_text, plain

_SHARE_WORDS = {Decimal("0.75"): "three quarters", Decimal("0.5"): "half", Decimal("0.25"): "a quarter"}
ZERO, ONE = Decimal(0), Decimal(1)


@dataclass(frozen=True, slots=True)
class DayAllowance:
    """What one day earns: ``share`` of ``rate``, less supplied meals."""

    day: date
    place: Place
    rate: Rate
    share: Decimal
    reason: str
    supplied: tuple[Meal, ...]
    amount: Money
    workings: Workings


@dataclass(frozen=True, slots=True)
class Allowance:
    """All days of a journey and their sum."""

    days: tuple[DayAllowance, ...]
    amount: Money
    workings: Workings

    def on(self, day: date) -> DayAllowance | None:
        """The allowance of one day, if the day earns any at all."""
        return next((each for each in self.days if each.day == day), None)


@dataclass(frozen=True, slots=True)
class Head:
    """One of several for whom a journey earns: ``share`` of what one traveller would."""

    name: str
    share: Decimal


@dataclass(frozen=True, slots=True)
class Grants:
    """What was granted for a journey beyond the scheme: all meals supplied on every day; for whom it earns, if not for one alone."""

    meals_throughout: bool = False
    heads: tuple[Head, ...] = ()


@dataclass(frozen=True, slots=True)
class _Slot:
    """A day of the scheme before the rate is applied: its share, and why."""

    day: date
    share: Decimal
    reason: str
    meals: tuple[Meal, ...] = field(default=())


def daily_allowance(
    journey: Journey, scheme: Scheme, rates: Sequence[Rate], currency: str, grants: Grants | None = None
) -> Allowance:
    """Work out the allowance of ``journey`` in ``currency``.

    Every rate used must be in ``currency``. A journey without legs, or shorter than the scheme's
    least time, earns nothing and says so. Raises ``NoRate`` where no rate covers a place and day.
    """
    grants = grants or Grants()
    title = f"Daily allowance, {scheme.name}"
    if not journey.legs:
        return Allowance((), Money.zero(currency), Workings(title, (Step("No legs yet"),)))
    hours = journey.elapsed_hours()
    if hours < scheme.least_hours:
        step = Step(f"{plain(round(hours, 2))} hours away, fewer than {plain(scheme.least_hours)}: nothing is earned")
        return Allowance((), Money.zero(currency), Workings(title, (step,)))
    slots = _windows(journey, scheme, hours) if scheme.window == "24h" else _calendar(journey, scheme)
    slots = _with_meals(slots, journey, grants)
    days, stay, last_town = [], 0, ""
    for slot in slots:
        place = place_of_day(journey, slot.day, scheme)
        stay = stay + 1 if place.town == last_town else 1
        last_town = place.town
        day = _one_day(slot, place, stay, scheme, rates, currency)
        days.append(_for_all(day, grants.heads) if grants.heads else day)
    amount = total((each.amount for each in days), currency)
    steps = [line for each in days for line in each.workings.steps]
    steps.append(Step("Sum of the days", str(amount)))
    return Allowance(tuple(days), amount, Workings(title, tuple(steps)))


def place_of_day(journey: Journey, day: date, scheme: Scheme) -> Place:
    """Return whose rate counts on ``day``: where the night is spent, and the exceptions the scheme names."""
    night = journey.night_of(day)
    if night is not None:
        return night.place
    if day >= journey.ends.date():
        before = [each for each in journey.nights if each.date < day]
        if before:
            return max(before, key=lambda each: each.date).place
        return journey.legs[-1].origin if len(journey.legs) > 1 else journey.legs[0].target
    leg = journey.under_way_at_midnight(day)
    if leg is not None:
        return leg.target if scheme.under_way == "next" else leg.origin
    return journey.last_place_on(day)


def _one_day(
    slot: _Slot, place: Place, stay: int, scheme: Scheme, rates: Sequence[Rate], currency: str
) -> DayAllowance:
    rate = rate_for(rates, place, slot.day)
    share, reason = slot.share, slot.reason
    if scheme.long_stay_from is not None and stay >= scheme.long_stay_from:
        share *= scheme.long_stay_share
        reason += f", long stay from day {scheme.long_stay_from} at {plain(scheme.long_stay_share * 100)} %"
    earned = rate.full.times(share)
    steps = [
        Step(
            f"{day_text(slot.day)}: {reason} {rate.full} {rate.label}",
            str(earned),
            scheme.code,
            rate.since,
        )
    ]
    left = earned
    for meal in slot.meals:
        taken = _meal_value(meal, rate, share, scheme)
        left = left - taken
        steps.append(Step(f"{day_text(slot.day)}: {meal} supplied", f"−{taken}"))
    floor = Money.zero(currency)
    if scheme.meals.floor == "incidentals" and rate.incidentals is not None:
        floor = min(rate.incidentals.times(share), earned)
    if left < floor:
        steps.append(Step(f"{day_text(slot.day)}: never below {floor}", str(floor)))
        left = floor
    workings = Workings(f"{day_text(slot.day)}, {place.town or place.name}", tuple(steps))
    return DayAllowance(slot.day, place, rate, share, reason, slot.meals, left, workings)


def _for_all(day: DayAllowance, heads: Sequence[Head]) -> DayAllowance:
    """The same day for several: each their share of what one earns, rounded each by itself."""
    earned = [(head, day.amount.times(head.share)) for head in heads]
    steps = [
        Step(f"{day_text(day.day)}: {head.name}, {share_words(head.share)} of {day.amount}", str(amount))
        for head, amount in earned
    ]
    workings = Workings(day.workings.title, (*day.workings.steps, *steps))
    return replace(day, amount=total((amount for _, amount in earned), day.amount.currency), workings=workings)


def _meal_value(meal: Meal, rate: Rate, share: Decimal, scheme: Scheme) -> Money:
    if scheme.meals.by == "share":
        value = rate.full.times(scheme.meals.shares.get(meal, ZERO))
    else:
        value = rate.meals.get(meal, Money.zero(rate.full.currency))
    return value.times(share) if scheme.meals.part_day == "proportion" else value


def _with_meals(slots: list[_Slot], journey: Journey, grants: Grants) -> list[_Slot]:
    """Give every slot its supplied meals; a meal after the last slot's day counts against the last slot."""
    if not slots:
        return slots
    known = {slot.day for slot in slots}
    marks = {(day if day in known else slots[-1].day, meal) for day, meal in journey.supplied if day >= slots[0].day}
    result = []
    for slot in slots:
        meals = tuple(meal for meal in Meal if grants.meals_throughout or (slot.day, meal) in marks)
        result.append(_Slot(slot.day, slot.share, slot.reason, meals))
    return result


def _calendar(journey: Journey, scheme: Scheme) -> list[_Slot]:
    days = journey.days()
    return [_Slot(day, *_calendar_share(journey, day, days, scheme)) for day in days]


def _calendar_share(journey: Journey, day: date, days: list[date], scheme: Scheme) -> tuple[Decimal, str]:
    first, last = day == days[0], day == days[-1]
    if not first and not last:
        return ONE, "full day of"
    name = "single day" if first and last else "first day" if first else "last day"
    ends = scheme.ends
    if isinstance(ends, Fractions):
        share = ends.single if first and last else ends.first if first else ends.last
        return share, f"{name}, {share_words(share)} of"
    if isinstance(ends, ClockTimes):
        late = first and journey.starts.time() >= ends.leaving_from
        early = last and journey.ends.time() <= ends.back_until
        if late or early:
            why = f"left {journey.starts:%H:%M}" if late else f"back {journey.ends:%H:%M}"
            return ends.share, f"{name}, {why}, {share_words(ends.share)} of"
        return ONE, f"{name}, all of"
    hours = hours_on(journey, day)
    if isinstance(ends, HourTable):
        share = _from_table(ends, hours)
    else:
        # Twelfths: each hour begun since leaving, once more than ``beyond`` hours have passed.
        begun = int(hours.to_integral_value(rounding="ROUND_CEILING"))
        share = ZERO if hours <= ends.beyond else min(ONE, Decimal(begun) / 12)
        if share:
            return share, f"{name}, {plain(round(hours, 2))} h, {min(begun, 12)} twelfths of"
    return share, f"{name}, {plain(round(hours, 2))} h, {share_words(share)} of"


def _windows(journey: Journey, scheme: Scheme, hours: Decimal) -> list[_Slot]:
    if not isinstance(scheme.ends, HourTable):
        raise ValueError("a scheme of 24 hours from leaving needs a table of hours for what is left over")
    start = journey.starts.date()
    whole = int(hours // 24)
    slots = [_Slot(start + timedelta(days=n), ONE, "24 hours from leaving, all of") for n in range(whole)]
    rest = hours - 24 * whole
    if rest:
        share = _from_table(scheme.ends, rest)
        reason = f"{plain(round(rest, 2))} h left over, {share_words(share)} of"
        slots.append(_Slot(start + timedelta(days=whole), share, reason))
    return slots


def _from_table(table: HourTable, hours: Decimal) -> Decimal:
    return max((share for least, share in table.rows if hours >= least), default=ZERO)


def hours_on(journey: Journey, day: date) -> Decimal:
    """Return the elapsed hours of the journey that fall on the local ``day``, by the zones of its two ends."""
    starts, ends = journey.legs[0], journey.legs[-1]
    begin = starts.leaves_utc
    if day > journey.starts.date():
        begin = moment(datetime.combine(day, datetime.min.time()), ends.target.zone)
    end = ends.arrives_utc
    if day < journey.ends.date():
        end = moment(datetime.combine(day + timedelta(days=1), datetime.min.time()), starts.origin.zone)
    return Decimal(int((end - begin).total_seconds())) / 3600


def share_words(share: Decimal) -> str:
    """Write a share as people say it."""
    if share == 1:
        return "all"
    if share == 0:
        return "nothing"
    return _SHARE_WORDS.get(share, f"{plain(share * 100)} %")
