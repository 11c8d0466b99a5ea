"""Journeys that were made, as other schemes or rates would pay them, beside what they earn by what is in force."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from django.db.models import QuerySet

from wainwright.core.allowance import NoRate, Rate, Rates, Scheme, Stay, daily_allowance, stays_of
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.rulebook import rate_sheets
from wainwright.rulebook.models import RateSheet
from wainwright.rulebook.selectors import Rulebook, exchange_of, rate_of
from wainwright.trips.figures import LONG_AGO, MADE, grants_of, journey_of
from wainwright.trips.models import Night, Trip


@dataclass(frozen=True)
class Before:
    """One trip: what it earns by what is in force, and what it would by the scheme that is tried; why not, where it cannot."""

    trip: Trip
    was: Money
    would: Money
    fault: str = ""

    @property
    def more(self) -> Money:
        """What it would earn more."""
        return self.would - self.was


@dataclass(frozen=True)
class Instead:
    """What journeys are tried on: a scheme as if it had always been in force, or other rates; the rest is as it is."""

    book: Rulebook
    schemes: Scheme | Sequence[Scheme]
    rates: Rates
    within: int

    @classmethod
    def by_scheme(cls, book: Rulebook, scheme: Scheme) -> Instead:
        """By another scheme, on the rates that are there."""
        return cls(book, scheme, book.rates, scheme.long_stay.goes_on)

    @classmethod
    def by_sheet(cls, book: Rulebook, sheet: RateSheet, until: date, since: date) -> Instead:
        """By the rates of a table that is not taken, as if each had held: one of a season in the last such season before
        ``until``, the others from ``since`` on. Raises ``NoRate`` never.
        """
        home = book.firm.currency
        rows = [
            row.rate
            for row in rate_sheets.checked(sheet)
            if row.rate is not None and row.what in (rate_sheets.NEW, rate_sheets.CHANGED)
        ]
        new = [_earlier(rate_of(row, home), until, since) for row in rows]
        always = {(rate.town.casefold(), rate.country) for rate in new if rate.until is None}
        # What stands there for a place gives way to what always holds; a season only goes before it.
        kept = [rate for rate in book.rates if (rate.town.casefold(), rate.country) not in always]
        return cls(book, book.schemes, Rates([*kept, *new]), book.stays_go_on)


def _earlier(rate: Rate, until: date, since: date) -> Rate:
    if rate.until is None:
        return replace(rate, since=min(rate.since, since))
    begins, ends = rate.since, rate.until
    while begins > until:
        begins, ends = _year_before(begins), _year_before(ends)
    return replace(rate, since=begins, until=ends)


def _year_before(day: date) -> date:
    return day.replace(year=day.year - 1, day=28) if (day.month, day.day) == (2, 29) else day.replace(year=day.year - 1)


def compared(rows: QuerySet[Trip], instead: Instead, nights: Nights) -> Iterator[Before]:
    """Yield journeys with what each earns and what it would; those that cannot be reckoned by what is in force are left out.

    Four queries for all of them.
    """
    book = instead.book
    currency = book.firm.currency
    for trip in rows.select_related("traveller__person", "moves_with").prefetch_related("legs", "nights"):
        trip.firm = trip.traveller.firm = book.firm
        try:
            journey = journey_of(trip.legs.all(), trip.nights.all(), trip.meals_off)
            table = exchange_of(book, journey.starts.date(), journey.ends.date()) if journey.legs else None
            grants = grants_of(trip, book, _stays(nights, trip, book.stays_go_on))
            was = daily_allowance(journey, book.schemes, book.rates, currency, grants, table).amount
        except (NoRate, ValueError):
            # What cannot be reckoned by what is in force tells nothing of the other.
            continue
        try:
            grants = replace(grants, earlier=_stays(nights, trip, instead.within))
            would = daily_allowance(journey, instead.schemes, instead.rates, currency, grants, table).amount
            yield Before(trip, was, would)
        except NoRate as error:
            yield Before(trip, was, Money.zero(currency), say("There is {error}.", error=error))


Nights = dict[int, list[tuple[date, str, str, int]]]


def nights_of(firm_id: int, since: date) -> Nights:
    """The nights of everybody's journeys, by traveller, far enough back for any stay. One query."""
    rows = Night.objects.filter(
        trip__firm=firm_id, trip__state__in=MADE, date__gte=since - timedelta(days=LONG_AGO)
    ).values_list("trip__traveller", "date", "place", "trip")
    found: Nights = defaultdict(list)
    for traveller, day, place, trip in rows:
        found[traveller].append((day, place["town"], place["country"], trip))
    return found


def _stays(nights: Nights, trip: Trip, within: int) -> tuple[Stay, ...]:
    if not within or trip.starts is None:
        return ()
    mine = nights.get(trip.traveller_id, [])
    return stays_of(
        ((day, town, country) for day, town, country, of in mine if of != trip.pk and day < trip.starts), within
    )
