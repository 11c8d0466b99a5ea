"""Lodging: on a map against the work place, in a list against the ceiling, supplied quarters first."""

from __future__ import annotations

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.bookings.selectors import chosen_stay, stays
from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.core.rules import Level
from wainwright.core.said import say
from wainwright.drawing.town import Spot, draw_town
from wainwright.errors import NotAllowed, Refusal
from wainwright.formats.places import best_place, town
from wainwright.rulebook.selectors import ceiling_of
from wainwright.trips.judging import findings_on_stay
from wainwright.trips.models import Night
from wainwright.trips.selectors import TripFile, load_file, trip_for
from wainwright.trips.services.ways import Wish, hold
from wainwright.trips.views.booking.paying import chosen_payer, payers
from wainwright.trips.views.booking.ways import USUAL_REASONS


def _stay(file: TripFile, wanted: str) -> list[Night]:
    """The stay that is meant: the nights in one town, one after the other, that are not booked yet."""
    groups: list[list[Night]] = []
    for night in file.nights:
        last = groups[-1][-1] if groups else None
        if last and last.place["town"] == night.place["town"] and bool(last.booking_id) == bool(night.booking_id):
            groups[-1].append(night)
        else:
            groups.append([night])
    free = [group for group in groups if not group[0].booking_id]
    meant = [group for group in groups if any(night.date.isoformat() == wanted for night in group)]
    return (meant or free or groups or [[]])[0]


def _work(file: TripFile, at: Place) -> tuple[Place, str]:
    """Where the work is: an engagement in the town, else its middle."""
    for row in file.trip.engagements:
        if row["town"] == at.town:
            return Place("", row["title"], row["town"], at.country, row["zone"], row["lat"], row["lon"]), row["title"]
    return town(at.town, at.country) or at, say("the middle of the town")


@require_GET
def find_stays(request, trip_id: int):
    """Rooms for one stay of the trip."""
    trip = trip_for(request.member, trip_id)
    if trip.traveller_id != request.member.pk:
        raise NotAllowed(say("Only the traveller books for this trip."))
    file = load_file(request.member, trip)
    nights = _stay(file, request.GET.get("night", ""))
    context: dict = {"trip": trip, "rows": [], "picked": None, "refused": "", "nights": nights, "stays": file.stays}
    if nights:
        try:
            context |= _results(request, file, nights)
        except Refusal as refusal:
            context["refused"] = refusal.message
    return render(request, "bookings/stays.html", context)


def _results(request, file: TripFile, nights: list[Night]) -> dict:
    trip, first = file.trip, nights[0]
    today = clock.today(trip.firm.zone)
    at = Place(**first.place)
    found = stays(at, first.date, len(nights), today, trip.currency)
    near = best_place(request.GET["near"][:80]) if request.GET.get("near") else None
    work, name = (near, near.name) if near else _work(file, at)
    ceiling = ceiling_of(file.book, at, first.date)
    key, rows = request.GET.get("pick", ""), []
    for number, stay in enumerate(found, 1):
        query = request.GET.copy()
        query["pick"], query["night"] = stay.key, first.date.isoformat()
        a_night = stay.a_night + stay.city_tax
        over = a_night - ceiling if ceiling is not None and a_night > ceiling else None
        rows.append(
            {"number": number, "stay": stay, "a_night": a_night, "over": over, "km": round(great_circle_km(stay.place, work), 1), "here": stay.key == key,
             "link": f"?{query.urlencode()}#chosen"}
        )  # fmt: skip
    spots = [
        Spot(str(row["number"]), row["stay"].name, row["stay"].place, float(row["a_night"].amount), row["over"] is not None, row["stay"].supplied,
             row["here"], not row["stay"].rooms_left, row["link"])
        for row in rows
    ]  # fmt: skip
    result: dict = {
        "rows": rows, "ceiling": ceiling, "work": name, "first": first, "map": draw_town(spots, work, float(ceiling.amount) if ceiling else None),
    }  # fmt: skip
    if key:
        picked = chosen_stay(key, today, trip.currency)
        judged = findings_on_stay(file, picked)
        reasons = list(dict.fromkeys(r for each in judged for r in each.finding.reasons)) or USUAL_REASONS
        planned = sum((n.cost_minor for n in nights), 0)
        result |= {
            "picked": picked, "judged": judged, "reasons": reasons,
            "needs_reason": any(each.finding.level == Level.EXPLAIN and each.open for each in judged),
            "after": file.figures.total + picked.price - Money.from_minor(planned, trip.currency), **payers(trip, request.member),
        }  # fmt: skip
    return result


@require_POST
def hold_stay(request, trip_id: int):
    """Hold a room."""
    trip = trip_for(request.member, trip_id)
    picked = chosen_stay(request.POST.get("pick", "")[:200], clock.today(trip.firm.zone), trip.currency)
    booking = hold(
        request.member,
        trip_id,
        picked,
        Wish(request.POST.get("reason", ""), request.POST.get("words", ""), **chosen_payer(request)),
    )
    messages.info(
        request,
        say("{booking_label} is held under {reference}.", booking_label=booking.label, reference=booking.reference),
    )
    return redirect("trip", trip_id)
