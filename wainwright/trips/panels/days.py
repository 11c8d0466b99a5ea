"""The whole trip on other days: opened from its dates."""

from __future__ import annotations

from typing import Any

from django.contrib import messages

from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.panels.night import day_of
from wainwright.trips.services import itinerary


class DaysPanel(Panel):
    """Begin on another day: moves, nights and meals move together."""

    name = "days"
    title = "Begin on another day"

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
        start = day_of(page.request.POST.get("start", ""), "Choose the day on which the trip begins.")
        days, held = itinerary.shift_trip(page.member, page.trip.pk, start)
        messages.info(page.request, f"The trip moved by {abs(days)} {'day' if abs(days) == 1 else 'days'}.")
        if held:
            names = ", ".join(b.label for b in held)
            messages.error(page.request, f"To be changed or cancelled, since they stand for the old days: {names}.")
        return ""


PANEL = DaysPanel()
