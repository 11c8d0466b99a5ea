"""The whole trip on other days: opened from its dates."""

from __future__ import annotations

from typing import Any

from django.contrib import messages

from wainwright.core.said import joined, say, say_many
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.panels.night import day_of
from wainwright.trips.services import itinerary


class DaysPanel(Panel):
    """Begin on another day: moves, nights and meals move together."""

    name = "days"
    title = say("Begin on another day")

    def there(self, page: Page) -> bool:
        """While planning, once there are days."""
        return page.editable and page.trip.starts is not None

    def answers(self, target: str, page: Page) -> str:
        """The days as such."""
        return self.name if target == "days" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The day as it was typed, else as it is."""
        return {"starts": page.trip.starts}

    @act("shift/", "shift", sums=True)
    def shift(self, page: Page) -> str:
        """Let the whole trip begin on another day."""
        start = day_of(page.request.POST.get("start", ""), say("Choose the day on which the trip begins."))
        days, held = itinerary.shift_trip(page.member, page.trip.pk, start)
        messages.info(
            page.request, say_many("The trip moved by {count} day.", "The trip moved by {count} days.", abs(days))
        )
        if held:
            names = joined(", ", (b.label for b in held))
            messages.error(
                page.request,
                say("To be changed or cancelled, since they stand for the old days: {names}.", names=names),
            )
        return ""


PANEL = DaysPanel()
