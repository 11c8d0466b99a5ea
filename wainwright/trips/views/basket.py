"""Acts on what is booked: cancel, new price, card, seats, and what was bought elsewhere."""

from __future__ import annotations

import re

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from wainwright import clock
from wainwright.bookings.models import KINDS
from wainwright.bookings.selectors import seat_plan
from wainwright.bookings.services import ByHand
from wainwright.core.money import Money
from wainwright.drawing.seats import draw_seats
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import say
from wainwright.trips.forms import ByHandForm
from wainwright.trips.selectors import trip_for
from wainwright.trips.services import basket
from wainwright.trips.views.page import midnight, says_was_and_is, show_trip

WISHES = {"window": "By a window", "aisle": "On the aisle", "front": "Far in front", "none": "No wish"}
SEAT = re.compile(r"^[0-9]{1,2}[A-Z]$")


@require_POST
@says_was_and_is
def cancel(request, trip_id: int, booking_id: int):
    """Cancel a booking."""
    booking = basket.cancel(request.member, trip_id, booking_id)
    words = (
        f"{booking.label} is taken off."
        if booking.by_hand
        else f"{booking.label} is cancelled; {booking.lost} is not given back."
    )
    messages.info(request, words)
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def take_price(request, trip_id: int, booking_id: int):
    """Take a hold at its new price."""
    booking = basket.take_price(request.member, trip_id, booking_id)
    messages.info(request, f"{booking.label} stands at {booking.price} now.")
    return redirect("trip", trip_id)


@require_POST
def pay_by(request, trip_id: int, booking_id: int):
    """Pay a booking by another card, or have it billed."""
    chosen = request.POST.get("card", "")
    paid_by = "central" if chosen == "central" else "firm"
    basket.pay_by(request.member, trip_id, booking_id, paid_by, chosen if paid_by == "firm" else "")
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def by_hand(request, trip_id: int):
    """Record a ticket or fee bought elsewhere; the form is ready for the next one."""
    trip, form = trip_for(request.member, trip_id), ByHandForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        label = d["label"] or f"{dict(KINDS)[d['kind']]}, {d['supplier'] or 'bought elsewhere'}"
        typed = ByHand(
            d["kind"], label, d["supplier"], d["number"], Money.rounded(d["amount"], trip.currency), d["paid_by"],
            clock.in_zone(midnight(d["day"]), trip.firm.zone),
        )  # fmt: skip
        try:
            booking = basket.by_hand(request.member, trip_id, typed)
            messages.info(request, f"{booking.label}, {booking.ticket_number}, is recorded.")
            return redirect(f"/trips/{trip_id}/#by-hand")
        except Stale:
            raise
        except Refusal as refusal:
            say(form, refusal)
    return show_trip(request, trip, 422, hand_form=form)


def seats(request, trip_id: int, booking_id: int):
    """Choose seats on the plan of each move, else say a wish."""
    trip = trip_for(request.member, trip_id)
    if trip.traveller_id != request.member.pk:
        raise NotAllowed("Only the traveller chooses seats.")
    booking = trip.bookings.get(pk=booking_id)
    if not booking.stands or booking.by_hand:
        raise Stale("That booking is gone already.")
    refused = ""
    if request.method == "POST":
        try:
            chosen = _chosen(request, booking)
            basket.choose_seats(request.member, trip_id, booking_id, chosen)
            messages.info(request, f"Asked for: {', '.join(chosen)}." if chosen else "No seats are asked for.")
            return redirect("trip", trip_id)
        except Stale:
            raise
        except Refusal as refusal:
            refused = refusal.message
    plans = _plans(booking)
    context = {
        "trip": trip, "booking": booking, "wishes": WISHES, "refused": refused,
        "plans": [
            (n, hop, draw_seats(p.letters, p.rows, p.taken, p.roomy, _taken_for(booking, n)) if p else None)
            for n, hop, p in plans
        ],
        "maps": any(plan for _, _, plan in plans),
    }  # fmt: skip
    return render(request, "bookings/seats.html", context, status=422 if refused else 200)


def _plans(booking) -> list[tuple]:
    return [(n, hop, seat_plan(hop["key"], hop["index"])) for n, hop in enumerate(booking.hops)]


def _taken_for(booking, number: int) -> str:
    return booking.seats[number] if number < len(booking.seats) else ""


def _chosen(request, booking) -> list[str]:
    """One seat or nothing for each move; a seat that is taken or not there is refused by name."""
    wish = request.POST.get("wish", "")
    if wish:
        if wish not in WISHES:
            raise Refusal("Choose a wish of the list.", "wish")
        return [] if wish == "none" else [WISHES[wish].lower()]
    found = []
    for number, hop, plan in _plans(booking):
        seat = request.POST.get(f"seat-{number}", "").strip().upper()
        if not seat:
            found.append("")
            continue
        row = int(seat[:-1]) if SEAT.match(seat) else 0
        if (
            plan is None
            or seat in plan.taken
            or not 1 <= row <= plan.rows
            or seat[-1] not in plan.letters.replace("|", "")
        ):
            raise Refusal(f"Seat {seat[:6]} on {hop['number']} is taken or not there. Choose another.")
        found.append(seat)
    return found if any(found) else []
