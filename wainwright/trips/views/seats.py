"""Seats: chosen on the plan of each move, else a wish."""

from __future__ import annotations

import re

from django.contrib import messages
from django.shortcuts import redirect, render

from wainwright.bookings.selectors import seat_plan
from wainwright.core.said import joined, say
from wainwright.drawing.seats import draw_seats
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.trips.selectors import trip_for
from wainwright.trips.services import basket

WISHES = {
    "window": say("By a window"),
    "aisle": say("On the aisle"),
    "front": say("Far in front"),
    "none": say("No wish"),
}
SEAT = re.compile(r"^[0-9]{1,2}[A-Z]$")


def seats(request, trip_id: int, booking_id: int):
    """Choose seats on the plan of each move, else say a wish."""
    trip = trip_for(request.member, trip_id)
    if trip.traveller_id != request.member.pk:
        raise NotAllowed(say("Only the traveller chooses seats."))
    booking = trip.bookings.get(pk=booking_id)
    if not booking.stands or booking.by_hand:
        raise Stale(say("That booking is gone already."))
    refused, asked = "", None
    if request.method == "POST":
        try:
            # Who only says a wish does not wait for the plans.
            asked = None if request.POST.get("wish") else _plans(booking)
            chosen = _chosen(request, asked)
            basket.choose_seats(request.member, trip_id, booking_id, chosen)
            words = joined(", ", filter(None, chosen))
            messages.info(request, say("Asked for: {words}.", words=words) if words else say("No seats are asked for."))
            return redirect(_back_to(trip, booking_id))
        except Stale:
            raise
        except Refusal as refusal:
            refused = refusal.message
    plans, silent = asked or _plans(booking)
    context = {
        "trip": trip, "booking": booking, "wishes": WISHES, "refused": refused, "silent": silent, "wish": request.POST.get("wish", ""),
        "plans": [
            (n, hop, draw_seats(p.letters, p.rows, p.taken, p.roomy, _asked_for(request, booking, n)) if p else None)
            for n, hop, p in plans
        ],
        "maps": any(plan for _, _, plan in plans),
    }  # fmt: skip
    return render(request, "bookings/seats.html", context, status=422 if refused else 200)


def _back_to(trip, booking_id: int) -> str:
    """The trip's page with the line of the booking open."""
    leg = trip.legs.filter(booking_id=booking_id).first()
    opened = f"leg-{leg.pk}" if leg else f"booking-{booking_id}"
    return f"/trips/{trip.pk}/?open={opened}#{opened}"


def _plans(booking) -> tuple[list[tuple], str]:
    """Each move with its plan, if it has one, and what the market said where it did not answer.

    A market that is silent once is not asked for the other moves: whoever waits here has waited long enough.
    """
    found, silent = [], ""
    for number, hop in enumerate(booking.hops):
        plan = None
        if not silent:
            try:
                plan = seat_plan(hop["key"], hop["index"])
            except Refusal as refusal:
                silent = refusal.message
        found.append((number, hop, plan))
    return found, silent


def _asked_for(request, booking, number: int) -> str:
    """The seat that was just chosen, else the one that is booked."""
    if seat := request.POST.get(f"seat-{number}", "").strip().upper():
        return seat
    return booking.seats[number] if number < len(booking.seats) else ""


def _chosen(request, asked: tuple[list[tuple], str] | None) -> list[str]:
    """One seat or nothing for each move; a seat that is taken or not there is refused by name."""
    wish = request.POST.get("wish", "")
    if wish:
        if wish not in WISHES:
            raise Refusal(say("Choose a wish of the list."), "wish")
        return [] if wish == "none" else [WISHES[wish].lower()]
    found = []
    plans, silent = asked or ([], "")
    if silent:
        asked = joined(", ", filter(None, (request.POST.get(f"seat-{n}", "").strip()[:4] for n, _, _ in plans)))
        raise Refusal(say("{asked} was not asked for: nothing was changed.", asked=asked or say("Nothing")))
    for number, hop, plan in plans:
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
            raise Refusal(
                say(
                    "Seat {seat} on {number} is taken or not there. Choose another.",
                    seat=seat[:6],
                    number=hop["number"],
                )
            )
        found.append(seat)
    return found if any(found) else []
