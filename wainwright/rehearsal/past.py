"""A scheme tried on journeys that were made: what each would have earned, beside what it earns by the schemes in force."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from wainwright import clock
from wainwright.core.allowance import NoRate, Scheme, daily_allowance
from wainwright.core.money import Money
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import exchange_of, rulebook
from wainwright.trips.figures import grants_of, journey_of
from wainwright.trips.models import Trip

MOST, YEAR = 200, timedelta(days=365)
MADE = ("Authorised", "Under way", "Back", "Closed")


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
class Past:
    """Trips of a span, the most changed first, and their sums. ``left``: so many older ones were not looked at."""

    since: date
    until: date
    rows: tuple[Before, ...]
    was: Money
    would: Money
    left: int

    @property
    def more(self) -> Money:
        """What all together would earn more."""
        return self.would - self.was

    @property
    def changed(self) -> list[Before]:
        """The trips that would earn another sum, or could not be reckoned."""
        return [row for row in self.rows if row.more or row.fault]


def on_past_trips(member: Membership, scheme: Scheme) -> Past:
    """Try a scheme on the newest ``MOST`` trips of the last year that were authorised. Nothing is kept. Three queries.

    Days are reckoned as if the scheme had always been in force. Raises ``NotAllowed``.
    """
    must(member, "rules")
    firm = member.firm
    book, until = rulebook(firm), clock.today(firm.zone)
    since = until - YEAR
    made = Trip.objects.filter(firm=firm, state__in=MADE, starts__gte=since, starts__lte=until)
    count = made.count()
    rows = []
    trips = made.select_related("traveller__person").prefetch_related("legs", "nights").order_by("-starts", "-pk")
    for trip in trips[:MOST]:
        nothing = Money.zero(firm.currency)
        try:
            journey = journey_of(trip.legs.all(), trip.nights.all(), trip.meals_off)
            table = exchange_of(book, journey.starts.date(), journey.ends.date()) if journey.legs else None
            grants = grants_of(trip, book)
            was = daily_allowance(journey, book.schemes, book.rates, firm.currency, grants, table).amount
        except (NoRate, ValueError):
            # What cannot be reckoned by what is in force tells nothing of the other.
            continue
        try:
            would = daily_allowance(journey, scheme, book.rates, firm.currency, grants, table).amount
            rows.append(Before(trip, was, would))
        except NoRate as error:
            rows.append(Before(trip, was, nothing, f"There is {error}."))
    rows.sort(key=lambda row: -abs(row.more.amount))
    sums = [
        sum((each for each in column), Money.zero(firm.currency))
        for column in ((r.was for r in rows), (r.would for r in rows))
    ]
    return Past(since, until, tuple(rows), sums[0], sums[1], max(0, count - MOST))
