"""What a trip earns its traveller, for whatever stands on it: its claim, the bills that pay for its meals."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date

from wainwright.core.allowance import NightAllowed, flat_nights
from wainwright.core.journey import Journey, Mode
from wainwright.core.money import Money
from wainwright.core.moving import Entitled
from wainwright.core.whereabouts import Whereabouts, whereabouts
from wainwright.core.workings import Figure
from wainwright.rulebook.selectors import Rulebook, exchange_of
from wainwright.trips.figures import earned, grants_of, journey_of, night_allowed, quarters_in
from wainwright.trips.models import Leg, Night, Trip
from wainwright.trips.moving import Move, move_of
from wainwright.trips.under import legs_of, nights_of


@dataclass(frozen=True)
class AllowanceFacts:
    """The daily allowance of a trip, its nights as planned, and what measures one at what it really cost."""

    amount: Money
    lines: tuple[str, ...] = ()
    nights: tuple[NightAllowed, ...] = ()
    ends: date | None = None
    rows: Mapping[date, Night] = field(default_factory=dict)
    book: Rulebook | None = None
    where: Whereabouts = field(default_factory=Whereabouts)
    journey: Journey | None = None
    legs: tuple[Leg, ...] = ()
    move: Move | None = None
    trip: Trip | None = None
    parts: tuple[AllowanceFacts, ...] = ()
    taxed: Money | None = None

    @property
    def each(self) -> tuple[AllowanceFacts, ...]:
        """Those of each trip, where several stand together; else itself."""
        return self.parts or (self,)

    @property
    def sums(self) -> tuple[Entitled, ...]:
        """The flat sums that the firm pays on this trip: on the employee's own of a move alone."""
        return self.move.entitled.sums if self.move is not None and self.move.own else ()

    @property
    def drives(self) -> list[Leg]:
        """The legs by one's own car."""
        return [leg for leg in self.legs if leg.mode == Mode.OWN_CAR]

    @property
    def taxis(self) -> list[Leg]:
        """The legs by taxi."""
        return [leg for leg in self.legs if leg.mode == Mode.TAXI]

    def at_cost(self, night: NightAllowed, cost: Money, tax: Money | None) -> NightAllowed:
        """Return a night at its real cost (tax included): the same ceiling, permission and quarters. Raises ``NoRate``."""
        row = self.rows.get(night.night.date)
        if row is None or self.book is None:
            return night
        table = exchange_of(self.book, night.night.date, night.night.date)
        return night_allowed(night.night, row, self.book, cost, tax, table)

    def flat_nights(self, billed: Collection[date]) -> Figure | None:
        """Return the flat sums of nights that one pays oneself and has no bill for; nothing where the scheme has none.

        Not where the firm pays, something is booked, or quarters are supplied that were not full. Raises ``NoRate``.
        """
        if self.book is None or self.journey is None or not self.book.pays_flat or not self.journey.nights:
            return None
        others = {
            night.date for night in self.journey.nights
            if (row := self.rows.get(night.date)) is None or row.paid_by != "self" or row.booking_id
            or (quarters_in(self.book, night.place.town, night.place.country) and not row.full)
        }  # fmt: skip
        days = [night.date for night in self.journey.nights]
        table = exchange_of(self.book, days[0], days[-1])
        return flat_nights(
            self.journey, self.book.schemes, self.book.rates, self.amount.currency, others | set(billed), table
        )


def allowance_of(trip: Trip | None, book: Rulebook, currency: str) -> AllowanceFacts:
    """Work out the allowance and the nights of a trip, live: two queries, five where it is a move."""
    if trip is None:
        return AllowanceFacts(Money.zero(currency))
    nights, legs = nights_of(trip), legs_of(trip)
    journey = journey_of(legs, nights, trip.meals_off)
    done, allowed, _ = earned(journey, nights, book, currency, grants_of(trip, book))
    rows = {night.date: night for night in nights}
    return AllowanceFacts(
        done.amount, tuple(done.workings.lines()), allowed, trip.ends, rows, book, whereabouts(journey), journey,
        tuple(legs), move_of(trip, book), trip, taxed=done.taxed,
    )  # fmt: skip


def together(facts: Sequence[AllowanceFacts]) -> AllowanceFacts:
    """Return what several trips earn as one, to look costs up in: their nights, moves and places; the sums stay apart."""
    if len(facts) == 1:
        return facts[0]
    first = facts[0]
    towns = {town: country for each in facts for town, country in each.where.towns.items()}
    days: dict[date, frozenset[str]] = {}
    for each in facts:
        for day, countries in each.where.by_day.items():
            days[day] = days.get(day, frozenset()) | countries
    ends = max((each.ends for each in facts if each.ends), default=None)
    return replace(
        first, nights=tuple(night for each in facts for night in each.nights), ends=ends,
        rows={day: row for each in facts for day, row in each.rows.items()}, where=Whereabouts(days, towns),
        legs=tuple(leg for each in facts for leg in each.legs), parts=tuple(facts),
    )  # fmt: skip
