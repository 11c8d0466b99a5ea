"""A trip's road: sent, signed, authorised, travelled. Each act is one transaction and one entry."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts.services import give_back, use_budgets
from wainwright.bookings import services as bookings
from wainwright.core.states import TRIP
from wainwright.errors import Refusal
from wainwright.formats.calendar import Appointment, write_calendar
from wainwright.news.services import Enclosed, tell
from wainwright.people.models import Membership
from wainwright.signoff import services as signoff
from wainwright.trail.services import record
from wainwright.trips.models import Leg, Trip
from wainwright.trips.selectors import TripFile, load_file
from wainwright.trips.services.plan import mine


def link(trip: Trip) -> str:
    """The trip's address."""
    return f"/trips/{trip.pk}/"


def title(trip: Trip) -> str:
    """The trip as it is called in news."""
    return f"{trip.traveller.person.name}: {trip.title}"


@transaction.atomic
def send(member: Membership, trip_id: int, version: int, typed_name: str) -> Trip:
    """Certify and send the plan. Only the traveller, with their own name typed; nothing may stand in the way."""
    trip = mine(member, trip_id, version)
    TRIP.after(trip.state, "send")
    file = load_file(member, trip)
    if file.in_the_way:
        raise Refusal(f"{file.in_the_way} still to put right or explain before the trip can go.")
    if not trip.legs.exists():
        raise Refusal("The trip has no legs yet. Say where you go first.")
    if typed_name.strip().casefold() != member.person.name.casefold():
        raise Refusal(f"Type your name as it stands here, {member.person.name}, to certify.", "name")
    if trip.advance > file.figures.proposed_advance.amount:
        raise Refusal("The advance is more than the plan supports now. Lower it.", "advance")
    before = trip.state
    trip.state = TRIP.after(trip.state, "send")
    trip.sent, trip.signed_name = clock.now(), typed_name.strip()
    trip.plan = _frozen(file)
    trip.planned_minor = file.figures.total.minor
    trip.version += 1
    trip.save()
    contents = {scope: signoff.fingerprint({"total": str(amount), **head}) for scope, amount, head in _scopes(file)}
    marks = tuple(each.finding.level.value for each in file.findings)
    asked = signoff.Asked(trip.subject, title(trip), f"/bench/trip/{trip.pk}/", file.figures.total, marks)
    signoff.start(member, asked, file.route, contents)
    record(member, "certified and sent the trip", trip.subject, before={"state": before}, after=trip.plan)
    return trip


def _scopes(file: TripFile):
    """Yield (scope, amount, what else it covers) for everybody on the route."""
    head = {"coding": str(file.trip.coding), "from": str(file.trip.starts), "to": str(file.trip.ends)}
    yield "all", file.figures.total, head
    for (dimension, code), amount in file.by_code.items():
        yield f"{dimension}:{code}", amount, {}


def _frozen(file: TripFile) -> dict:
    names = file.book.names
    return {
        "categories": [[name, str(amount.amount)] for name, amount in file.figures.by_category(names)],
        "by_code": {e.category: str(e.amount.amount) for e in file.figures.estimates},
        "allowance": str(file.figures.allowance.amount.amount),
        "total": str(file.figures.total.amount),
        "version": file.trip.version,
    }


@transaction.atomic
def take_back(member: Membership, trip_id: int) -> Trip:
    """Take the plan back before it is authorised."""
    trip = mine(member, trip_id, editable=False)
    before = trip.state
    trip.state = TRIP.after(trip.state, "take_back")
    trip.version += 1
    trip.save()
    signoff.drop(trip.subject)
    record(member, "took the trip back", trip.subject, before={"state": before}, after={"state": trip.state})
    return trip


@transaction.atomic
def call_off(member: Membership, trip_id: int) -> Trip:
    """Call the trip off: budgets are given back, holds are let go."""
    trip = mine(member, trip_id, editable=False)
    before = trip.state
    trip.state = TRIP.after(trip.state, "call_off")
    trip.save()
    give_back(trip.subject)
    for booking in trip.bookings.all():
        if booking.stands:
            bookings.move(booking, "cancel")
    record(member, "called the trip off", trip.subject, before={"state": before}, after={"state": trip.state})
    return trip


def signed(member: Membership, trip: Trip, given_for: str) -> None:
    """The last sign-off is there: authorise, commit the budgets, have the bookings ticketed once this is kept.

    Inside the bench's transaction.
    """
    file = load_file(trip.traveller, trip)
    before = trip.state
    trip.state = TRIP.after(trip.state, "authorise")
    trip.authorised = clock.now()
    trip.version += 1
    trip.save()
    year = (trip.starts or clock.today()).year
    use_budgets(trip.firm, year, trip.subject, file.by_code, actual=False)
    after = {"state": trip.state, "committed": {c: str(a.amount) for (_, c), a in file.by_code.items()}}
    record(member, "authorised the trip", trip.subject, before={"state": before}, after=after, for_whom=given_for)
    issue_tickets(trip.pk)


def ended(member: Membership, trip: Trip, act: str, comment: str, given_for: str) -> None:
    """The trip was sent back or turned down. Inside the bench's transaction."""
    before = trip.state
    trip.state = TRIP.after(trip.state, act)
    trip.version += 1
    trip.save()
    what = "sent the trip back" if act == "send_back" else "turned the trip down"
    record(
        member,
        what,
        trip.subject,
        before={"state": before},
        after={"state": trip.state, "comment": comment},
        for_whom=given_for,
    )
    words = "was sent back to you" if act == "send_back" else "was turned down"
    tell(trip.traveller, f"{trip.title} {words} by {member.person.name}", link(trip), comment)


@on_commit_task(retries=3, retry_delay=30)
def issue_tickets(trip_id: int) -> None:
    """Confirm and ticket what is held, then tell the traveller with the itinerary."""
    done = bookings.issue(trip_id)
    trip = Trip.objects.select_related("traveller__person", "traveller__firm", "firm").get(pk=trip_id)
    numbers = ", ".join(f"{b.label}: ticket {b.ticket_number}" for b in done)
    body = f"{itinerary_text(trip)}\n\n{numbers}".strip()
    file = Enclosed("itinerary.ics", itinerary_calendar(trip), "text/calendar")
    with transaction.atomic():
        tell(
            trip.traveller, f"{trip.title} is authorised" + (" and ticketed" if done else ""), link(trip), body, (file,)
        )


def itinerary_text(trip: Trip) -> str:
    """The itinerary in plain text, with local times."""
    rows = [
        f"{leg.leaves:%a %d %b %H:%M} {leg.origin['name']} to {leg.arrives:%a %d %b %H:%M} {leg.target['name']}, {leg.mode}"
        for leg in trip.legs.all()
    ]
    return "\n".join(rows)


def itinerary_calendar(trip: Trip) -> bytes:
    """The itinerary as a calendar file."""

    def entry(leg: Leg) -> Appointment:
        return Appointment(
            f"{trip.subject}-leg-{leg.pk}@wainwright", f"{leg.mode.capitalize()} {leg.origin['town']} – {leg.target['town']}",
            leg.leaves, leg.origin["zone"], leg.arrives, leg.target["zone"], leg.origin["name"], trip.title,
        )  # fmt: skip

    return write_calendar(trip.title, [entry(leg) for leg in trip.legs.all()], clock.now())


@transaction.atomic
def move_along(now: datetime) -> int:
    """Begin trips whose first leg has left, end those whose last has arrived, let late holds go."""
    moved = 0
    for state, act, done in (
        ("Authorised", "leave", lambda legs: legs[0].leaves_at <= now),
        ("Under way", "return", lambda legs: legs[-1].arrives_at <= now),
    ):
        for trip in (
            Trip.objects.select_for_update().filter(state=state, starts__lte=now.date()).prefetch_related("legs")
        ):
            legs = list(trip.legs.all())
            if legs and done(legs):
                trip.state = TRIP.after(state, act)
                trip.save(update_fields=["state"])
                record(None, f"trip {trip.state.lower()}", trip.subject, firm_id=trip.firm_id, before={"state": state})
                moved += 1
    return moved + bookings.lapse_holds(now)
