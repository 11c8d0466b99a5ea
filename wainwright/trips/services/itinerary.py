"""The itinerary on the ribbon: a leg typed in one line, ends that are moved, the whole that shifts."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from django.db import transaction

from wainwright import clock
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import offers_of
from wainwright.core.coding import Coding
from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Mode, Place, moment
from wainwright.core.said import as_figure, joined, said_by, say
from wainwright.core.workings import day_text, moment_text
from wainwright.errors import Refusal, Stale
from wainwright.formats.places import airport_of, best_place
from wainwright.formats.typed_journey import read_journey
from wainwright.formats.typed_leg import NotALeg, TypedLeg, read_leg
from wainwright.language import typed_words
from wainwright.people.models import Membership
from wainwright.trips.models import Leg, Night, Trip
from wainwright.trips.selectors import trip_for
from wainwright.trips.services.base import changed, mine
from wainwright.trips.services.nights import may_still_say, rebuild_nights
from wainwright.trips.services.plan import MOST_DAYS, Drive, add_leg, check_leg, find_drive, start_trip
from wainwright.trips.under import legs_of

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


MOST_AT_ONCE = 12


def add_typed_legs(member: Membership, trip_id: int, text: str) -> list[tuple[Leg, str]]:
    """Add legs typed in one line, several parted by semicolons: each starts where and when the one before it ended.

    The arrival follows from the timetable where there is one, else from the distance. Returns each leg and where its
    arrival comes from. Raises ``Refusal`` saying what is missing; then none of them is added.
    """
    trip = trip_for(member, trip_id)
    here, now = where_and_when(member, trip)
    parts = [part for part in text.split(";") if part.strip()] or [text]
    if len(parts) > MOST_AT_ONCE:
        raise Refusal(
            say("{most_at_once} legs at once are enough. Add these first, then the rest.", most_at_once=MOST_AT_ONCE),
            "line",
        )
    read: list[tuple[TypedLeg, datetime, str, Decimal, Drive | None]] = []
    for part in parts:
        try:
            typed = read_leg(typed_words(part), here, now)
        except NotALeg as error:
            where = joined(": ", (say("“{text}”", text=part.strip()[:40]), "")) if len(parts) > 1 else ""
            raise Refusal(joined("", (where, said_by(error))), "line") from error
        arrives, how, price = _arrival(typed, trip)
        own = typed.mode == Mode.OWN_CAR
        drive = find_drive(trip.firm, typed.origin, typed.target, typed.leaves.date()) if own else None
        read.append((typed, arrives, how, price, drive))
        here, now = typed.target, arrives
    with transaction.atomic():
        return [
            (
                add_leg(
                    member, trip_id, typed.mode, typed.origin, typed.target, typed.leaves, arrives, price,
                    "self" if typed.mode in (Mode.TAXI, Mode.OWN_CAR) else "firm", drive,
                ), how,
            )
            for typed, arrives, how, price, drive in read
        ]  # fmt: skip


@dataclass(frozen=True)
class Begun:
    """What was made of a typed journey: in words, and what is still to be typed because no day was said."""

    words: str
    rest: str = ""


@dataclass(frozen=True)
class _Planned:
    mode: Mode
    origin: Place
    target: Place
    leaves: datetime
    arrives: datetime
    price: Decimal
    drive: Drive | None


def start_with_journey(
    member: Membership, title: str, purpose: str, coding: Coding, answers: dict[str, str], text: str, kind: str = "trip"
) -> tuple[Trip, Begun]:  # fmt: skip
    """Start a trip, there and back on it already where a journey was typed with its days.

    Each way is planned at the hours and the price of the cheapest on offer; the market is asked before anything is kept.
    Raises ``Refusal``.
    """
    planned, begun = _planned(member, text) if text.strip() else ([], Begun(say("The trip is started.")))
    with transaction.atomic():
        trip = start_trip(member, title, purpose, coding, answers, kind)
        for each in planned:
            own = each.mode in (Mode.TAXI, Mode.OWN_CAR)
            add_leg(
                member, trip.pk, each.mode, each.origin, each.target, each.leaves, each.arrives, each.price,
                "self" if own else "firm", each.drive,
            )  # fmt: skip
    return trip, begun


def _planned(member: Membership, text: str) -> tuple[list[_Planned], Begun]:
    today = clock.today(member.firm.zone)
    home = best_place(member.home_code) if member.home_code else None
    try:
        typed = read_journey(typed_words(text), home, today)
    except NotALeg as error:
        raise Refusal(said_by(error), "line") from error
    if typed.out is None:
        words = say("The trip to {town} is started. Say on which days, and its ribbon appears.", town=typed.target.town)
        return [], Begun(
            words,
            say(
                "{mode} {town} to {town_2} ",
                mode=typed.mode or say("flight"),
                town=typed.origin.town,
                town_2=typed.target.town,
            ),
        )
    ways = [_way(member, typed.mode, typed.origin, typed.target, typed.out, typed.out_time, None)]
    if typed.back is not None:
        ways.append(_way(member, ways[0].mode, typed.target, typed.origin, typed.back, typed.back_time, ways[0]))
    said = joined("; ", (joined("", (w.mode, " ", w.origin.town, " – ", w.target.town, " ", moment_text(w.leaves))) + (say(" from {price}", price=w.price) if w.price else "")
        for w in ways))  # fmt: skip
    return ways, Begun(say("Planned: {said}. Nothing is held yet.", said=said))


def _way(
    member: Membership, mode: Mode | None, origin: Place, target: Place, day: date, hour: time | None, out: _Planned | None
) -> _Planned:  # fmt: skip
    """One way of a typed journey: the cheapest on offer that lands the same day, else as long as the distance takes."""
    firm, today = member.firm, clock.today(member.firm.zone)
    after = out.arrives + timedelta(hours=1) if out is not None and out.arrives.date() == day else None
    found = []
    if (mode is None or mode in (Mode.AIR, Mode.RAIL, Mode.FERRY, Mode.COACH)) and day >= today:
        try:
            found = offers_of(origin, target, day, today, firm.currency)
        except Refusal:
            found = []
    fits = [
        o for o in found
        if o.cabin == "economy" and mode in (None, o.mode) and (after is None or o.leaves >= after)
        and (hour is None or abs(o.leaves - datetime.combine(day, hour)) <= timedelta(minutes=90))
    ]  # fmt: skip
    if fits:
        best = min(fits, key=lambda o: (o.arrives.date() != day, o.price.amount, o.leaves))
        return _Planned(best.mode, best.origin, best.target, best.leaves, best.arrives, best.price.amount, None)
    if mode is None:
        raise Refusal(
            say(
                "Say how you go as well: flight, train, ferry, coach, hire car, own car. Nothing else "
                "was found that day."
            ),
            "line",
        )
    if mode == Mode.AIR:
        origin, target = airport_of(origin) or origin, airport_of(target) or target
    usual = time(8) if out is None else time(17)
    leaves = datetime.combine(day, hour or usual)
    leaves = max(leaves, after) if after is not None else leaves
    drive = find_drive(firm, origin, target, day) if mode == Mode.OWN_CAR else None
    return _Planned(mode, origin, target, leaves, _by_distance(mode, origin, target, leaves), Decimal(0), drive)


def _by_distance(mode: Mode, origin: Place, target: Place, leaves: datetime) -> datetime:
    """When one arrives, as fast as the mode gets on over the straight line."""
    speed, lost = SPEED[mode]
    minutes = lost + 5 * round(great_circle_km(origin, target) / speed * 60 / 5)
    at = leaves.replace(tzinfo=ZoneInfo(origin.zone)).astimezone(ZoneInfo("UTC")) + timedelta(minutes=minutes)
    return at.astimezone(ZoneInfo(target.zone)).replace(tzinfo=None)


def _arrival(typed: TypedLeg, trip: Trip) -> tuple[datetime, str, Decimal]:
    """When it arrives, how that is known, and what it is expected to cost."""
    if typed.arrives is not None:
        return typed.arrives, say("as typed"), Decimal(0)
    today = clock.today(trip.firm.zone)
    if typed.mode in (Mode.AIR, Mode.RAIL, Mode.FERRY, Mode.COACH) and typed.leaves.date() >= today:
        try:
            offers = offers_of(typed.origin, typed.target, typed.leaves.date(), today, trip.currency)
        except Refusal:
            offers = []
        same = [o for o in offers if o.mode == typed.mode and abs(o.leaves - typed.leaves) <= timedelta(minutes=5)]
        if same:
            best = min(same, key=lambda o: o.price.amount)
            return best.arrives, say("by {carrier}'s timetable", carrier=best.carrier), best.price.amount
    km = great_circle_km(typed.origin, typed.target)
    return (
        _by_distance(typed.mode, typed.origin, typed.target, typed.leaves),
        say("estimated from {km} km", km=as_figure(km, ".0f")),
        Decimal(0),
    )


@transaction.atomic
def move_end(member: Membership, trip_id: int, leg_id: int, end: str, minutes: int) -> Leg:
    """Move when a leg leaves or arrives by some minutes; ``end`` is "leaves", "arrives" or "both". Raises ``Refusal``."""
    trip = mine(member, trip_id)
    leg = Leg.objects.filter(trip=trip, pk=leg_id).select_related("booking").first()
    if leg is None:
        raise Stale(say("That leg is gone already."))
    if leg.booking_id:
        raise Refusal(
            say(
                "{leg} is {state}: its times are the carrier's. Choose another way instead.",
                leg=leg,
                state=leg.booking.state.lower(),
            )
        )
    if end not in ("leaves", "arrives", "both") or abs(minutes) > MOST_DAYS * 1440:
        raise Refusal(say("Say which end to move, and by how much."))
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
        raise Stale(say("That leg is gone already."))
    if leg.booking_id:
        raise Refusal(say("{leg} belongs to a booking. Choose another way in its place.", leg=leg))
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
    changed(member, trip, say("moved a leg"), before, {"leaves": leg.leaves, "arrives": leg.arrives})
    return leg


@transaction.atomic
def travelled(member: Membership, trip_id: int, leg_id: int, leaves: datetime, arrives: datetime) -> Leg:
    """Say when a leg really left and arrived, once the trip has begun: nights and allowance follow, what was signed stays.

    A booked leg too, since carriers are late. Raises ``Refusal``, ``Stale`` once its claim was sent.
    """
    trip = may_still_say(member, trip_id)
    if trip.editable or trip.state == "Authorised":
        raise Stale(say("The trip has not begun. Change the plan instead."))
    leg = Leg.objects.filter(trip=trip, pk=leg_id).first()
    if leg is None:
        raise Stale(say("That leg is gone already."))
    if moment(arrives, leg.target["zone"]) > clock.now():
        raise Refusal(say("It has not arrived yet at that hour. Say it once it has."), "arrives")
    return _keep_times(member, trip, leg, leg.start, leg.end, leaves, arrives)


@transaction.atomic
def shift_trip(member: Membership, trip_id: int, start: date) -> tuple[int, list[Booking]]:
    """Let the whole trip begin on another day: legs, nights, meals and days of costs move along in local time.

    Returns by how many days, and the bookings that still stand for the old days. Raises ``Refusal``.
    """
    trip = mine(member, trip_id)
    if trip.starts is None or trip.ends is None:
        raise Refusal(say("The trip has no legs yet, so there is nothing to move."), "start")
    if not 2000 <= start.year <= 2100:
        raise Refusal(say("Check the year."), "start")
    days = (start - trip.starts).days
    if not days:
        return 0, []
    by = timedelta(days=days)
    legs = legs_of(trip)
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
    changed(
        member,
        trip,
        say("moved the trip"),
        str(before),
        say("{start}, {held_count} bookings to be changed", start=day_text(start), held_count=len(held)),
    )
    return days, held
