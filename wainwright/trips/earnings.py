"""What a trip earns its traveller, for whatever stands on it: its claim, the bills that pay for its meals."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from wainwright.core.allowance import NightAllowed
from wainwright.core.money import Money
from wainwright.rulebook.selectors import Rulebook
from wainwright.trips.figures import earned, grants_of, journey_of
from wainwright.trips.models import Trip


@dataclass(frozen=True)
class AllowanceFacts:
    """The daily allowance of a trip, live or as it was certified."""

    amount: Money
    lines: tuple[str, ...] = ()
    nights: tuple[NightAllowed, ...] = ()
    ends: date | None = None


def allowance_of(trip: Trip | None, book: Rulebook, currency: str) -> AllowanceFacts:
    """Work out the allowance and the nights of a trip, live: two queries."""
    if trip is None:
        return AllowanceFacts(Money.zero(currency))
    nights = list(trip.nights.all())
    journey = journey_of(list(trip.legs.all()), nights, trip.meals_off)
    done, allowed, _ = earned(journey, nights, book, currency, grants_of(trip))
    return AllowanceFacts(done.amount, tuple(done.workings.lines()), allowed, trip.ends)
