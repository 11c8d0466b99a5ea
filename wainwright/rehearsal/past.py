"""A scheme tried on journeys that were made: what each would have earned, beside what it earns by the schemes in force."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from datetime import date, timedelta

from wainwright import clock
from wainwright.core.allowance import NoRate, Scheme, Stay, daily_allowance, stays_of
from wainwright.core.money import Money, total
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import exchange_of, rulebook
from wainwright.trips.figures import LONG_AGO, MADE, grants_of, journey_of
from wainwright.trips.models import Night, Trip

MOST, YEAR = 200, timedelta(days=365)


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
    """Try a scheme on the newest ``MOST`` trips of the last year that were authorised. Nothing is kept. Four queries at most.

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
    within = scheme.long_stay.goes_on
    nights = _nights(firm.pk, since) if within or book.stays_go_on else {}
    for trip in trips[:MOST]:
        nothing = Money.zero(firm.currency)
        try:
            journey = journey_of(trip.legs.all(), trip.nights.all(), trip.meals_off)
            table = exchange_of(book, journey.starts.date(), journey.ends.date()) if journey.legs else None
            grants = grants_of(trip, book, _stays(nights, trip, book.stays_go_on))
            was = daily_allowance(journey, book.schemes, book.rates, firm.currency, grants, table).amount
        except (NoRate, ValueError):
            # What cannot be reckoned by what is in force tells nothing of the other.
            continue
        try:
            grants = replace(grants, earlier=_stays(nights, trip, within))
            would = daily_allowance(journey, scheme, book.rates, firm.currency, grants, table).amount
            rows.append(Before(trip, was, would))
        except NoRate as error:
            rows.append(Before(trip, was, nothing, f"There is {error}."))
    rows.sort(key=lambda row: -abs(row.more.amount))
    was, would = (total(column, firm.currency) for column in ((r.was for r in rows), (r.would for r in rows)))
    return Past(since, until, tuple(rows), was, would, max(0, count - MOST))


Nights = dict[int, list[tuple[date, str, str, int]]]


def _nights(firm_id: int, since: date) -> Nights:
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
