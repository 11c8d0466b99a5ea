"""The daily allowance of a journey, period by period, with workings."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal

from wainwright.core import fx
from wainwright.core.allowance.homeward import at_home
from wainwright.core.allowance.meals import cuts, kept
from wainwright.core.allowance.periods import Period, periods
from wainwright.core.allowance.places import places_of
from wainwright.core.allowance.rows import Kind, Row, share_words
from wainwright.core.allowance.scheme import LongStay, Rate, Scheme, in_force, rate_for
from wainwright.core.journey import Journey, Meal, Place
from wainwright.core.money import Money, total
from wainwright.core.said import joined, say
from wainwright.core.workings import Step, Workings, day_text, plain

ZERO, ONE = Decimal(0), Decimal(1)
KINDS = {
    Kind.ONLY: say("single day"), Kind.FIRST: say("first day"), Kind.LAST: say("last day"), Kind.WHOLE: say("24 hours from leaving"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class DayAllowance:
    """What one period earns: by which ``row`` (its number, from 1; 0: none fits), less supplied meals.

    ``share`` is which part of the row's amount is paid. ``taxed`` is what of the amount is above what is free of tax.
    """

    day: date
    place: Place
    rate: Rate
    share: Decimal
    reason: str
    supplied: tuple[Meal, ...]
    amount: Money
    workings: Workings
    row: int = 0
    taxed: Money | None = None


@dataclass(frozen=True, slots=True)
class Allowance:
    """All days of a journey and their sum."""

    days: tuple[DayAllowance, ...]
    amount: Money
    workings: Workings

    def on(self, day: date) -> DayAllowance | None:
        """The allowance of one day, if the day earns any at all."""
        return next((each for each in self.days if each.day == day), None)

    @property
    def taxed(self) -> Money:
        """What of it is above what is free of tax, for payroll."""
        return total((each.taxed for each in self.days if each.taxed is not None), self.amount.currency)


@dataclass(frozen=True, slots=True)
class Head:
    """One of several for whom a journey earns: ``share`` of what one traveller would."""

    name: str
    share: Decimal


@dataclass(frozen=True, slots=True)
class Stay:
    """An earlier stay at a place, of a journey before: from its first day to its last."""

    town: str
    country: str
    since: date
    until: date


@dataclass(frozen=True, slots=True)
class Grants:
    """What a journey has beside itself: all meals supplied on every day; for whom it earns, if not for one alone; stays before it."""

    meals_throughout: bool = False
    heads: tuple[Head, ...] = ()
    earlier: tuple[Stay, ...] = ()


def stays_of(nights: Iterable[tuple[date, str, str]], within: int) -> tuple[Stay, ...]:
    """Return the stays that nights (day, town, country) make up: who is back at a place ``within`` days goes on with one stay.

    A stay lasts to the day after its last night, on which one leaves. Of each place the last stay alone.
    """
    found: dict[tuple[str, str], Stay] = {}
    for day, town, country in sorted(nights):
        key, leaves = (town.casefold(), country), day + timedelta(days=1)
        before = found.get(key)
        goes_on = before is not None and day - before.until <= timedelta(days=max(1, within))
        found[key] = Stay(town, country, before.since if before is not None and goes_on else day, leaves)
    return tuple(found.values())


def daily_allowance(
    journey: Journey, scheme: Scheme | Sequence[Scheme], rates: Sequence[Rate], currency: str, grants: Grants | None = None,
    table: fx.RateTable | None = None,
) -> Allowance:  # fmt: skip
    """Work out the allowance of ``journey`` in ``currency``.

    ``scheme``: one, or several of which each day has the one in force; the windows are those of the day of leaving.
    ``table``: for rates in another currency, by its rate of each day. A journey without legs earns nothing and says so.
    Raises ``NoRate`` where no rate covers a place and day, or no rate of exchange is known.
    """
    grants = grants or Grants()
    begun = in_force(scheme, journey.starts.date()) if journey.legs else in_force(scheme, date.max)
    title = say("Daily allowance, {begun}", begun=begun.name)
    if not journey.legs:
        return Allowance((), Money.zero(currency), Workings(title, (Step(say("No legs yet")),)))
    cut = periods(journey, begun)
    meals = _meals(cut, journey, grants)
    stays, days = _Stays(grants.earlier), []
    for period in cut:
        here = in_force(scheme, period.day)
        # A journey is cut once: rows for other periods than its own say nothing of it.
        here = here if here.window == begun.window else begun
        day = _period(journey, period, meals[period.day], here, rates, stays)
        day = _at_home(day, currency, table)
        days.append(_for_all(day, grants.heads) if grants.heads else day)
    amount = total((each.amount for each in days), currency)
    steps = [line for each in days for line in each.workings.steps]
    steps.append(Step(say("Sum of the days"), str(amount)))
    return Allowance(tuple(days), amount, Workings(title, tuple(steps)))


class _Stays:
    """Since when one has been at a place, over a journey and those before it."""

    def __init__(self, earlier: Sequence[Stay]) -> None:
        self.known = {
            (each.town.casefold(), each.country): (each.since, each.until)
            for each in sorted(earlier, key=lambda s: s.until)
        }

    def since(self, place: Place, day: date, rule: LongStay) -> date:
        """Return since when one is at ``place``, having come to ``day``: a short absence breaks no stay."""
        key = (place.town.casefold(), place.country)
        since, until = self.known.get(key, (day, day))
        if day - until > timedelta(days=max(1, rule.continues_within)):
            since = day
        self.known[key] = (since, day)
        return since


def _period(
    journey: Journey, period: Period, meals: tuple[Meal, ...], scheme: Scheme, rates: Sequence[Rate], stays: _Stays
) -> DayAllowance:
    number, row = next(((n, each) for n, each in enumerate(scheme.rows, 1) if each.fits(period.at)), (0, None))
    shared = places_of(journey, period, scheme.places, rates)
    place = max(shared, key=lambda each: each[1])[0]
    rate = rate_for(rates, place, period.day)
    when = day_text(period.day)
    long = scheme.long_stay.share(stays.since(place, period.day, scheme.long_stay), period.day)
    nothing = Money.zero(rate.full.currency)
    title = joined("", (when, ", ", place.town or place.name))
    if row is None:
        reason = say(
            "{kind}, {hours} h: no row of the scheme fits, nothing is earned",
            kind=_kind(period, scheme),
            hours=plain(round(period.at.hours, 2)),
        )
        workings = Workings(title, (Step(joined("", (when, ": ", reason)), str(nothing), scheme.code, scheme.since),))
        return DayAllowance(period.day, place, rate, ZERO, reason, meals, nothing, workings)
    part = row.pays.part(period.at.hours)
    reason, steps, earned, free = _reason(row, period, scheme), [], nothing, nothing
    for each, weight in shared:
        local = rate_for(rates, each, period.day)
        named = local.named(row.pays.amount)
        paid = named.times(part * weight)
        hours = say(", {weight} % of the hours", weight=plain(round(weight * 100, 1))) if len(shared) > 1 else ""
        steps.append(
            Step(
                joined("", (when, ": ", reason, " ", named, " ", local.label, hours)),
                str(paid),
                scheme.code,
                local.since,
            )
        )
        earned += paid
        free += local.free.get(row.pays.amount, named).times(part * weight)
    for more in scheme.supplements:
        if more.fits(period.at):
            named = rate.named(more.pays.amount)
            added = named.times(more.pays.part(period.at.hours))
            words = joined(", ", [more.name or "supplement", *more.because(period.at)])
            steps.append(
                Step(
                    joined("", (when, ": ", words, ", ", more.pays.words(period.at.hours), " ", named)),
                    f"+{added}",
                    scheme.code,
                )
            )
            earned += added
            free += rate.free.get(more.pays.amount, named).times(more.pays.part(period.at.hours))
    if long != ONE:
        earned, free = earned.times(long), free.times(long)
        reason += say(", long stay at {long} %", long=plain(long * 100))
        steps.append(
            Step(say("{when}: long stay, {long} % of it", when=when, long=plain(long * 100)), str(earned), scheme.code)
        )
    rounded = scheme.rounding.of(earned)
    if rounded != earned:
        steps.append(
            Step(
                say("{when}: rounded to {unit}", when=when, unit=plain(scheme.rounding.unit or ONE)),
                str(rounded),
                scheme.code,
            )
        )
    whole = earned = rounded
    floor = kept(scheme.meals, rate, whole)
    for words, taken in cuts(meals, scheme.meals, rate, part * long):
        earned, free = earned - taken, free - taken
        steps.append(Step(say("{when}: {words} supplied", when=when, words=words), f"−{taken}"))
    if earned < floor:
        steps.append(Step(say("{when}: never below {floor}", when=when, floor=floor), str(floor)))
        earned = floor
    taxed = max(nothing, earned - max(nothing, free))
    if taxed:
        steps.append(
            Step(say("{when}: of it above what is free of tax", when=when), str(taxed), scheme.code, rate.since)
        )
    return DayAllowance(
        period.day, place, rate, part * long, reason, meals, earned, Workings(title, tuple(steps)), number, taxed
    )


def _kind(period: Period, scheme: Scheme) -> str:
    at = period.at
    if at.kind == Kind.REST:
        return say("{hours} h left over", hours=plain(round(at.hours, 2)))
    return say("full day") if at.kind == Kind.WHOLE and scheme.window == "day" else KINDS[at.kind]


def _reason(row: Row, period: Period, scheme: Scheme) -> str:
    """Which period it is, why its row fits, and what that pays: goes on with the amount."""
    kind, because = _kind(period, scheme), row.because(period.at)
    if (
        kind == "full day"
        and not because
        and row.pays.share == ONE
        and row.pays.amount == "full"
        and not row.pays.hourly
    ):
        return say("full day of")
    said = [row.name if row.name and row.name != kind else "", *because, row.pays.words(period.at.hours)]
    return joined(", ", [kind, *(each for each in said if each)])


def _at_home(day: DayAllowance, currency: str, table: fx.RateTable | None) -> DayAllowance:
    """The same day in the firm's own currency, by the rate of that day."""
    if day.amount.currency == currency:
        return day
    worth, how = at_home(day.amount, currency, day.day, table)
    taxed = None if day.taxed is None else at_home(day.taxed, currency, day.day, table)[0]
    steps = (*day.workings.steps, *how)
    return replace(day, amount=worth, taxed=taxed, workings=Workings(day.workings.title, steps))


def _for_all(day: DayAllowance, heads: Sequence[Head]) -> DayAllowance:
    """The same day for several: each their share of what one earns, rounded each by itself."""
    earned = [(head, day.amount.times(head.share)) for head in heads]
    steps = [
        Step(
            say(
                "{day}: {head}, {share_words} of {day_amount}",
                day=day_text(day.day),
                head=head.name,
                share_words=share_words(head.share),
                day_amount=day.amount,
            ),
            str(amount),
        )
        for head, amount in earned
    ]
    currency = day.amount.currency
    taxed = None if day.taxed is None else total((day.taxed.times(head.share) for head in heads), currency)
    workings = Workings(day.workings.title, (*day.workings.steps, *steps))
    return replace(day, amount=total((amount for _, amount in earned), currency), taxed=taxed, workings=workings)


def _meals(cut: Sequence[Period], journey: Journey, grants: Grants) -> dict[date, tuple[Meal, ...]]:
    """Supplied meals by the day of their period; a meal after the last period's day counts against the last."""
    if not cut:
        return {}
    known, last = {period.day for period in cut}, cut[-1].day
    marks = {(day if day in known else last, meal) for day, meal in journey.supplied if day >= cut[0].day}
    return {
        day: tuple(meal for meal in Meal if grants.meals_throughout or (day, meal) in marks) for day in known
    }  # fmt: skip
