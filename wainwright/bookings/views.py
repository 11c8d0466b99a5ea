"""Finding a way: the sentence, the field, the list, and what a choice does to the trip."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.bookings.selectors import OnOffer, chosen, conditions_of, ways
from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.drawing.field import Flight, draw_field
from wainwright.drawing.ribbon import minutes
from wainwright.errors import NotAllowed, Refusal
from wainwright.formats.places import best_place
from wainwright.rulebook.selectors import rulebook
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services.ways import hold_way
from wainwright.web.forms import PlaceField, day_input

LATEST = 330
ORDERS = {"price": "price", "leaves": "leaving", "arrives": "arriving", "carbon": "carbon"}


class SentenceForm(forms.Form):
    """The search as a sentence."""

    origin = PlaceField(label="from", max_length=120)
    target = PlaceField(label="to", max_length=120)
    out_on = forms.DateField(label="on", widget=day_input())
    back_on = forms.DateField(label="back on", required=False, widget=day_input())


def _first_guess(trip: Trip, member) -> dict:
    """Everything that the trip knows already is filled in."""
    home = best_place(member.home_code) if member.home_code else None
    legs = list(trip.legs.all())
    guess = {
        "origin": f"{home.name} ({home.code})" if home else "",
        "out_on": trip.starts or clock.today() + timedelta(days=21), "back_on": trip.ends,
    }  # fmt: skip
    if legs:
        first = legs[0]
        guess["origin"] = f"{first.origin['name']} ({first.origin['code']})"
        guess["target"] = f"{first.target['name']} ({first.target['code']})"
    return guess


def _airport(place: Place) -> Place:
    """The airport of a place: itself, or the one of its town."""
    if len(place.code) == 3:
        return place
    found = best_place(f"{place.town} airport")
    if found is None or len(found.code) != 3:
        raise Refusal(f"No airport is known at {place.name}. Choose the nearest airport.")
    return found


@require_GET
def find_ways(request, trip_id: int):
    """Ways out, then back, then what they do to the trip."""
    trip = trip_for(request.member, trip_id)
    if trip.traveller_id != request.member.pk:
        raise NotAllowed("Only the traveller books for this trip.")
    asked = "origin" in request.GET
    form = SentenceForm(request.GET if asked else None, initial=_first_guess(trip, request.member))
    out_key, back_key = request.GET.get("out", ""), request.GET.get("back", "")
    order = request.GET.get("order", "price")
    context = {"trip": trip, "form": form, "orders": ORDERS, "order": order, "out": out_key, "back": back_key}
    if asked and form.is_valid():
        context |= _results(request, trip, form.cleaned_data, out_key, back_key, order)
    return render(request, "bookings/ways.html", context, status=422 if asked and not form.is_valid() else 200)


def _results(request, trip: Trip, d: dict, out_key: str, back_key: str, order: str) -> dict:
    today = clock.today(trip.firm.zone)
    found: dict = {"going_back": bool(out_key) and bool(d["back_on"])}
    try:
        origin, target = _airport(d["origin"]), _airport(d["target"])
        if d["out_on"] < today:
            raise Refusal("That day has passed. Choose a later one.")
        if max(d["out_on"], d["back_on"] or d["out_on"]) > today + timedelta(days=LATEST):
            raise Refusal(f"Flights are on offer up to {LATEST} days ahead. Choose an earlier day.")
        if d["back_on"] and d["back_on"] < d["out_on"]:
            raise Refusal("The way back is before the way out. Change one of the days.")
        if found["going_back"]:
            offers = ways(target, origin, d["back_on"], today, trip.currency)
        else:
            offers = ways(origin, target, d["out_on"], today, trip.currency)
    except Refusal as refusal:
        return {"refused": refusal.message}
    keys = [key for key in (out_key, back_key) if key]
    picked = None
    if keys:
        try:
            picked = chosen(keys, today, trip.currency)
        except Refusal as refusal:
            return {"refused": refusal.message}
    complete = picked is not None and (not d["back_on"] or bool(back_key))
    rows = _rows(
        request, offers, "back" if found["going_back"] else "out", back_key if found["going_back"] else out_key, order
    )
    tolerance = _tolerance(trip)
    # The yardstick belongs to a choice: the cheapest that fits it. Without a choice there is no line to draw.
    here = next((row["each"] for row in rows if row["here"]), None)
    limit = here.yardstick.amount if here else None
    flights = [
        Flight(each.offer.key, f"{each.offer.carrier}, {each.offer.price}", [(h.leaves, h.arrives) for h in each.offer.hops],
               each.offer.price.amount, each.over.amount > tolerance, here is not None and each.offer.key == here.yardstick_key, row["here"])
        for each, row in ((row["each"], row) for row in rows)
    ]  # fmt: skip
    found |= {
        "rows": rows,
        "field": draw_field(flights, limit + tolerance if limit is not None else None),
        "picked": picked,
        "complete": complete,
        "day": d["back_on"] if found["going_back"] else d["out_on"],
    }
    found["links"] = {row["each"].offer.key: row["link"] for row in rows}
    if picked is not None and complete:
        found |= _effect(request, trip, picked, tolerance)
    return found


def _rows(request, offers: list[OnOffer], part: str, current: str, order: str) -> list[dict]:
    keyed = {
        "price": lambda e: (e.offer.price.amount, e.offer.leaves), "leaves": lambda e: e.offer.leaves,
        "arrives": lambda e: e.offer.arrives, "carbon": lambda e: (e.offer.carbon_kg, e.offer.price.amount),
    }  # fmt: skip
    rows = []
    for each in sorted(offers, key=keyed.get(order, keyed["price"])):
        query = request.GET.copy()
        query[part] = each.offer.key
        via = ", ".join(place.town for place in each.offer.via)
        rows.append(
            {"each": each, "here": each.offer.key == current, "link": f"?{query.urlencode()}#chosen",
             "via": f"via {via}" if via else "direct", "conditions": conditions_of(each.offer)}
        )  # fmt: skip
    return rows


def _tolerance(trip: Trip) -> Decimal:
    for setting in rulebook(trip.firm).settings:
        if setting.kind == "not_cheapest":
            return setting.number("tolerance")
    return Decimal(0)


def _effect(request, trip: Trip, picked, tolerance: Decimal) -> dict:
    """What the choice does to the trip, before it is held."""
    over = picked.price - picked.cheapest
    before = load_file(request.member, trip).figures.total
    return {
        "over": over, "asks_reason": over.amount > tolerance, "tolerance": Money.rounded(tolerance, trip.currency),
        "after": before + picked.price, "on_way": minutes(picked.offers[0].arrives - picked.offers[0].leaves),
    }  # fmt: skip


@require_POST
def hold(request, trip_id: int):
    """Hold what was chosen, once its conditions were read."""
    trip = trip_for(request.member, trip_id)
    keys = [key for key in request.POST.getlist("key") if key][:4]
    if not keys:
        raise Refusal("Choose a way first.")
    picked = chosen(keys, clock.today(trip.firm.zone), trip.currency)
    booking = hold_way(request.member, trip_id, picked)
    messages.info(
        request, f"{booking.label} is held until {booking.held_until:%a %d %b %H:%M} UTC under {booking.reference}."
    )
    return redirect("trip", trip_id)
