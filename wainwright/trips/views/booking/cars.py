"""Hire cars: place and times follow from the ways of the trip."""

from __future__ import annotations

from datetime import datetime, timedelta

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.bookings.selectors import cars, chosen_car
from wainwright.core.journey import Mode
from wainwright.core.rules import Level
from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import PlaceField, day_input
from wainwright.formats.places import as_typed
from wainwright.ports.market import CarQuery
from wainwright.trips.selectors import TripFile, load_file, trip_for
from wainwright.trips.services.ways import Wish, findings_on, hold, item_of_choice
from wainwright.trips.views.booking.paying import chosen_payer, payers
from wainwright.trips.views.booking.ways import USUAL_REASONS

AFTER_LANDING, BEFORE_LEAVING = timedelta(minutes=30), timedelta(minutes=75)
LONGEST = timedelta(days=60)


class CarForm(forms.Form):
    """Where and when a car is taken and brought back, and for how many."""

    origin = PlaceField(label=say("Taken at"), max_length=120)
    since_day = forms.DateField(label=say("on"), widget=day_input())
    since_time = forms.TimeField(label=say("at"), widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"))
    target = PlaceField(label=say("Brought back to"), max_length=120)
    until_day = forms.DateField(label=say("on"), widget=day_input())
    until_time = forms.TimeField(label=say("at"), widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"))
    seats = forms.IntegerField(label=say("Seats"), min_value=1, max_value=9, initial=1)

    def clean(self):
        """A car is brought back after it is taken."""
        d = super().clean()
        if not self.errors:
            d["since"] = datetime.combine(d["since_day"], d["since_time"])
            d["until"] = datetime.combine(d["until_day"], d["until_time"])
            if d["until"] <= d["since"]:
                self.add_error("until_day", say("It is brought back before it is taken. Change one of the two."))
            elif d["until"] - d["since"] > LONGEST:
                self.add_error("until_day", say("A car is hired for sixty days at most."))
        return d


def _guess(file: TripFile) -> dict:
    """From half an hour after landing until an hour and a quarter before leaving the same town again."""
    moves = [leg for leg in file.legs if leg.mode in (Mode.AIR, Mode.RAIL, Mode.FERRY, Mode.COACH)]
    for n, leg in enumerate(moves):
        later = list(moves[n + 1 :])
        if not later:
            break
        back = later[-1]
        since, until = leg.arrives + AFTER_LANDING, back.leaves - BEFORE_LEAVING
        if until > since:
            return {
                "origin": as_typed(leg.end), "since_day": since.date(), "since_time": since.time(),
                "target": as_typed(back.start), "until_day": until.date(), "until_time": until.time(), "seats": 1,
            }  # fmt: skip
    return {"since_day": file.trip.starts, "until_day": file.trip.ends, "seats": 1}


@require_GET
def find_cars(request, trip_id: int):
    """Cars on offer for the time on the ground."""
    trip = trip_for(request.member, trip_id)
    if trip.traveller_id != request.member.pk:
        raise NotAllowed(say("Only the traveller books for this trip."))
    file = load_file(request.member, trip)
    guess = _guess(file)
    asked = "origin" in request.GET
    form = CarForm(request.GET) if asked else CarForm(guess) if guess.get("origin") else CarForm(initial=guess)
    context = {"trip": trip, "form": form, "rows": [], "picked": None, "refused": ""}
    if form.is_bound and form.is_valid():
        try:
            context |= _results(request, file, form.cleaned_data)
        except Refusal as refusal:
            context["refused"] = refusal.message
    return render(request, "bookings/cars.html", context, status=422 if asked and not form.is_valid() else 200)


def _results(request, file: TripFile, d: dict) -> dict:
    trip = file.trip
    today = clock.today(trip.firm.zone)
    found = cars(CarQuery(d["origin"], d["since"], d["target"], d["until"], today, trip.currency))
    fitting = [car for car in found if car.seats >= d["seats"]]
    cheapest = min((car.price for car in fitting), default=None)
    key, rows = request.GET.get("pick", ""), []
    for car in fitting:
        query = request.GET.copy()
        query["pick"] = car.key
        for name in ("origin", "target"):
            query[name] = as_typed(d[name])
        for name in ("since", "until"):
            query[f"{name}_day"], query[f"{name}_time"] = f"{d[name]:%Y-%m-%d}", f"{d[name]:%H:%M}"
        query["seats"] = str(d["seats"])
        rows.append(
            {"car": car, "over": car.price - cheapest, "link": f"?{query.urlencode()}#chosen", "here": car.key == key}
        )
    result: dict = {"rows": rows, "most": max((float(c.price.amount) for c in fitting), default=1.0)}
    if key:
        picked = chosen_car(key, today, trip.currency, d["seats"])
        judged = findings_on(load_file(request.member, trip, [item_of_choice(picked)]))
        reasons = list(dict.fromkeys(r for each in judged for r in each.finding.reasons)) or USUAL_REASONS
        result |= {
            "picked": picked, "judged": judged, "reasons": reasons, "seats": d["seats"],
            "needs_reason": any(each.finding.level == Level.EXPLAIN for each in judged),
            "after": file.figures.total + picked.price, **payers(trip, request.member),
        }  # fmt: skip
    return result


@require_POST
def hold_car(request, trip_id: int):
    """Hold a car."""
    trip = trip_for(request.member, trip_id)
    seats = request.POST.get("seats", "1")
    picked = chosen_car(
        request.POST.get("pick", "")[:200], clock.today(trip.firm.zone), trip.currency, int(seats) if seats.isdecimal() and len(seats) < 3 else 1
    )  # fmt: skip
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
