"""Holding a way for a trip, and letting it go."""

from __future__ import annotations

from django.db import transaction

from wainwright.bookings import services as bookings
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import Chosen
from wainwright.core.journey import Mode
from wainwright.errors import Stale
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import record
from wainwright.trips.models import Leg, Trip
from wainwright.trips.services.plan import mine, place_leg, rebuild_nights


@transaction.atomic
def hold_way(member: Membership, trip_id: int, chosen: Chosen) -> Booking:
    """Hold a way; its flights take the place of planned ones between the same towns. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    policy = rulebook(trip.firm).policy
    booking = bookings.hold(trip.pk, trip.firm, member.person.name, chosen, policy.hold_hours, policy.ticket_hours)
    if booking.legs.exists():
        return booking
    for offer in chosen.offers:
        first, last = offer.hops[0], offer.hops[-1]
        _clear_planned(trip, first.origin.town, last.target.town, offer.leaves.date())
        place_leg(
            trip,
            Mode.AIR,
            first.origin,
            last.target,
            offer.leaves,
            offer.arrives,
            paid_by="firm",
            booking_id=booking.pk,
        )
    rebuild_nights(trip)
    trip.version += 1
    trip.save()
    after = {"booking": booking.pk, "price": booking.price_minor, "until": booking.held_until}
    record(member, "held a fare", trip.subject, after=after)
    return booking


def _clear_planned(trip: Trip, origin: str, target: str, day: object) -> None:
    """Take off planned air legs between the same towns on the same day: the held way is that leg now."""
    for leg in Leg.objects.filter(trip=trip, mode=Mode.AIR, booking__isnull=True):
        if (leg.origin["town"], leg.target["town"]) == (origin, target) and leg.leaves.date() == day:
            leg.delete()


@transaction.atomic
def cancel_booking(member: Membership, trip_id: int, booking_id: int) -> None:
    """Cancel a held fare while planning; its legs go with it."""
    trip = mine(member, trip_id)
    booking = Booking.objects.select_related("trip").filter(trip=trip, pk=booking_id).first()
    if booking is None or not booking.stands:
        raise Stale("That booking is gone already.")
    booking.legs.all().delete()
    bookings.move(booking, "cancel")
    rebuild_nights(trip)
    trip.version += 1
    trip.save()
    record(member, "cancelled a booking", trip.subject, before={"booking": booking.pk, "price": booking.price_minor})
