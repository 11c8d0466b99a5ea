"""A leg by fields, beside the line in which it can be typed."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.contrib import messages

from wainwright import clock
from wainwright.core.said import as_figure, joined, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.places import as_typed, best_place
from wainwright.trips.forms import LegForm
from wainwright.trips.panels.base import Again, Page, Panel, act
from wainwright.trips.panels.leg import FIELDS, drive_of
from wainwright.trips.services import itinerary, plan


class AddLegPanel(Panel):
    """Where from and when is known already: the next leg starts where the last one ended."""

    name = "addleg"
    title = say("A leg by fields")

    def there(self, page: Page) -> bool:
        """While planning."""
        return page.editable

    def answers(self, target: str, page: Page) -> str:
        """What is missing between legs, before them or after them."""
        return {"legs": self.name, "home": f"{self.name}-home"}.get(target, "")

    def has(self, page: Page, which: str) -> bool:
        """The next leg, or the way home."""
        return which in ("", "home")

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The form."""
        home = {"target": as_typed(page.file.legs[0].start)} if which == "home" and page.file.legs else {}
        return {"form": page.form("leg_form", lambda: LegForm(initial=next_leg(page) | home))}

    @act("legs/", "leg-add", sums=True)
    def add(self, page: Page) -> str:
        """Add a leg, and the same way back if wanted."""
        form = LegForm(page.request.POST)
        d = page.valid("leg_form", form, self.name)
        with page.trying("leg_form", form, self.name, fields=FIELDS):
            plan.add_leg(
                page.member, page.trip.pk, d["mode"], d["origin"], d["target"], form.leaves, form.arrives,
                d["estimate"] or Decimal(0), d["paid_by"], drive_of(page, form), form.back,
            )  # fmt: skip
        return ""

    @act("line/", "leg-line", sums=True)
    def add_typed(self, page: Page) -> str:
        """Add a leg, or several, typed in one line."""
        text = page.request.POST.get("line", "")
        try:
            added = itinerary.add_typed_legs(page.member, page.trip.pk, text)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            raise Again(page.opened, page.do, typed_line=text[:600], line_error=refusal.message) from refusal
        words = joined(
            "; ",
            (
                say("{leg}: arrives {arrives}, {how}", leg=leg, arrives=as_figure(leg.arrives, "%a %H:%M"), how=how)
                for leg, how in added
            ),
        )
        messages.info(page.request, joined("", (words, ".")))
        return ""


def next_leg(page: Page) -> dict[str, Any]:
    """The next leg starts from where and when the last one ended; the first starts at home."""
    trip, legs = page.trip, page.file.legs
    if legs:
        last = legs[-1]
        moment = last.arrives + timedelta(hours=1)
        return {
            "mode": last.mode, "origin": as_typed(last.end), "leaves_day": moment.date(),
            "leaves_time": moment.time().replace(minute=0, second=0), "paid_by": last.paid_by,
        }  # fmt: skip
    code = trip.profile.get("home") or page.member.home_code
    home = best_place(code) if code else None
    day = clock.today(trip.firm.zone) + timedelta(days=21)
    return {"mode": "air", "origin": as_typed(home) if home else "", "leaves_day": day}


PANEL = AddLegPanel()
