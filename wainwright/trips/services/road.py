"""A trip's road: sent, signed, authorised, travelled. Each act is one transaction and one entry."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta

from django.core.mail import EmailMultiAlternatives
from django.db import transaction
from django.db.models import QuerySet
from django.utils.translation import gettext
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts.services import give_back
from wainwright.bookings import services as bookings
from wainwright.bookings.models import Booking
from wainwright.core.risk import plan_risk
from wainwright.core.said import joined, kept, say
from wainwright.core.states import TRIP
from wainwright.errors import Refusal, Stale
from wainwright.language import read_by, written_for
from wainwright.news.services import Enclosed, tell
from wainwright.people.acting import must_be_oneself, must_prepare
from wainwright.people.models import Membership
from wainwright.people.post import post
from wainwright.people.proof import must_be_code
from wainwright.prepared import prepared
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff import services as signoff
from wainwright.trail.services import record
from wainwright.trips import letters
from wainwright.trips.budgets import commit_lost
from wainwright.trips.models import Trip
from wainwright.trips.selectors import TripFile, load_file
from wainwright.trips.services import basket, ways
from wainwright.trips.services.base import mine
from wainwright.trips.services.standing import keep_standing, stand_again
from wainwright.trips.services.versions import commit, write
from wainwright.trips.under import legs_of


def link(trip: Trip) -> str:
    """The trip's address."""
    return f"/trips/{trip.pk}/"


def title(trip: Trip) -> str:
    """The trip as it is called in news."""
    return joined("", (trip.traveller.person.name, ": ", trip.title))


def send(
    member: Membership, trip_id: int, version: int, typed: str, advance_confirmed: bool = False,
    along: Mapping[int, int] | None = None,
) -> Trip:  # fmt: skip
    """Certify and send the plan, as ``_send``; where a code certifies, only so many wrong ones are taken.

    ``along`` names parties of the same move that go with this signature, each at its version: all of them go, or none.
    """
    must_be_oneself(member)
    if rulebook(member.firm).policy.certify_by == "code":
        # Outside the act, so that a wrong guess is kept.
        must_be_code(member.person, typed)
    with transaction.atomic():
        trip = _send(member, trip_id, version, typed, advance_confirmed)
        for party_id, its in (along or {}).items():
            party = trip.parties.filter(pk=party_id).first()
            if party is None:
                raise Stale(say("A party that was to go along does not stand on this move any more. Look at it again."))
            try:
                _send(member, party_id, its, typed)
            except Refusal as refusal:
                raise type(refusal)(joined("", (party.party, ": ", refusal.message))) from refusal
    return trip


@transaction.atomic
def _send(
    member: Membership, trip_id: int, version: int, typed: str, advance_confirmed: bool = False
) -> Trip:  # fmt: skip
    """Certify and send the plan, or buy at once where the firm asks no sign-off.

    Only the traveller, with their own name typed or a code of their authenticator, as the firm chose;
    nothing may stand in the way; an advance is confirmed. Raises ``Refusal``.
    """
    trip = mine(member, trip_id, version)
    TRIP.after(trip.state, "send")
    file = load_file(member, trip)
    if file.in_the_way:
        raise Refusal(
            say("{in_the_way} still to put right or explain before the trip can go.", in_the_way=file.in_the_way)
        )
    if not trip.legs.exists():
        raise Refusal(say("The trip has no legs yet. Say where you go first."))
    _certified(member, file.book.policy.certify_by, typed)
    if trip.advance_to_pay and trip.advance > file.figures.proposed_advance.amount:
        raise Refusal(say("The advance is more than the plan supports now. Lower it."), "advance")
    if trip.advance_to_pay and not advance_confirmed:
        more = (
            say("{advance_to_pay} more in advance", advance_to_pay=trip.advance_to_pay)
            if trip.advance_paid
            else say("the advance of {advance}", advance=trip.advance)
        )
        raise Refusal(say("Say that you ask for {more}, or take it off.", more=more), "advance_confirmed")
    before = trip.state
    trip.state = TRIP.after(trip.state, "send")
    trip.sent, trip.signed_name, trip.ready_by = clock.now(), member.person.name, None
    trip.version += 1
    version_ = write(file, say("certified and sent"), member.person.name, file.book.policy.certify_by)
    trip.save()
    after = {
        "version": version_.number, "total": version_.total_minor, "allowance": version_.allowance_minor,
        "by category": version_.by_category,
    }  # fmt: skip
    record(member, say("certified and sent the trip"), trip.subject, before={"state": before}, after=after)
    contents = {scope: signoff.fingerprint({"total": str(amount), **head}) for scope, amount, head in _scopes(file)}
    marks = tuple(each.finding.level.value for each in file.findings)
    risk = plan_risk(
        [each.finding.text for each in file.findings if each.reason is not None],
        [each.title for each in file.permissions],
    )
    asked = signoff.Asked(
        trip.subject,
        title(trip),
        f"/bench/trip/{trip.pk}/",
        file.figures.total,
        marks,
        "plan",
        str(trip.coding),
        risk.points,
    )
    signoff.start(member, asked, file.route, contents)
    if not signoff.anyone_waits(trip.subject):
        # Nobody is asked, or all have signed just this before: it is authorised at once.
        signed(member, trip, "")
    return trip


@transaction.atomic
def ready(member: Membership, trip_id: int) -> Trip:
    """Say that a plan somebody prepared is ready: it waits on the traveller's desk for one signature. Raises ``NotAllowed``."""
    must_prepare(member, "trip")
    trip = mine(member, trip_id)
    signoff.say_ready(member, trip, "trip", link(trip))
    return trip


def _certified(member: Membership, by: str, typed: str) -> None:
    if by == "name" and typed.strip().casefold() != member.person.name.casefold():
        raise Refusal(say("Type your name as it stands here, {member}, to certify.", member=member.person.name), "name")


def _scopes(file: TripFile):
    """Yield (scope, amount, what else it covers) for everybody on the route."""
    head = {
        "coding": sorted(joined("", (c, " ", a)) for c, a in file.borne),
        "from": str(file.trip.starts),
        "to": str(file.trip.ends),
    }
    yield "all", file.figures.total, head
    for (dimension, code), amount in file.by_code.items():
        yield f"{dimension}:{code}", amount, {}


@transaction.atomic
def take_back(member: Membership, trip_id: int) -> Trip:
    """Take the plan back before it is authorised."""
    trip = mine(member, trip_id, editable=False)
    before = trip.state
    trip.state = TRIP.after(trip.state, "take_back")
    trip.version += 1
    trip.save()
    signoff.drop(trip.subject)
    record(member, say("took the trip back"), trip.subject, before={"state": before}, after={"state": trip.state})
    return trip


@transaction.atomic
def reopen(member: Membership, trip_id: int) -> Trip:
    """Change the plan of an authorised trip: bookings and budgets stand, and those whom a change concerns sign again."""
    trip = mine(member, trip_id, editable=False)
    before = trip.state
    keep_standing(trip)
    trip.state = TRIP.after(trip.state, "reopen")
    trip.version += 1
    trip.save()
    record(member, say("opened the plan again"), trip.subject, before={"state": before}, after={"state": trip.state})
    return trip


@transaction.atomic
def remark(member: Membership, trip_id: int, text: str, line: str = "") -> None:
    """Say something on the trip; those on its route who were asked are told, and the traveller. Raises ``Refusal``."""
    trip = Trip.objects.visible_to(member).select_related("traveller__person", "traveller__firm").get(pk=trip_id)
    signoff.remark(member, trip.subject, text, line)
    record(member, say("said something"), trip.subject, after={"text": text.strip()[:200], "line": line})
    told = {s.signer_id: s.signer for s in signoff.asked_now(trip.subject)}
    told[trip.traveller_id] = trip.traveller
    for other in told.values():
        if other.pk != member.pk:
            tell(
                other,
                say(
                    "{member} on {trip_title}: {text}",
                    member=member.person.name,
                    trip_title=trip.title,
                    text=text.strip()[:120],
                ),
                link(trip),
            )


def call_off(member: Membership, trip_id: int) -> Trip:
    """Call the trip off: budgets are given back but for what cannot be refunded, bookings are given up one by one.

    Raises ``Refusal`` where the market does not answer; the trip is called off, and what still stands is shown.
    """
    with transaction.atomic():
        trip = mine(member, trip_id, editable=False)
        before = trip.state
        trip.state = TRIP.after(trip.state, "call_off")
        trip.version += 1
        trip.save()
        give_back(trip.subject)
        record(member, say("called the trip off"), trip.subject, before={"state": before}, after={"state": trip.state})
    for booking in trip.bookings.all():
        if booking.stands and not booking.by_hand:
            bookings.give_up(booking, booking.costs_to_cancel.minor)
    with transaction.atomic():
        commit_lost(trip)
    return trip


def signed(member: Membership, trip: Trip, given_for: str) -> None:
    """The last sign-off is there: authorise, commit the budgets, have the bookings ticketed once this is kept.

    Inside the caller's transaction.
    """
    file = load_file(trip.traveller, trip)
    before = trip.state
    trip.state = TRIP.after(trip.state, "authorise")
    trip.authorised, trip.standing = clock.now(), {}
    trip.version += 1
    trip.save()
    commit(trip, file)
    after = {"state": trip.state, "committed": {c: str(a.amount) for (_, c), a in file.by_code.items()}}
    record(member, say("authorised the trip"), trip.subject, before={"state": before}, after=after, for_whom=given_for)
    issue_tickets(trip.pk)


def ended(member: Membership, trip: Trip, act: str, comment: str, given_for: str) -> None:
    """The trip was sent back or turned down; turned down as a change, what was authorised before stands again.

    Inside the bench's transaction.
    """
    before, again = trip.state, act == "turn_down" and bool(trip.standing)
    if again:
        stand_again(trip)
    else:
        trip.state = TRIP.after(trip.state, act)
        trip.version += 1
        trip.save()
    what = say("sent the trip back") if act == "send_back" else say("turned the trip down")
    if again:
        what = say("turned the change of the trip down")
    after = {"state": trip.state, "comment": comment}
    record(member, what, trip.subject, before={"state": before}, after=after, for_whom=given_for)
    who = {"title": trip.title, "member": member.person.name}
    news = (
        say("{title} stays as it was authorised: {member} turned its change down", **who)
        if again
        else say("{title} was sent back to you by {member}", **who)
        if act == "send_back"
        else say("{title} was turned down by {member}", **who)
    )
    tell(trip.traveller, news, link(trip), comment)


@on_commit_task(retries=3, retry_delay=30)
def issue_tickets(trip_id: int) -> None:
    """Confirm and ticket what is held, then send the itinerary and the order of travel, and say what did not work."""
    _tell_what_came_of_it(trip_id, bookings.issue(trip_id))


def _tell_what_came_of_it(trip_id: int, troubled: list[Booking]) -> None:
    (trip,) = _whose(trip_id)
    file = load_file(trip.traveller, trip)
    done = any(b.state == "Ticketed" and not b.by_hand for b in file.bookings)
    text = (
        say("{trip_title} is authorised and ticketed", trip_title=trip.title)
        if done and not troubled
        else say("{trip_title} is authorised", trip_title=trip.title)
    )
    with read_by(trip.traveller.person.language, trip.firm.language):
        itinerary, enclosed = letters.itinerary_text(file), _enclosed(file)
    with transaction.atomic():
        tell(trip.traveller, text, link(trip), itinerary, enclosed)
        for booking in troubled:
            tell(trip.traveller, joined(": ", (kept(booking.label), kept(booking.problem))), link(trip))
        send_itinerary(file)


@prepared
def _whose(trip: int) -> QuerySet[Trip]:
    return Trip.objects.filter(pk=trip).select_related("traveller__person", "traveller__firm", "firm")


def _enclosed(file: TripFile) -> tuple[Enclosed, ...]:
    trip = file.trip
    return (
        Enclosed("itinerary.ics", letters.calendar_of([file], trip.title), "text/calendar"),
        Enclosed(f"order-{trip.code}.pdf", letters.order_pdf(file, []), "application/pdf"),
    )


def send_itinerary(file: TripFile) -> bool:
    """Send the itinerary to the address that the trip keeps for it, as HTML and plain text, where that is another one."""
    trip = file.trip
    to = trip.profile.get("itinerary_email", "")
    if not to or to == trip.traveller.person.email:
        return False
    _post_itinerary(file, to)
    return True


def _post_itinerary(file: TripFile, to: str) -> None:
    trip = file.trip
    with written_for(trip.firm):
        subject = gettext("Itinerary: %(title)s") % {"title": trip.title}
        mail = EmailMultiAlternatives(subject, letters.itinerary_text(file), to=[to])
        mail.attach_alternative(letters.itinerary_html(file), "text/html")
        mail.attach("itinerary.ics", letters.calendar_of([file], trip.title), "text/calendar")
    post(mail)


@transaction.atomic
def mail_itinerary(member: Membership, trip_id: int) -> str:
    """Send the itinerary again to the address that the trip keeps; return the address. Raises ``Refusal``."""
    trip = mine(member, trip_id, editable=False)
    to = trip.profile.get("itinerary_email", "") or member.person.email
    file = load_file(member, trip)
    if not file.legs:
        raise Refusal(say("There is no itinerary yet: the trip has no legs."))
    if not send_itinerary(file):
        _post_itinerary(file, to)
    record(member, say("sent the itinerary"), trip.subject, after={"to": to})
    return to


def move_along(now: datetime) -> int:
    """Begin trips whose first leg has left, end those whose last has arrived, let late holds go, finish what broke off."""
    moved = _begin_and_end(now) + _lapse(now) + ways.finish_asked(now)
    _try_again()
    _late_tickets(now)
    return moved


@transaction.atomic
def _lapse(now: datetime) -> int:
    """Let late holds go, and tell whose they were."""
    lapsed = bookings.lapse_holds(now)
    for booking in lapsed:
        basket.lapsed(booking)
        words = say(
            "The hold of {booking_label} has run out. Its price is no longer kept: hold it again, or choose another.",
            booking_label=booking.label,
        )
        tell(booking.trip.traveller, words, link(booking.trip))
    return len(lapsed)


@transaction.atomic
def _begin_and_end(now: datetime) -> int:
    moved = 0
    for state, act, done in (
        ("Authorised", "leave", lambda legs: legs[0].leaves_at <= now),
        ("Under way", "return", lambda legs: legs[-1].arrives_at <= now),
    ):
        # Days are local to the place of departure: where it is early, the day begins before that of UTC.
        latest = now.date() + timedelta(days=1)
        found = (
            Trip.objects.select_for_update(no_key=True).filter(state=state, starts__lte=latest).prefetch_related("legs")
        )
        for trip in found:
            legs = legs_of(trip)
            if legs and done(legs):
                trip.state = TRIP.after(trip.state, act)
                trip.save(update_fields=["state"])
                record(
                    None,
                    say("trip {state}", state=trip.state.lower()),
                    trip.subject,
                    firm_id=trip.firm_id,
                    before={"state": state},
                )
                _close_if_settled(trip)
                moved += 1
    return moved


def _close_if_settled(trip: Trip) -> None:
    """A trip that was claimed and paid while it was under way has nothing more to wait for once it is back."""
    claims = trip.live_claims if trip.state == "Back" else []
    if claims and all(claim.state == "Settled" for claim in claims):
        trip.state = TRIP.after(trip.state, "close")
        trip.save(update_fields=["state"])
        record(None, say("trip closed"), trip.subject, firm_id=trip.firm_id)


def _try_again() -> None:
    """Confirm and ticket what was not done yet, except where a person has to decide first."""
    waiting = Booking.objects.filter(
        state__in=["Held", "Confirmed"], by_hand=False, trip__state__in=["Authorised", "Under way"]
    )
    waiting = waiting.exclude(price_now_minor__isnull=False).exclude(problem__contains="was refused")
    for trip_id in set(waiting.values_list("trip_id", flat=True)):
        ticketed = Booking.objects.filter(trip_id=trip_id, state="Ticketed")
        before, troubled = ticketed.count(), bookings.issue(trip_id)
        if ticketed.count() > before:
            # Whoever issued them first was broken off before it could say so.
            _tell_what_came_of_it(trip_id, troubled)


@transaction.atomic
def _late_tickets(now: datetime) -> None:
    """Bring a ticket that was not issued by its limit to the traveller and to whoever booked it, once."""
    for booking in bookings.tell_once_late(now):
        trip = booking.trip
        late = say("{booking_label} is not ticketed, though its limit has passed.", booking_label=booking.label)
        words = joined(" ", filter(None, (late, kept(booking.problem))))
        for member in {trip.traveller, booking.booker} - {None}:
            tell(member, words, link(trip))
        record(None, say("ticket late"), trip.subject, firm_id=trip.firm_id, after={"booking": booking.pk})


def must_be_signed(trip: Trip) -> None:
    """Raise ``Stale`` where nothing was signed of a trip yet, so that no order of travel can be made."""
    if not trip.versions.exists():
        raise Stale(say("An order of travel is there once the trip was sent."))
