"""Acts on legs, nights, meals and other costs."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.core.journey import Meal, Mode
from wainwright.core.money import Money
from wainwright.errors import Refusal
from wainwright.fields import say, whole
from wainwright.formats.places import find_places
from wainwright.trips.forms import FullForm, HostForm, LegForm, OtherForm, StayForm
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services import itinerary, nights, plan
from wainwright.trips.views.page import says_was_and_is, show_trip

_FIELDS = {"leaves": "leaves_day", "arrives": "arrives_day"}


def _drive(trip, form: LegForm):
    d = form.cleaned_data
    if d["mode"] != Mode.OWN_CAR:
        return None
    return plan.find_drive(
        trip.firm,
        d["origin"],
        d["target"],
        d["leaves_day"],
        d["km"],
        form.odometer,
        d["passengers"] or 0,
        d["vehicle"].strip().casefold() or "car",
    )


@require_POST
@says_was_and_is
def add_line(request, trip_id: int):
    """Add a leg typed in one line."""
    text = request.POST.get("line", "")
    try:
        leg, how = itinerary.add_typed_leg(request.member, trip_id, text)
    except Refusal as refusal:
        trip = trip_for(request.member, trip_id)
        if not trip.editable or trip.traveller_id != request.member.pk:
            raise
        return show_trip(request, trip, 422, typed_line=text[:200], line_error=refusal.message)
    messages.info(request, f"{leg}: arrives {leg.arrives:%a %H:%M}, {how}.")
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def add_leg(request, trip_id: int):
    """Add a leg, and the same way back if wanted."""
    trip, form = trip_for(request.member, trip_id), LegForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        try:
            plan.add_leg(
                request.member, trip_id, d["mode"], d["origin"], d["target"], form.leaves, form.arrives,
                d["estimate"] or Decimal(0), d["paid_by"], _drive(trip, form), form.back,
            )  # fmt: skip
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, Refusal(refusal.message, _FIELDS.get(refusal.field, refusal.field)))
    return show_trip(request, trip, 422, leg_form=form)


@require_POST
@says_was_and_is
def change_leg(request, trip_id: int, leg_id: int):
    """Change a leg that is not booked."""
    trip, form = trip_for(request.member, trip_id), LegForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        try:
            estimate = Money.rounded(d["estimate"] or Decimal(0), trip.currency).minor
            itinerary.change_leg(
                request.member, trip_id, leg_id, d["mode"], d["origin"], d["target"], form.leaves, form.arrives, estimate,
                d["paid_by"], _drive(trip, form),
            )  # fmt: skip
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, Refusal(refusal.message, _FIELDS.get(refusal.field, refusal.field)))
    words = " ".join(str(e) for errors in form.errors.values() for e in errors)
    messages.error(request, f"The leg was not changed: {words}")
    return show_trip(request, trip, 422, change_form=form, change_id=leg_id)


@require_GET
def leg_page(request, trip_id: int, leg_id: int):
    """The form to change a leg."""
    trip = trip_for(request.member, trip_id)
    leg = trip.legs.get(pk=leg_id)
    form = LegForm(
        initial={
            "mode": leg.mode, "origin": f"{leg.origin['name']} ({leg.origin['code']})",
            "target": f"{leg.target['name']} ({leg.target['code']})", "leaves_day": leg.leaves.date(), "leaves_time": leg.leaves.time(),
            "arrives_day": leg.arrives.date(), "arrives_time": leg.arrives.time(), "paid_by": leg.paid_by,
            "estimate": Money.from_minor(leg.estimate_minor, trip.currency).amount,
            "km": leg.km if leg.km_by == "typed" else None, "passengers": leg.passengers or None, "vehicle": leg.vehicle if leg.km else "",
        }
    )  # fmt: skip
    return show_trip(request, trip, change_form=form, change_id=leg_id)


@require_POST
@says_was_and_is
def move_leg(request, trip_id: int):
    """Move an end of a leg by minutes, as it was dragged."""
    try:
        minutes = int(request.POST.get("minutes", ""))
    except ValueError as error:
        raise Refusal("Say by how many minutes.") from error
    leg = itinerary.move_end(
        request.member, trip_id, whole(request.POST.get("leg")), request.POST.get("end", ""), minutes
    )
    messages.info(request, f"{leg}: {leg.leaves:%a %H:%M} to {leg.arrives:%a %H:%M}.")
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def remove_leg(request, trip_id: int, leg_id: int):
    """Take a leg off."""
    plan.remove_leg(request.member, trip_id, leg_id)
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def shift(request, trip_id: int):
    """Let the whole trip begin on another day."""
    start = _day(request.POST.get("start", ""), "Choose the day on which the trip begins.")
    days, held = itinerary.shift_trip(request.member, trip_id, start)
    messages.info(request, f"The trip moved by {abs(days)} {'day' if abs(days) == 1 else 'days'}.")
    if held:
        names = ", ".join(b.label for b in held)
        messages.error(request, f"To be changed or cancelled, since they stand for the old days: {names}.")
    return redirect("trip", trip_id)


def _day(text: str, words: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise Refusal(words) from error


@require_POST
@says_was_and_is
def set_stay(request, trip_id: int):
    """Change the nights of a stay together."""
    trip, form = trip_for(request.member, trip_id), StayForm(request.POST)
    try:
        dates = [date.fromisoformat(text) for text in request.POST.getlist("night")]
    except ValueError:
        dates = []
    if form.is_valid():
        d = form.cleaned_data
        nights.set_stay(
            request.member, trip_id, dates, d["name"], d["cost"] or Decimal(0), d["paid_by"], d["supplied"], d["lifted"]
        )
        return redirect("trip", trip_id)
    messages.error(
        request, "The nights were not changed: " + " ".join(e for errors in form.errors.values() for e in errors)
    )
    return show_trip(request, trip, 422)


@require_POST
@says_was_and_is
def stretch(request, trip_id: int):
    """Move the end of a stay, as it was dragged."""
    words = "Say from which night to which."
    start, last = (_day(request.POST.get(name, ""), words) for name in ("start", "last"))
    nights.stretch_stay(request.member, trip_id, start, last)
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def split_stay(request, trip_id: int):
    """Sleep elsewhere from a night on."""
    nights.split_stay(request.member, trip_id, _day(request.POST.get("day", ""), "Choose the night."))
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def quarters_full(request, trip_id: int):
    """Record that supplied quarters were full."""
    trip, form = trip_for(request.member, trip_id), FullForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        dates = [date.fromisoformat(key[6:]) for key in load_file(request.member, trip).figures.quarters]
        try:
            nights.record_full(request.member, trip_id, dates, d["when"].isoformat(), d["who"], d["reference"])
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return show_trip(request, trip, 422, full_form=form)


@require_POST
@says_was_and_is
def mark_meal(request, trip_id: int):
    """Mark a meal as supplied, on one day or on all like it."""
    day, _, meal = request.POST.get("meal", "").partition(":")
    try:
        marked = nights.mark_meal(request.member, trip_id, date.fromisoformat(day), Meal(meal), "all" in request.POST)
    except ValueError as error:
        raise Refusal("That is no meal of this trip.") from error
    words, supplied = marked
    messages.info(request, f"{words} is {'supplied by others' if supplied else 'yours to eat'} now.")
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def host(request, trip_id: int):
    """Say for a span of days what the host supplies."""
    trip, form = trip_for(request.member, trip_id), HostForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        try:
            meals = [Meal(m) for m in d["meals"]]
            count = nights.host_supplies(request.member, trip_id, d["first"], d["last"], meals, d["quarters"])
            messages.info(request, f"Kept for {count} {'day' if count == 1 else 'days'}.")
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return show_trip(request, trip, 422, host_form=form)


@require_POST
@says_was_and_is
def add_other(request, trip_id: int):
    """Expect another cost."""
    trip = trip_for(request.member, trip_id)
    form = OtherForm(request.POST, categories=load_file(request.member, trip).book.categories.values())
    if form.is_valid():
        d = form.cleaned_data
        try:
            plan.add_other(request.member, trip_id, d["category"], d["label"], d["amount"], d["paid_by"], d["day"])
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return show_trip(request, trip, 422, other_form=form)


@require_POST
@says_was_and_is
def remove_other(request, trip_id: int, other_id: int):
    """Take an expected cost off."""
    plan.remove_other(request.member, trip_id, other_id)
    return redirect("trip", trip_id)


@require_GET
def places(request):
    """Suggest places for what is being typed."""
    names = ("origin", "target", "place", "from", "to")
    typed = next((v for k, v in request.GET.items() if k in names), "")
    return render(request, "trips/_places.html", {"places": find_places(typed[:80])})
