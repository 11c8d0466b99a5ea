"""The itinerary on the ribbon: a leg typed in one line, ends that are moved, the whole that shifts."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from django.db import transaction

from wainwright import clock
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import offers_of
from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Mode, Place
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.formats.places import best_place, place
from wainwright.formats.typed_leg import NotALeg, TypedLeg, read_leg
from wainwright.people.models import Membership
from wainwright.trips.models import Leg, Night, Trip
from wainwright.trips.selectors import trip_for
from wainwright.trips.services.base import changed, mine
from wainwright.trips.services.nights import rebuild_nights
from wainwright.trips.services.plan import MOST_DAYS, Drive, add_leg, check_leg, find_drive

# How fast one gets on, in km an hour over the straight line, and what is lost at the ends in minutes.
SPEED = {
    Mode.AIR: (650, 40), Mode.RAIL: (85, 10), Mode.FERRY: (45, 15), Mode.COACH: (60, 10), Mode.HIRE_CAR: (58, 5),
    Mode.OWN_CAR: (58, 5), Mode.TAXI: (45, 5), Mode.ON_FOOT: (5, 0),
}  # fmt: skip


def where_and_when(member: Membership, trip: Trip) -> tuple[Place | None, datetime]:
    """Return where and when the last leg ended; before the first leg home, three weeks from now."""
    last = trip.legs.order_by("-arrives_at").first()
    if last is not None:
        return last.end, last.arrives
    home = trip.profile.get("home") or member.home_code
    today = clock.today(trip.firm.zone)
    return (best_place(home) if home else None), datetime.combine(today + timedelta(days=21), datetime.min.time())


def add_typed_leg(member: Membership, trip_id: int, text: str) -> tuple[Leg, str]:
    """Add a leg typed in one line; the arrival follows from the timetable where there is one, else from the distance.

    Returns the leg and where its arrival comes from. Raises ``Refusal`` saying what is missing.
    """
    trip = trip_for(member, trip_id)
    here, now = where_and_when(member, trip)
    try:
        typed = read_leg(text, here, now)
    except NotALeg as error:
        raise Refusal(str(error), "line") from error
    arrives, how, price = _arrival(typed, trip)
    drive: Drive | None = None
    if typed.mode == Mode.OWN_CAR:
        drive = find_drive(trip.firm, typed.origin, typed.target, typed.leaves.date())
    leg = add_leg(
        member, trip_id, typed.mode, typed.origin, typed.target, typed.leaves, arrives, price,
        "self" if typed.mode in (Mode.TAXI, Mode.OWN_CAR) else "firm", drive,
    )  # fmt: skip
    return leg, how


def _arrival(typed: TypedLeg, trip: Trip) -> tuple[datetime, str, Decimal]:
    """When it arrives, how that is known, and what it is expected to cost."""
    if typed.arrives is not None:
        return typed.arrives, "as typed", Decimal(0)
    today = clock.today(trip.firm.zone)
    if typed.mode in (Mode.AIR, Mode.RAIL, Mode.FERRY, Mode.COACH) and typed.leaves.date() >= today:
        try:
            offers = offers_of(typed.origin, typed.target, typed.leaves.date(), today, trip.currency)
        except Refusal:
            offers = []
        same = [o for o in offers if o.mode == typed.mode and abs(o.leaves - typed.leaves) <= timedelta(minutes=5)]
        if same:
            best = min(same, key=lambda o: o.price.amount)
            return best.arrives, f"by {best.carrier}'s timetable", best.price.amount
    speed, lost = SPEED[typed.mode]
    km = great_circle_km(typed.origin, typed.target)
    minutes = lost + 5 * round(km / speed * 60 / 5)
    moment = typed.leaves.replace(tzinfo=ZoneInfo(typed.origin.zone)).astimezone(ZoneInfo("UTC")) + timedelta(
        minutes=minutes
    )
    arrives = moment.astimezone(ZoneInfo(typed.target.zone)).replace(tzinfo=None)
    return arrives, f"estimated from {km:.0f} km", Decimal(0)


@transaction.atomic
def move_end(member: Membership, trip_id: int, leg_id: int, end: str, minutes: int) -> Leg:
    """Move when a leg leaves or arrives by some minutes; ``end`` is "leaves", "arrives" or "both". Raises ``Refusal``."""
    trip = mine(member, trip_id)
    leg = Leg.objects.filter(trip=trip, pk=leg_id).select_related("booking").first()
    if leg is None:
        raise Stale("That leg is gone already.")
    if leg.booking_id:
        raise Refusal(f"{leg} is {leg.booking.state.lower()}: its times are the carrier's. Choose another way instead.")
    if end not in ("leaves", "arrives", "both") or abs(minutes) > MOST_DAYS * 1440:
        raise Refusal("Say which end to move, and by how much.")
    by = timedelta(minutes=minutes)
    leaves = leg.leaves + (by if end != "arrives" else timedelta())
    arrives = leg.arrives + (by if end != "leaves" else timedelta())
    return _keep_times(member, trip, leg, leg.start, leg.end, leaves, arrives)


@transaction.atomic
def change_leg(
    member: Membership, trip_id: int, leg_id: int, mode: str, origin: Place, target: Place, leaves: datetime,
    arrives: datetime, estimate_minor: int, paid_by: str, drive: Drive | None,
) -> Leg:  # fmt: skip
    """Change a leg that is not booked. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    leg = Leg.objects.filter(trip=trip, pk=leg_id).select_related("booking").first()
    if leg is None:
        raise Stale("That leg is gone already.")
    if leg.booking_id:
        raise Refusal(f"{leg} belongs to a booking. Choose another way in its place.")
    leg.mode, leg.estimate_minor, leg.paid_by = mode, estimate_minor, "self" if mode == Mode.OWN_CAR else paid_by
    leg.km, leg.km_by = (drive.km, drive.by) if drive else (None, "")
    leg.passengers, leg.compared = (drive.passengers, drive.compared) if drive else (0, {})
    leg.vehicle = drive.vehicle if drive else "car"
    return _keep_times(member, trip, leg, origin, target, leaves, arrives)


def _keep_times(
    member: Membership, trip: Trip, leg: Leg, origin: Place, target: Place, leaves: datetime, arrives: datetime
) -> Leg:
    before = {"leaves": leg.leaves, "arrives": leg.arrives}
    leg.leaves_at, leg.arrives_at = check_leg(trip, origin, target, leaves, arrives, leg.pk)
    leg.origin, leg.target = (
        {k: getattr(p, k) for k in ("code", "name", "town", "country", "zone", "lat", "lon")} for p in (origin, target)
    )
    leg.save()
    rebuild_nights(trip)
    changed(member, trip, "moved a leg", before, {"leaves": leg.leaves, "arrives": leg.arrives})
    return leg


@transaction.atomic
def shift_trip(member: Membership, trip_id: int, start: date) -> tuple[int, list[Booking]]:
    """Let the whole trip begin on another day: legs, nights, meals and days of costs move along in local time.

    Returns by how many days, and the bookings that still stand for the old days. Raises ``Refusal``.
    """
    trip = mine(member, trip_id)
    if trip.starts is None or trip.ends is None:
        raise Refusal("The trip has no legs yet, so there is nothing to move.", "start")
    if not 2000 <= start.year <= 2100:
        raise Refusal("Check the year.", "start")
    days = (start - trip.starts).days
    if not days:
        return 0, []
    by = timedelta(days=days)
    legs = list(trip.legs.all())
    for leg in legs:
        # In local time, so that half past seven stays half past seven over a change of clocks.
        leg.leaves_at = (leg.leaves + by).replace(tzinfo=ZoneInfo(leg.origin["zone"]))
        leg.arrives_at = max(leg.leaves_at, (leg.arrives + by).replace(tzinfo=ZoneInfo(leg.target["zone"])))
        leg.save(update_fields=["leaves_at", "arrives_at"])
    nights = list(trip.nights.order_by("-date" if days > 0 else "date"))
    for night in nights:
        Night.objects.filter(pk=night.pk).update(date=night.date + by)
    for other in trip.others.exclude(day=None):
        other.day += by
        other.save(update_fields=["day"])
    trip.supplied = [f"{date.fromisoformat(m[:10]) + by}{m[10:]}" for m in trip.supplied]
    trip.engagements = [row | {"at": (datetime.fromisoformat(row["at"]) + by).isoformat()} for row in trip.engagements]
    before = trip.starts
    rebuild_nights(trip)
    held = [b for b in trip.bookings.all() if b.stands and not b.by_hand and b.kind != "fee"]
    Night.objects.filter(trip=trip, booking__isnull=False).update(booking=None)
    changed(member, trip, "moved the trip", str(before), f"{day_text(start)}, {len(held)} bookings to be changed")
    return days, held


def known_place(code: str) -> Place | None:
    """Return a place by its code, or what a text most likely means."""
    return place(code) or best_place(code)
