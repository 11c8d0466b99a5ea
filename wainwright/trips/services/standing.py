"""What was authorised stands while its plan is opened again: kept as it was, and put back where the change comes to nothing."""

from __future__ import annotations

import json

from django.core import serializers
from django.db import transaction
from huey.contrib.djhuey import on_commit_task

from wainwright.bookings import services as bookings
from wainwright.bookings.models import Booking
from wainwright.core.said import say
from wainwright.core.states import TRIP
from wainwright.errors import Refusal, Stale
from wainwright.people.models import Membership
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.services.base import mine

# What of the trip's own columns belongs to its plan.
FIELDS = (
    "title", "purpose", "codes", "shares", "supplied", "answers", "permissions", "engagements", "profile", "advance_minor",
    "starts", "ends", "signed_id", "signed_name", "sent", "authorised",
)  # fmt: skip


def keep_standing(trip: Trip) -> None:
    """Keep an authorised plan as it stands, before it is opened again. Inside the caller's transaction, which saves the trip."""
    rows = [*trip.legs.all(), *trip.nights.all(), *trip.others.all()]
    of_trip = Trip.objects.filter(pk=trip.pk).values(*FIELDS).get()
    trip.standing = {
        "rows": json.loads(serializers.serialize("json", rows)),
        "trip": json.loads(json.dumps(of_trip, default=str)),
        "bookings": list(trip.bookings.values_list("pk", flat=True)),
    }


def stand_again(trip: Trip) -> None:
    """Put the plan back that was authorised, with its bookings and commitments. Inside the caller's transaction.

    A booking that was given up meanwhile stays given up: its move or night is on the plan without it. What was held since
    is let go once this is kept.
    """
    kept, paid = trip.standing, trip.advance_paid_out
    trip.legs.all().delete()
    trip.nights.all().delete()
    trip.others.all().delete()
    stands = {booking.pk for booking in trip.bookings.all() if booking.stands}
    for row in serializers.deserialize("python", kept["rows"]):
        if row.object.booking_id and row.object.booking_id not in stands:
            row.object.booking_id = None
        row.save()
    for name, value in kept["trip"].items():
        field = name.removesuffix("_id")
        setattr(trip, name, Trip._meta.get_field(field).to_python(value) if value is not None else None)
    if trip.advance_paid:
        # What was paid out stays so, also where it was paid while the plan stood open.
        trip.advance_unpaid_minor = max(0, trip.advance_minor - paid.minor)
    trip.state, trip.standing = TRIP.after(trip.state, "stand"), {}
    trip.version += 1
    trip.save()
    let_go(trip.pk, sorted(stands - set(kept["bookings"])))


@transaction.atomic
def leave_as_signed(member: Membership, trip_id: int) -> Trip:
    """Give a change of an authorised plan up: what was signed stands as it was. Raises ``Stale`` where nothing was authorised."""
    trip = mine(member, trip_id)
    if not trip.standing:
        raise Stale(say("Nothing was authorised before that could stand again."))
    before = trip.state
    stand_again(trip)
    record(
        member,
        say("left the plan as it was signed"),
        trip.subject,
        before={"state": before},
        after={"state": trip.state},
    )
    return trip


@on_commit_task(retries=3, retry_delay=30)
def let_go(trip_id: int, booking_ids: list[int]) -> None:
    """Let go what was held for a change that came to nothing; bought by hand it stays recorded."""
    for booking in Booking.objects.filter(
        trip_id=trip_id, pk__in=booking_ids, state__in=["Asked", "Held"], by_hand=False
    ):
        try:
            bookings.give_up(booking, booking.costs_to_cancel.minor)
        except Refusal:
            # The market does not answer: the hold runs out by itself.
            continue
