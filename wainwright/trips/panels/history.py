"""Every act on the trip, as the trail has it."""

from __future__ import annotations

from typing import Any

from wainwright.core.said import say
from wainwright.trail.selectors import history
from wainwright.trips.panels.base import Page, Panel


class HistoryPanel(Panel):
    """Who did what, when, and for whom."""

    name = "history"
    title = say("History")
    order = 85

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The entries of the trail."""
        return {"entries": history(page.trip.subject)}


PANEL = HistoryPanel()
