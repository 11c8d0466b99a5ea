"""Acts on bookings, called by the trip they belong to.

What goes to the market is kept first (state Asked), then sent, then its answer is kept, each in a
transaction of its own; the market takes the same ``once`` for the same hold. So whatever breaks
off in between is known, shown, and finished by the worker.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from functools import cache

import holidays
from django.db import IntegrityError, transaction
from django.db.models import QuerySet

from wainwright import clock
from wainwright.bookings.choices import Choice
from wainwright.bookings.market import NoAnswer, ask, sane_hold, sane_number, sane_price
from wainwright.bookings.models import Booking
from wainwright.core.business_time import Office, business_hours_before
from wainwright.core.money import Money
from wainwright.core.said import said_by, say
from wainwright.core.states import BOOKING
from wainwright.errors import Refusal, Stale
from wainwright.people.models import Membership
from wainwright.ports.market import MarketError, NotYet
from wainwright.prepared import prepared
from wainwright.trail.services import record

# A hold that was asked for and has had no answer for so long is asked for again by the worker.
UNANSWERED = timedelta(minutes=2)


@cache
def office_of(country: str, zone: str) -> Office:
    """Return the issuing office of a firm with its country's public holidays."""
    try:
        days = holidays.country_holidays(country)
    except NotImplementedError:
        days = frozenset()
    return Office(zone, holidays=days)


@dataclass(frozen=True)
class Terms:
    """The firm's terms of holding: hours a hold stands without being sent, business hours to ticket before leaving."""

    hold_hours: int
    ticket_hours: int


@prepared
def _kept_once(once: str) -> QuerySet[Booking]:
    return Booking.objects.select_for_update(no_key=True).filter(once=once)


@transaction.atomic
def keep_asked(
    member: Membership, trip_id: int, choice: Choice, paid_by: str, card: str, instead_of: Booking | None = None
) -> Booking:
    """Keep that something is about to be asked of the market; the same choice on the same trip is kept once."""
    once = f"trip:{trip_id}:{'+'.join(choice.keys)}"[-100:]
    known = next(iter(_kept_once(once)), None)
    if known and (known.stands or known.state == "Asked"):
        return known
    if known:
        once = f"{once}#{Booking.objects.filter(trip_id=trip_id).count()}"
    return Booking.objects.create(
        firm=member.firm, trip_id=trip_id, booker=member.doer, kind=choice.kind, keys=list(choice.keys), carrier=choice.carrier,
        label=choice.label, fare=choice.fare, cabin=choice.cabin, contracted=choice.contracted,
        contract_passed=choice.contract_passed, rows=choice.rows, hops=choice.hops, currency=choice.price.currency,
        price_minor=choice.price.minor, cheapest_minor=choice.cheapest.minor, alternatives=choice.alternatives,
        refund_fee_minor=choice.refund_fee.minor if choice.refund_fee else None if choice.refund_fee is None else 0,
        change_fee_minor=choice.change_fee.minor if choice.change_fee else None if choice.change_fee is None else 0,
        carbon_kg=choice.carbon_kg, seat_choice=choice.seats, paid_by=paid_by, card=card, departure=choice.departure,
        asked=clock.now(), instead_of=instead_of, once=once,
    )  # fmt: skip


def send_hold(booking: Booking, traveller: str, terms: Terms) -> Booking:
    """Send what was kept, and keep the answer. Raises ``Refusal`` when nothing is held; the booking says why."""
    try:
        held = ask("hold", tuple(booking.keys), traveller, booking.once)
        if not sane_hold(held, booking.currency):
            raise MarketError(say("The market's answer made no sense. Nothing was held."))
        if held.price != booking.price:
            raise MarketError(
                say(
                    "The price changed from {price} to {price_2} while you chose. Nothing was held. Search again.",
                    price=booking.price,
                    price_2=held.price,
                )
            )
    except NoAnswer as error:
        # It may be held or not: it stays Asked, and the worker asks again under the same key.
        _problem(booking.pk, said_by(error))
        raise Refusal(
            say(
                "{error} {booking_label} was asked for; whether it is held shows on the trip by itself.",
                error=error,
                booking_label=booking.label,
            )
        ) from error
    except MarketError as error:
        with transaction.atomic():
            booking = _locked(booking.pk)
            if booking.state == "Asked":
                booking.problem = said_by(error)[:300]
                move(booking, "cancel")
        raise Refusal(said_by(error)) from error
    with transaction.atomic():
        booking = _locked(booking.pk)
        if booking.state != "Asked":
            return booking
        now = clock.now()
        booking.reference, booking.problem = held.reference, ""
        booking.held_until = min(now + timedelta(hours=terms.hold_hours), booking.departure)
        office = office_of(booking.firm.country, booking.firm.zone)
        booking.ticket_by = business_hours_before(booking.departure, Decimal(terms.ticket_hours), office)
        move(booking, "hold")
    return booking


def _locked(booking_id: int) -> Booking:
    found = _with_its_trip(booking_id)
    if not found:
        raise Booking.DoesNotExist
    return found[0]


@prepared
def _with_its_trip(booking: int) -> QuerySet[Booking]:
    rows = Booking.objects.select_for_update(of=("self",), no_key=True)
    return rows.select_related("trip", "firm", "booker").filter(pk=booking)


def move(booking: Booking, act: str) -> None:
    """Move a booking to its next state, with its entry in the trail. Inside the caller's transaction."""
    before = booking.state
    booking.state = BOOKING.after(before, act)
    booking.save()
    record(
        None, say("booking {act}", act=act), f"trip:{booking.trip_id}", firm_id=booking.firm_id,
        before={"booking": booking.pk, "state": before},
        after={"booking": booking.pk, "state": booking.state, "ticket": booking.ticket_number, "problem": booking.problem},
    )  # fmt: skip


def issue(trip_id: int) -> list[Booking]:
    """Confirm and ticket everything held for a trip; safe to repeat after it was broken off.

    Each booking goes its own way: what is in one's way is kept as its problem, the others go on.
    Returns those that have a problem now that they had not before.
    """
    troubled = []
    for booking in _to_issue(trip_id):
        before = booking.problem
        after = _further(booking)
        if after and after != before:
            troubled.append(_loaded(booking.pk))
    return troubled


@prepared
def _to_issue(trip: int) -> QuerySet[Booking]:
    return Booking.objects.filter(trip_id=trip, state__in=["Held", "Confirmed"], by_hand=False).order_by("id")


def _loaded(booking_id: int) -> Booking:
    return Booking.objects.select_related("trip", "firm", "booker__person").get(pk=booking_id)


def _further(booking: Booking) -> str:
    """Take one booking as far as it goes; return its problem, if any."""
    try:
        if booking.state == "Held":
            now = sane_price(ask("price_now", booking.reference, booking.price), booking.currency)
            if now != booking.price:
                words = say(
                    "The price rose from {price} to {now} since it was held. Take it at that, or cancel it.",
                    price=booking.price,
                    now=now,
                )
                _problem(booking.pk, words, now)
                return words
            ask("confirm", booking.reference, booking.card)
            _step(booking.pk, "confirm")
        _step(booking.pk, "ticket", sane_number(ask("ticket", booking.reference)))
    except NotYet as error:
        _problem(booking.pk, said_by(error))
        return said_by(error)
    except MarketError as error:
        _problem(booking.pk, said_by(error))
        return said_by(error)
    return ""


@transaction.atomic
def _problem(booking_id: int, words: str, price_now: Money | None = None) -> None:
    booking = _locked(booking_id)
    booking.problem = words[:300]
    booking.price_now_minor = price_now.minor if price_now else None
    booking.save(update_fields=["problem", "price_now_minor"])


@transaction.atomic
def _step(booking_id: int, act: str, number: str = "") -> None:
    booking = _locked(booking_id)
    if BOOKING.can(booking.state, act):
        booking.ticket_number = number or booking.ticket_number
        booking.problem = ""
        move(booking, act)


@transaction.atomic
def accept_price(booking_id: int) -> Booking:
    """Take a hold at the price it has now. Raises ``Stale`` where nothing changed."""
    booking = _locked(booking_id)
    if booking.state != "Held" or booking.price_now_minor is None:
        raise Stale(say("Its price stands as it was."))
    before = booking.price_minor
    booking.price_minor, booking.price_now_minor, booking.problem = booking.price_now_minor, None, ""
    booking.save()
    after = {"booking": booking.pk, "price": booking.price_minor}
    record(booking.booker, say("took the new price"), f"trip:{booking.trip_id}", firm_id=booking.firm_id,
           before={"price": before}, after=after)  # fmt: skip
    return booking


def accepted_at_market(booking_id: int) -> None:
    """Confirm and ticket a hold whose new price was taken, without asking for the price again."""
    booking = Booking.objects.get(pk=booking_id)
    try:
        ask("confirm", booking.reference, booking.card)
        _step(booking.pk, "confirm")
        _step(booking.pk, "ticket", sane_number(ask("ticket", booking.reference)))
    except MarketError as error:
        _problem(booking.pk, said_by(error))


def give_up(booking: Booking, keep_minor: int) -> Booking:
    """Cancel a booking at the market and here; ``keep_minor`` is what is not given back. Safe to repeat.

    Raises ``Refusal`` where the market does not answer: nothing changed then.
    """
    if booking.reference and not booking.by_hand:
        try:
            ask("cancel", booking.reference)
        except MarketError as error:
            raise Refusal(
                say("{error} {booking_label} stands as it was.", error=error, booking_label=booking.label)
            ) from error
    with transaction.atomic():
        booking = _locked(booking.pk)
        if BOOKING.can(booking.state, "cancel"):
            booking.lost_minor, booking.problem = keep_minor, ""
            move(booking, "cancel")
    return booking


@transaction.atomic
def lapse_holds(now: datetime) -> list[Booking]:
    """Let every hold go whose time ran out while its trip was not sent; return them.

    Its moves and nights stay on the plan at the price they had, as if they had been typed.
    """
    late = Booking.objects.select_for_update(of=("self",), no_key=True).filter(
        state="Held",
        held_until__lt=now,
        trip__state__in=["Planning", "Sent back", "Called off", "Turned down"],
    )
    lapsed = list(late.select_related("trip__traveller__person", "trip__traveller__firm", "firm"))
    for booking in lapsed:
        first = booking.legs.first()
        if first is not None:
            booking.legs.filter(pk=first.pk).update(estimate_minor=booking.price_minor)
        booking.legs.update(booking=None)
        booking.nights.update(booking=None)
        move(booking, "lapse")
    return lapsed


@dataclass(frozen=True)
class ByHand:
    """What was bought elsewhere, as typed."""

    kind: str
    label: str
    supplier: str
    number: str
    price: Money
    paid_by: str
    day: datetime


@transaction.atomic
def record_by_hand(member: Membership, trip_id: int, typed: ByHand) -> Booking:
    """Record a ticket or fee that was bought elsewhere. Raises ``Refusal`` naming the other where its number is known."""
    number = " ".join(typed.number.split())[:40]
    if not number:
        raise Refusal(
            say("Type the number of the ticket or invoice; it is what keeps it from being recorded twice."), "number"
        )
    if typed.price.minor <= 0:
        raise Refusal(say("Type an amount of more than nothing."), "amount")
    other = (
        Booking.objects.filter(firm=member.firm, ticket_number__iexact=number)
        .select_related("trip__traveller__person")
        .first()
    )
    if other is not None:
        raise Refusal(_taken(other, member), "number")
    try:
        with transaction.atomic():
            booking = Booking.objects.create(
                firm=member.firm, trip_id=trip_id, booker=member, kind=typed.kind, state="Ticketed", by_hand=True,
                carrier=typed.supplier.strip()[:160] or say("bought elsewhere"), label=typed.label.strip()[:160],
                currency=typed.price.currency, price_minor=typed.price.minor, cheapest_minor=typed.price.minor,
                paid_by=typed.paid_by, departure=typed.day, asked=clock.now(), ticket_number=number,
                once=f"hand:{member.firm_id}:{number}"[:120],
            )  # fmt: skip
    except IntegrityError as error:
        raise Refusal(say("The number {number} was recorded a moment ago.", number=number), "number") from error
    after = {"booking": booking.pk, "number": number, "price": booking.price_minor}
    record(member, say("recorded a ticket by hand"), f"trip:{trip_id}", after=after)
    return booking


def _taken(other: Booking, member: Membership) -> str:
    trip = other.trip
    whose = (
        say("your trip")
        if trip.traveller_id == member.pk
        else say("a trip of {traveller}", traveller=trip.traveller.person.name)
    )
    return say(
        "The number {ticket_number} stands on {whose} already, {trip_code}: {other_label}, {price}.",
        ticket_number=other.ticket_number,
        whose=whose,
        trip_code=trip.code,
        other_label=other.label,
        price=other.price,
    )


@transaction.atomic
def forget_by_hand(member: Membership, booking: Booking) -> None:
    """Take off what was recorded by hand by mistake; its number is free again."""
    before = {"booking": booking.pk, "number": booking.ticket_number, "price": booking.price_minor}
    booking.delete()
    record(member, say("took a recorded ticket off"), f"trip:{booking.trip_id}", before=before)


@transaction.atomic
def set_seats(booking_id: int, seats: list[str]) -> None:
    """Keep the seats or the wish that were asked for."""
    booking = _locked(booking_id)
    before, booking.seats = booking.seats, seats
    booking.save(update_fields=["seats"])
    record(
        booking.booker,
        say("chose seats"),
        f"trip:{booking.trip_id}",
        firm_id=booking.firm_id,
        before=before,
        after=seats,
    )


@transaction.atomic
def set_card(booking_id: int, paid_by: str, card: str) -> None:
    """Pay a booking that is not ticketed by another card, or have it billed; a refusal of the card before is forgotten."""
    booking = _locked(booking_id)
    if booking.state not in ("Held", "Confirmed"):
        raise Stale(say("It stands at {state}: how it is paid cannot be changed now.", state=booking.state))
    before = {"paid_by": booking.paid_by, "card": booking.card}
    booking.paid_by, booking.card, booking.problem = paid_by, card, ""
    booking.save()
    record(booking.booker, say("changed how it is paid"), f"trip:{booking.trip_id}", firm_id=booking.firm_id, before=before,
           after={"paid_by": paid_by, "card": card})  # fmt: skip


@transaction.atomic
def tell_once_late(now: datetime) -> list[Booking]:
    """Return the bookings whose ticket is late by now and was not spoken of yet, marked as spoken of."""
    late = list(
        Booking.objects.select_for_update(of=("self",), no_key=True)
        .filter(state__in=["Held", "Confirmed"], ticket_by__lt=now, late_told=False, trip__state__in=["Authorised", "Under way"])
        .select_related("trip__traveller__person", "trip__traveller__firm", "trip__firm", "firm", "booker__person", "booker__firm")
    )  # fmt: skip
    Booking.objects.filter(pk__in=[b.pk for b in late]).update(late_told=True)
    return late
