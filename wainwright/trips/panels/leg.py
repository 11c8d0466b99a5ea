"""A move of the journey, with what is booked for it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.contrib import messages

from wainwright.core.journey import Mode
from wainwright.core.money import Money
from wainwright.core.said import as_figure, joined, kept, say, small
from wainwright.core.workings import day_text
from wainwright.drawing.ribbon import minutes
from wainwright.errors import Refusal
from wainwright.fields import whole
from wainwright.formats.places import as_typed
from wainwright.trips.figures import b_key
from wainwright.trips.forms import LegForm, TravelledForm
from wainwright.trips.letters import moves_of, seats_of
from wainwright.trips.models import Leg
from wainwright.trips.panels.base import Line, LinePanel, Page, act
from wainwright.trips.panels.booked import (
    PAYS,
    booked_facts,
    booking_of,
    extras_of,
    level_on,
    price_with_extras,
    said_on,
    until_words,
)
from wainwright.trips.services import itinerary, moving, plan
from wainwright.trips.whole import waiting_for

STOP_REASONS = (
    say("A change of carrier"),
    say("A night's rest"),
    say("Work on the way"),
    say("A private stay"),
    say("Waiting for the goods"),
)
FIELDS = {"leaves": "leaves_day", "arrives": "arrives_day"}
LAYOVER = timedelta(hours=12)
WORDS = {"air": say("flight"), "rail": say("train")}


def drive_of(page: Page, form: LegForm) -> plan.Drive | None:
    """How far the own vehicle goes, as typed or looked up; nothing for other modes."""
    d = form.cleaned_data
    if d["mode"] != Mode.OWN_CAR:
        return None
    return plan.find_drive(
        page.trip.firm, d["origin"], d["target"], d["leaves_day"], d["km"], form.odometer, d["passengers"] or 0,
        d["vehicle"].strip().casefold() or "car",
    )  # fmt: skip


# In these it is known how a leg went.
TRAVELLED = ("Under way", "Back", "Closed")


class LegPanel(LinePanel):
    """A leg: its times, what is booked for it, what it does to the trip; changed, moved, taken off."""

    name = "leg"
    title = say("Move")

    def lines(self, page: Page) -> Sequence[Line]:
        """One for each leg; a booking's price stands on its first."""
        legs = page.file.legs
        prices = {e.key: e.amount for e in page.file.figures.estimates}
        firsts: dict[int, Leg] = {}
        for leg in legs:
            if leg.booking_id:
                firsts.setdefault(leg.booking_id, leg)
        return [self._line(page, leg, legs[n + 1] if n + 1 < len(legs) else None, prices, firsts) for n, leg in enumerate(legs)]  # fmt: skip

    def has(self, page: Page, which: str) -> bool:
        """A leg that is still on the trip."""
        return any(str(leg.pk) == which for leg in page.file.legs)

    def _line(self, page: Page, leg: Leg, after: Leg | None, prices: dict[str, Money], firsts: dict[int, Leg]) -> Line:
        booking, key = booking_of(page, leg.booking_id), f"leg:{leg.pk}"
        price, extra, more = prices.get(key), "", []
        if booking is not None:
            moves = moves_of(leg, booking)
            numbers = joined(", ", dict.fromkeys(booking.hops[n]["number"] for n in moves))
            seats = joined(", ", seats_of(booking, moves))
            more = [f"{booking.carrier} {numbers}".strip(), say("seat {seats}", seats=seats) if seats else ""]
            if firsts[booking.pk].pk == leg.pk:
                price = price_with_extras(page, booking)
                extra = joined(
                    ", ",
                    (
                        say("of it {other_label}", other_label=small(kept(other.label)))
                        for other in extras_of(page, booking)
                    ),
                )
            else:
                extra = say("in the price of {leaves}", leaves=day_text(firsts[booking.pk].leaves))
        elif leg.km:
            more = [say("{vehicle} {normalize} km", vehicle=leg.vehicle, normalize=as_figure(leg.km.normalize(), "f"))]
        more.append(say("driven by {driven_by}, no mileage", driven_by=leg.driven_by) if leg.driven_by else "")
        more.append(
            say("stop: {stop_reason}", stop_reason=leg.stop_reason) if leg.stop_reason else _layover(leg, after)
        )
        said = said_on(page, key)
        return Line(
            f"leg-{leg.pk}", leg.leaves, leg.mode, f"{leg.leaves:%H:%M}",
            joined("", (leg.origin['town'], " → ", leg.target['town'])), joined(", ", filter(None, [*more, say("“{text}”", text=said) if said else ""])),
            booking.state if booking else "planned", until_words(page, booking), bool(booking and booking.problem), price,
            level_on(page, key, *([b_key(booking)] if booking else [])), extra,
        )  # fmt: skip

    def answers(self, target: str, page: Page) -> str:
        """A leg itself, and a booking by the first of its legs."""
        kind, _, number = target.partition(":")
        for leg in page.file.legs:
            if (kind == "leg" and str(leg.pk) == number) or (kind == "booking" and str(leg.booking_id) == number):
                return f"leg-{leg.pk}"
        return ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The leg, what was worked out for it, what it is in time for, and the form once it is asked for."""
        leg = next(leg for leg in page.file.legs if str(leg.pk) == which)
        booking = booking_of(page, leg.booking_id)
        estimate = next((e for e in page.file.figures.estimates if e.key == f"leg:{leg.pk}"), None)
        free = page.editable and booking is None
        form = page.form("change_form", lambda: LegForm(initial=_initial(leg, page.trip.currency))) if free and page.do == "change" else None  # fmt: skip
        following = [other for other in page.file.legs if other.leaves_at >= leg.arrives_at]
        return {
            "may_travel": page.may_mark_meals and page.trip.state in TRAVELLED, "travelled_form": self._travelled(page, leg),
            "leg": leg, "estimate": estimate, "leg_pays": PAYS[leg.paid_by], "form": form, "free": free,
            "margins": waiting_for(page.trip, following, leg.target["town"], leg.arrives),
            "earned": page.file.figures.allowance.on(leg.leaves.date()),
            "lasts": minutes(leg.arrives_at - leg.leaves_at), **self._moving(page, leg, bool(following)), **booked_facts(page, booking),
        }  # fmt: skip

    def _moving(self, page: Page, leg: Leg, stops: bool) -> dict[str, Any]:
        """What is asked of a leg of a move: why one stops where it ends, and who drives an own vehicle."""
        own_car = leg.mode == Mode.OWN_CAR
        asks = page.editable and page.trip.is_move and (stops or own_car)
        return {
            "move_asks": asks,
            "stop_asked": stops,
            "driver_asked": own_car,
            "stop_reasons": STOP_REASONS if asks else (),
        }

    @act("legs/<int:leg_id>/moving/", "leg-moving", sums=True)
    def moving(self, page: Page, leg_id: int) -> str:
        """Say why one stops there, and who drives."""
        post = page.request.POST
        moving.say_of_leg(page.member, page.trip.pk, leg_id, post.get("stop_reason", ""), post.get("driven_by", ""))
        return f"leg-{leg_id}"

    def _travelled(self, page: Page, leg: Leg) -> TravelledForm | None:
        """The form for the real times, once it is asked for."""
        if page.do != "travelled" and "travelled_form" not in page.typed:
            return None
        initial = {
            "leaves_day": leg.leaves.date(), "leaves_time": leg.leaves.time(), "arrives_day": leg.arrives.date(),
            "arrives_time": leg.arrives.time(),
        }  # fmt: skip
        return page.form("travelled_form", lambda: TravelledForm(initial=initial))

    @act("legs/<int:leg_id>/change/", "leg-change", sums=True)
    def change(self, page: Page, leg_id: int) -> str:
        """Change a leg that is not booked."""
        name, form = f"leg-{leg_id}", LegForm(page.request.POST)
        d = page.valid("change_form", form, name, "change")
        with page.trying("change_form", form, name, "change", FIELDS):
            estimate = Money.rounded(d["estimate"] or Decimal(0), page.trip.currency).minor
            itinerary.change_leg(
                page.member, page.trip.pk, leg_id, d["mode"], d["origin"], d["target"], form.leaves, form.arrives, estimate,
                d["paid_by"], drive_of(page, form),
            )  # fmt: skip
        return name

    @act("legs/<int:leg_id>/travelled/", "leg-travelled", sums=True)
    def travelled(self, page: Page, leg_id: int) -> str:
        """Say when a leg really left and arrived."""
        name, form = f"leg-{leg_id}", TravelledForm(page.request.POST)
        page.valid("travelled_form", form, name, "travelled")
        with page.trying(
            "travelled_form", form, name, "travelled", {"leaves": "leaves_time", "arrives": "arrives_time"}
        ):
            itinerary.travelled(page.member, page.trip.pk, leg_id, *form.times)
        return name

    @act("legs/<int:leg_id>/remove/", "leg-remove", sums=True)
    def remove(self, page: Page, leg_id: int) -> str:
        """Take a leg off."""
        plan.remove_leg(page.member, page.trip.pk, leg_id)
        return ""

    @act("legs/move/", "leg-move", sums=True)
    def move(self, page: Page) -> None:
        """Move an end of a leg by minutes, as it was dragged."""
        post = page.request.POST
        try:
            by = int(post.get("minutes", ""))
        except ValueError as error:
            raise Refusal(say("Say by how many minutes.")) from error
        leg = itinerary.move_end(page.member, page.trip.pk, whole(post.get("leg")), post.get("end", ""), by)
        messages.info(
            page.request,
            say(
                "{leg}: {leaves} to {arrives}.",
                leg=leg,
                leaves=as_figure(leg.leaves, "%a %H:%M"),
                arrives=as_figure(leg.arrives, "%a %H:%M"),
            ),
        )


def _layover(leg: Leg, after: Leg | None) -> str:
    """How long one waits for the next move, where it leaves from the same town before one sleeps."""
    if after is None or after.origin["town"] != leg.target["town"]:
        return ""
    wait = after.leaves_at - leg.arrives_at
    if not timedelta() <= wait <= LAYOVER or leg.arrives.date() != after.leaves.date():
        return ""
    return say("{minutes} until the {get}", minutes=minutes(wait), get=WORDS.get(after.mode, kept(after.mode)))


def _initial(leg: Leg, currency: str) -> dict[str, Any]:
    days: dict[str, date] = {"leaves_day": leg.leaves.date(), "arrives_day": leg.arrives.date()}
    return {
        **days, "mode": leg.mode, "origin": as_typed(leg.start),
        "target": as_typed(leg.end), "leaves_time": leg.leaves.time(), "arrives_time": leg.arrives.time(),
        "paid_by": leg.paid_by, "estimate": Money.from_minor(leg.estimate_minor, currency).amount,
        "km": leg.km if leg.km_by == "typed" else None, "passengers": leg.passengers or None, "vehicle": leg.vehicle if leg.km else "",
    }  # fmt: skip


PANEL = LegPanel()
