"""Acts on bookings, called by the trip they belong to."""

from __future__ import annotations

from datetime import datetime, timedelta
from decimal import Decimal
from functools import cache
from zoneinfo import ZoneInfo

import holidays
from django.db import transaction

from wainwright import clock
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import Chosen
from wainwright.core.business_time import Office, business_hours_before
from wainwright.core.states import BOOKING
from wainwright.errors import Refusal
from wainwright.outside import service
from wainwright.people.models import Firm
from wainwright.ports.market import MarketError
from wainwright.trail.services import record


@cache
def office_of(country: str, zone: str) -> Office:
    """Return the issuing office of a firm with its country's public holidays."""
    try:
        days = holidays.country_holidays(country)
    except NotImplementedError:
        days = frozenset()
    return Office(zone, holidays=days)


def hold(trip_id: int, firm: Firm, traveller: str, chosen: Chosen, hold_hours: int, ticket_hours: int) -> Booking:
    """Hold the ways that were chosen; the same choice on the same trip is held once. Raises ``Refusal``.

    Inside the caller's transaction.
    """
    once = f"trip:{trip_id}:{'+'.join(chosen.keys)}"[:80]
    known = Booking.objects.filter(once=once).first()
    if known and known.stands:
        return known
    if known:
        once = f"{once[:60]}#{Booking.objects.filter(trip_id=trip_id).count()}"
    try:
        held = service("market").hold(chosen.keys, traveller, once)
    except MarketError as error:
        raise Refusal(str(error)) from error
    if held.price != chosen.price:
        raise Refusal(f"The price changed from {chosen.price} to {held.price} while you chose. Nothing was held.")
    first = chosen.offers[0]
    departure = first.leaves.replace(tzinfo=ZoneInfo(first.hops[0].origin.zone))
    now = clock.now()
    return Booking.objects.create(
        trip_id=trip_id, reference=held.reference, carrier=", ".join(dict.fromkeys(o.carrier for o in chosen.offers)),
        label=chosen.label, conditions=chosen.conditions, currency=firm.currency, price_minor=held.price.minor,
        cheapest_minor=chosen.cheapest.minor, alternatives=chosen.alternatives, carbon_kg=chosen.carbon_kg,
        departure=departure, held_until=min(now + timedelta(hours=hold_hours), departure),
        ticket_by=business_hours_before(departure, Decimal(ticket_hours), office_of(firm.country, firm.zone)), once=once,
    )  # fmt: skip


def move(booking: Booking, act: str) -> None:
    """Move a booking to its next state, with its entry in the trail. Inside the caller's transaction."""
    before = booking.state
    booking.state = BOOKING.after(before, act)
    booking.save(update_fields=["state", "ticket_number"])
    record(
        None, f"booking {act}", f"trip:{booking.trip_id}", firm_id=booking.trip.firm_id,
        before={"booking": booking.pk, "state": before},
        after={"booking": booking.pk, "state": booking.state, "ticket": booking.ticket_number},
    )  # fmt: skip


def issue(trip_id: int) -> list[Booking]:
    """Confirm and ticket everything held for a trip; safe to repeat after it was broken off.

    The market answers the same to the same reference, so each step is kept as soon as it is done.
    """
    market = service("market")
    for booking in Booking.objects.filter(trip_id=trip_id, state="Held"):
        market.confirm(booking.reference)
        _step(booking.pk, "confirm")
    for booking in Booking.objects.filter(trip_id=trip_id, state="Confirmed"):
        _step(booking.pk, "ticket", market.ticket(booking.reference))
    return list(Booking.objects.filter(trip_id=trip_id, state="Ticketed"))


@transaction.atomic
def _step(booking_id: int, act: str, number: str = "") -> None:
    booking = Booking.objects.select_for_update().select_related("trip").get(pk=booking_id)
    if BOOKING.can(booking.state, act):
        booking.ticket_number = number or booking.ticket_number
        move(booking, act)


@transaction.atomic
def lapse_holds(now: datetime) -> int:
    """Let every hold go whose time ran out while its trip was not sent; return how many."""
    late = Booking.objects.select_for_update().filter(
        state="Held", held_until__lt=now, trip__state__in=["Planning", "Sent back", "Called off"]
    )
    count = 0
    for booking in late.select_related("trip"):
        move(booking, "lapse")
        count += 1
    return count
