"""What is done with what stands in a trip's basket: cancelled, recorded by hand, taken at a new price, paid by another card, seated."""

from __future__ import annotations

from dataclasses import replace

from django.db import transaction

from wainwright.bookings import services as bookings
from wainwright.bookings.market import ask
from wainwright.bookings.models import KINDS, Booking
from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.core.said import joined, said_by, say
from wainwright.errors import Refusal, Stale
from wainwright.people.models import Membership
from wainwright.ports.market import MarketError
from wainwright.rulebook.selectors import rulebook
from wainwright.trips.models import Leg, Night, OtherCost, Trip
from wainwright.trips.services.base import changed, mine
from wainwright.trips.services.nights import expected_night, rebuild_nights
from wainwright.trips.services.versions import amend
from wainwright.trips.services.ways import must_be_payer, supply_breakfasts

BOOKABLE_AFTER = ("Authorised", "Under way")


def cancel(member: Membership, trip_id: int, booking_id: int) -> Booking:
    """Cancel a booking; what is not given back stays on the plan and, once authorised, on the budgets. Raises ``Refusal``."""
    with transaction.atomic():
        trip = mine(member, trip_id, editable=False)
        if not (trip.editable or trip.state in BOOKABLE_AFTER):
            raise Stale(say("The trip stands at {state}: nothing is booked or cancelled on it now.", state=trip.state))
        booking = Booking.objects.filter(trip=trip, pk=booking_id).first()
        if booking is None or not booking.stands:
            raise Stale(say("That booking is gone already."))
        if booking.by_hand:
            bookings.forget_by_hand(member, booking)
            amend(member, trip, say("taken off: {booking_label}", booking_label=booking.label))
            return booking
        others = trip.legs.exclude(booking=booking)
        if not trip.editable and booking.legs.exists() and not others.exists():
            raise Refusal(
                say("That is the whole journey. Call the trip off instead, or change its plan and choose another way.")
            )
    kept = booking.costs_to_cancel.minor
    booking = bookings.give_up(booking, kept)
    with transaction.atomic():
        trip = mine(member, trip_id, editable=False)
        Leg.objects.filter(trip=trip, booking=booking).delete()
        # A bag that was planned with it is planned no more; it was never bought.
        OtherCost.objects.filter(trip=trip, booking=booking).delete()
        _free(trip, booking)
        rebuild_nights(trip)
        after = {"booking": booking.pk, "price": booking.price_minor, "not given back": kept}
        changed(member, trip, say("cancelled: {booking_label}", booking_label=booking.label), None, after)
        amend(member, trip, say("cancelled: {booking_label}", booking_label=booking.label))
    return booking


def lapsed(booking: Booking) -> None:
    """A hold has run out: the breakfast that it had in its price is supplied no more. Inside the caller's transaction."""
    if booking.breakfast:
        trip = Trip.objects.select_for_update(of=("self",), no_key=True).get(pk=booking.trip_id)
        supply_breakfasts(trip, booking, list(Night.objects.filter(trip=trip, booking=booking)), False)
        trip.save(update_fields=["supplied"])


def _free(trip: Trip, booking: Booking) -> None:
    """The nights of a room that was given up are as if nothing had been booked."""
    book = rulebook(trip.firm)
    nights = list(Night.objects.filter(trip=trip, booking=booking))
    supply_breakfasts(trip, booking, nights, False)
    for night in nights:
        night.booking, night.name, night.supplied = None, "", False
        night.cost_minor = expected_night(book, Place(**night.place), night.date)
        night.save()


def by_hand(member: Membership, trip_id: int, typed: bookings.ByHand, fee: Money | None = None) -> Booking:
    """Record what was bought elsewhere on a trip that is not closed, and the fee of whoever sold it as a thing of its own.

    The fee's number is that of the ticket and the word: one invoice has both. Raises ``Refusal``, and keeps neither.
    """
    with transaction.atomic():
        trip = mine(member, trip_id, editable=False)
        if not (trip.editable or trip.state in (*BOOKABLE_AFTER, "Back")):
            raise Stale(say("The trip stands at {state}: nothing is recorded on it now.", state=trip.state))
        booking = bookings.record_by_hand(member, trip_id, typed)
        _recorded(member, trip, booking)
        if fee is not None and fee.minor and typed.kind != "fee":
            label = joined("", (dict(KINDS)["fee"], ", ", typed.supplier.strip() or "bought elsewhere"))
            number = say("{ticket_number} fee", ticket_number=booking.ticket_number[:36])
            extra = bookings.record_by_hand(
                member, trip_id, replace(typed, kind="fee", label=label, number=number, price=fee)
            )
            _recorded(member, trip, extra)
    return booking


def _recorded(member: Membership, trip: Trip, booking: Booking) -> None:
    changed(
        member,
        trip,
        say("recorded: {booking_label}", booking_label=booking.label),
        None,
        {"number": booking.ticket_number},
    )
    amend(member, trip, say("recorded: {booking_label}", booking_label=booking.label))


def take_price(member: Membership, trip_id: int, booking_id: int) -> Booking:
    """Take a hold at the price it has now; one that is authorised already is confirmed and ticketed at once."""
    with transaction.atomic():
        trip, booking = _own_booking(member, trip_id, booking_id)
        booking = bookings.accept_price(booking.pk)
        amend(member, trip, say("taken at its new price: {booking_label}", booking_label=booking.label))
    if trip.state in BOOKABLE_AFTER:
        bookings.accepted_at_market(booking.pk)
    return Booking.objects.get(pk=booking.pk)


def pay_by(member: Membership, trip_id: int, booking_id: int, paid_by: str, card: str) -> None:
    """Pay a booking by the firm's card on the profile, or have it billed; a trip that is authorised is tried again at once."""
    must_be_payer(member, paid_by, card)
    with transaction.atomic():
        trip, booking = _own_booking(member, trip_id, booking_id)
        bookings.set_card(booking.pk, paid_by, card if paid_by == "firm" else "")
    if trip.state in BOOKABLE_AFTER:
        bookings.issue(trip.pk)


def choose_seats(member: Membership, trip_id: int, booking_id: int, seats: list[str]) -> None:
    """Ask for seats, a wish, or none. Raises ``Refusal``."""
    with transaction.atomic():
        _, booking = _own_booking(member, trip_id, booking_id)
    try:
        ask("take_seats", booking.reference, tuple(seats))
    except MarketError as error:
        raise Refusal(said_by(error)) from error
    bookings.set_seats(booking.pk, seats)


def _own_booking(member: Membership, trip_id: int, booking_id: int) -> tuple[Trip, Booking]:
    trip = mine(member, trip_id, editable=False)
    booking = Booking.objects.filter(trip=trip, pk=booking_id).first()
    if booking is None or not booking.stands or booking.by_hand:
        raise Stale(say("That booking is gone already."))
    if not (trip.editable or trip.state in ("Awaiting sign-off", *BOOKABLE_AFTER)):
        raise Stale(say("The trip stands at {state}: nothing is changed on its bookings now.", state=trip.state))
    return trip, booking
