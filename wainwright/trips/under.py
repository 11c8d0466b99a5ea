"""What is kept under a trip: read by almost every act on a plan and every page of one, so each read is worded once."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db.models import QuerySet

from wainwright.bookings.models import Booking
from wainwright.prepared import prepared
from wainwright.trips.models import Leg, Night, OtherCost, Paper, Trip


def legs_of(trip: Trip) -> list[Leg]:
    """Return the legs of a trip in their order. One query, none where they were read together with it; so are the others."""
    return _under(trip, "legs", _legs)


def nights_of(trip: Trip) -> list[Night]:
    """Return the nights of a trip in their order."""
    return _under(trip, "nights", _nights)


def others_of(trip: Trip) -> list[OtherCost]:
    """Return what else a trip is expected to cost."""
    return _under(trip, "others", _others)


def bookings_of(trip: Trip) -> list[Booking]:
    """Return everything that was ever booked for a trip."""
    return _under(trip, "bookings", _bookings)


def papers_of(trip: Trip) -> list[Paper]:
    """Return the papers that a trip rests on."""
    return _under(trip, "papers", _papers)


def _under(trip: Trip, name: str, read: Callable[[int], list[Any]]) -> list[Any]:
    if name in getattr(trip, "_prefetched_objects_cache", {}):
        return list(getattr(trip, name).all())
    return _now(trip, read)


def _now(trip: Trip, read: Callable[[int], list[Any]]) -> list[Any]:
    rows = read(trip.pk)
    for row in rows:
        row.trip = trip
    return rows


@prepared
def _legs(trip: int) -> QuerySet[Leg]:
    return Leg.objects.filter(trip_id=trip)


@prepared
def _nights(trip: int) -> QuerySet[Night]:
    return Night.objects.filter(trip_id=trip)


@prepared
def _others(trip: int) -> QuerySet[OtherCost]:
    return OtherCost.objects.filter(trip_id=trip)


@prepared
def _bookings(trip: int) -> QuerySet[Booking]:
    return Booking.objects.filter(trip_id=trip)


def nights_with_bookings(trip: Trip) -> list[Night]:
    """Return the nights of a trip as they are kept now, each with its booking. One query."""
    return _now(trip, _booked_nights)


@prepared
def _booked_nights(trip: int) -> QuerySet[Night]:
    return Night.objects.filter(trip_id=trip).select_related("booking")


@prepared
def _papers(trip: int) -> QuerySet[Paper]:
    return Paper.objects.filter(trip_id=trip)
