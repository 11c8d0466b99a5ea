"""Nights and meals: they follow the legs; what is typed is only what cannot be known."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from django.db import transaction

from wainwright.core.allowance import like_days
from wainwright.core.allowance.supplied import with_meal
from wainwright.core.journey import LODGINGS, Journey, Meal, Place
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import Rulebook, ceiling_of, rulebook
from wainwright.trips.figures import journey_of, quarters_in
from wainwright.trips.models import Night, Trip, place_data
from wainwright.trips.services.base import changed, mine
from wainwright.trips.under import legs_of, nights_of, nights_with_bookings


def rebuild_nights(trip: Trip) -> None:
    """Make the nights follow the legs: one for every night not spent under way, kept as typed where the town is the same.

    A new night is expected to cost the ceiling of its place, or nothing where quarters are supplied,
    so that a plan is right from the start.
    """
    legs, kept = legs_of(trip), {night.date: night for night in nights_of(trip)}
    if not legs:
        Night.objects.filter(trip=trip).delete()
        trip.starts = trip.ends = None
        trip.supplied = []
        return
    journey = journey_of(legs, [], [])
    days = journey.days()
    trip.starts, trip.ends = days[0], days[-1]
    trip.supplied = [m for m in trip.supplied if days[0].isoformat() <= m.partition(":")[0] <= days[-1].isoformat()]
    book = rulebook(trip.firm)
    beds = {day: journey.bed_on(day, book.policy.bed_hour) for day in days[:-1]}
    wanted: dict[date, Place] = {day: place for day, place in beds.items() if place is not None}
    for day, night in kept.items():
        if day not in wanted or night.place["town"] != wanted[day].town:
            night.delete()
    previous: Night | None = None
    for day, place in wanted.items():
        night = kept.get(day)
        if night is None or night.place["town"] != place.town:
            night = _new_night(trip, day, place, previous, book)
        previous = night


def _new_night(trip: Trip, day: date, place: Place, previous: Night | None, book: Rulebook) -> Night:
    """A night like the one before in the same town, else one at the supplied quarters, else at the ceiling."""
    same = previous if previous is not None and previous.place["town"] == place.town else None
    if same is not None:
        # What was booked stays with the nights that were booked.
        return Night.objects.create(
            trip=trip, date=day, place=place_data(place), name=same.name, cost_minor=same.cost_minor, paid_by=same.paid_by,
            supplied=same.supplied, lifted=same.lifted, lodging=same.lodging,
        )  # fmt: skip
    quarters = quarters_in(book, place.town, place.country)
    return Night.objects.create(
        trip=trip, date=day, place=place_data(place), name=quarters["name"] if quarters else "",
        cost_minor=0 if quarters else expected_night(book, place, day), supplied=quarters is not None,
    )  # fmt: skip


def expected_night(book: Rulebook, place: Place, day: date) -> int:
    """What a night is expected to cost before anything is booked: the ceiling, in minor units."""
    ceiling = ceiling_of(book, place, day)
    return ceiling.minor if ceiling else 0


@transaction.atomic
def set_stay(
    member: Membership, trip_id: int, dates: list[date], name: str, cost: Decimal, paid_by: str, supplied: bool,
    lifted: bool = False, lodging: str | None = None,
) -> None:  # fmt: skip
    """Say for several nights at once where one sleeps, in which kind of lodging (nothing said: as it was), what a night costs,
    who pays, and whether the ceiling is to be lifted.

    Raises ``Refusal`` where a night is booked: its figure comes from the booking.
    """
    trip = mine(member, trip_id)
    nights = _nights(trip, dates)
    if cost < 0:
        raise Refusal(say("A night does not cost less than nothing."), "cost")
    if lodging and lodging not in LODGINGS:
        raise Refusal(say("Choose the kind of lodging: {list}.", list=joined(", ", LODGINGS)), "lodging")
    minor = 0 if supplied else Money.rounded(cost, trip.currency).minor
    for night in nights:
        moved = (night.name, night.cost_minor, night.supplied) != (name.strip()[:80], minor, supplied)
        if night.booking_id and moved:
            raise Refusal(
                say(
                    "The night of {date} is booked: {booking}. A second one would count twice; change or "
                    "cancel the booking first.",
                    date=day_text(night.date),
                    booking=night.booking,
                ),
                "name",
            )
    before = [_told(n) for n in nights]
    for night in nights:
        night.name, night.cost_minor, night.paid_by, night.supplied = name.strip()[:80], minor, paid_by, supplied
        night.lifted = lifted and not supplied
        night.lodging = night.lodging if lodging is None else lodging
        night.save()
    changed(member, trip, say("changed nights"), before, [_told(n) for n in nights])


def _told(night: Night) -> dict:
    return {
        "night": str(night.date),
        "name": night.name,
        "cost": night.cost_minor,
        "supplied": night.supplied,
        "lodging": night.lodging,
    }


def _nights(trip: Trip, dates: list[date]) -> list[Night]:
    nights = [night for night in nights_with_bookings(trip) if night.date in dates]
    if not nights:
        raise Stale(say("Those nights are no longer on the trip."))
    return nights


@transaction.atomic
def stretch_stay(member: Membership, trip_id: int, start: date, last: date) -> None:
    """Let the stay that begins on ``start`` reach to the night of ``last`` in the same town; what it gives up is as before it.

    Raises ``Refusal`` where another town or a booking is in the way.
    """
    trip = mine(member, trip_id)
    nights = {n.date: n for n in nights_with_bookings(trip)}
    first = nights.get(start)
    if first is None or last < start:
        raise Stale(say("That night is no longer on the trip."))
    book = rulebook(trip.firm)
    before = [_told(n) for n in nights.values()]
    like = (first.name, first.cost_minor, first.supplied, first.paid_by, first.lodging)
    for day in sorted(nights):
        night = nights[day]
        if day <= start or night.place["town"] != first.place["town"]:
            if start < day <= last:
                raise Refusal(
                    say(
                        "The night of {day} is in {town}. Change the legs first.",
                        day=day_text(day),
                        town=night.place["town"],
                    )
                )
            continue
        within = day <= last
        belongs = (night.name, night.cost_minor, night.supplied, night.paid_by, night.lodging) == like
        if within == belongs:
            continue
        if night.booking_id:
            raise Refusal(
                say(
                    "The night of {day} is booked: {booking}. Change or cancel that first.",
                    day=day_text(day),
                    booking=night.booking,
                )
            )
        if within:
            night.name, night.cost_minor, night.supplied, night.paid_by, night.lodging = like
        else:
            night.name, night.supplied, night.lodging = "", False, ""
            night.cost_minor = expected_night(book, Place(**night.place), day)
        night.save()
    changed(member, trip, say("moved a stay's end"), before, [_told(n) for n in Night.objects.filter(trip=trip)])


@transaction.atomic
def split_stay(member: Membership, trip_id: int, day: date) -> None:
    """From the night of ``day`` on one sleeps elsewhere in the same town: the rest of the stay is free to be filled in."""
    trip = mine(member, trip_id)
    night = Night.objects.filter(trip=trip, date=day).select_related("booking").first()
    if night is None:
        raise Stale(say("That night is no longer on the trip."))
    if night.booking_id:
        raise Refusal(
            say(
                "The night of {day} is booked: {booking}. Change or cancel that first.",
                day=day_text(day),
                booking=night.booking,
            )
        )
    before = [_told(night)]
    book = rulebook(trip.firm)
    like, rest = (night.name, night.cost_minor), []
    for each in Night.objects.filter(trip=trip, date__gte=day).select_related("booking"):
        if (each.name, each.cost_minor) != like or each.place["town"] != night.place["town"] or each.booking_id:
            break
        rest.append(each)
    for each in rest:
        each.name = say("Elsewhere in {town}", town=night.place["town"])
        each.cost_minor = expected_night(book, Place(**each.place), each.date)
        each.supplied, each.lodging = False, ""
        each.save()
    changed(member, trip, say("split a stay"), before, [_told(n) for n in rest])


@transaction.atomic
def record_full(member: Membership, trip_id: int, dates: list[date], when: str, who: str, reference: str) -> None:
    """Record that supplied quarters were full: when, who said so, under which reference. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    nights = _nights(trip, dates)
    try:
        asked = date.fromisoformat(when)
    except ValueError as error:
        raise Refusal(say("Say on which day they told you so."), "when") from error
    if len(who.strip()) < 2 or len(reference.strip()) < 2:
        raise Refusal(say("Say who told you that it was full, and under which reference."), "who")
    kept = {"when": day_text(asked, year=True), "who": who.strip()[:80], "reference": reference.strip()[:60]}
    for night in nights:
        night.full = kept
        night.save(update_fields=["full"])
    changed(
        member, trip, say("recorded that quarters were full"), None, {"nights": [str(n.date) for n in nights], **kept}
    )


def _journey(trip: Trip) -> Journey:
    return journey_of(legs_of(trip), nights_of(trip), trip.supplied)


@transaction.atomic
def mark_meal(
    member: Membership, trip_id: int, day: date, meal: Meal, all_alike: bool = False
) -> tuple[str, bool]:  # fmt: skip
    """Mark a meal as supplied by others, or not; for all like days at once if wanted. Returns what was done, in words."""
    trip = may_still_say(member, trip_id)
    journey = _journey(trip)
    if day not in journey.days():
        raise Stale(say("That day is no longer on the trip."))
    supplied = (day, meal) not in journey.supplied
    days = like_days(journey, day) if all_alike else [day]
    _keep_marks(member, trip, with_meal(journey, days, meal, supplied))
    return say("{value} on {day}", value=meal.value.capitalize(), day=day_text(day)), supplied


def bill_meals(trip_id: int, marks: list[str]) -> None:
    """Keep which meals a bill on the trip's claim pays for; the allowance follows. Called within the act that changed the bill."""
    Trip.objects.filter(pk=trip_id).update(billed=sorted(marks))


@transaction.atomic
def host_supplies(
    member: Membership, trip_id: int, first: date, last: date, meals: list[Meal], quarters: bool
) -> int:  # fmt: skip
    """Say for a span of days at once which meals the host supplies, and whether the nights are supplied too.

    Exactly these meals count on those days from now on. Returns how many days. Raises ``Refusal``.
    """
    trip = may_still_say(member, trip_id)
    journey = _journey(trip)
    days = [day for day in journey.days() if first <= day <= last]
    if not days:
        raise Refusal(say("None of these days is on the trip."), "first")
    marks = {(day, meal) for day, meal in journey.supplied if day not in days}
    marks |= {(day, meal) for day in days for meal in meals}
    if quarters:
        nights = Night.objects.filter(trip=trip, date__gte=first, date__lte=last).select_related("booking")
        for night in nights:
            if night.booking_id:
                raise Refusal(
                    say(
                        "The night of {date} is booked: {booking}. Cancel it first.",
                        date=day_text(night.date),
                        booking=night.booking,
                    ),
                    "quarters",
                )
            night.name, night.cost_minor, night.supplied = say("Supplied by the host"), 0, True
            night.save()
    _keep_marks(member, trip, frozenset(marks))
    return len(days)


def _keep_marks(member: Membership, trip: Trip, marks: frozenset[tuple[date, Meal]]) -> None:
    before = trip.supplied
    trip.supplied = sorted(f"{each.isoformat()}:{which.value}" for each, which in marks)
    changed(member, trip, say("marked meals"), before, trip.supplied)


def may_still_say(member: Membership, trip_id: int) -> Trip:
    """Lock and return a trip of which it may still be said how it was: once it is back, until its claim is sent.

    Raises ``NotAllowed``, ``Stale``.
    """
    trip = mine(member, trip_id, editable=False)
    claim = trip.claim
    # A closed trip with a supplement that is open: what is marked now is claimed there, as the difference.
    late = trip.state == "Closed" and claim is not None
    if not (trip.editable or late or trip.state in ("Authorised", "Under way", "Back")):
        raise Stale(say("The trip stands at {state}: what happened on it cannot be changed now.", state=trip.state))
    if claim is not None and not claim.editable:
        raise Stale(say("Its claim stands at {state}: what happened on it cannot be changed now.", state=claim.state))
    return trip
