"""What was cancelled or lapsed: counted in one line."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from wainwright.bookings.models import Booking
from wainwright.core.money import total
from wainwright.core.said import joined, say
from wainwright.trips.panels.base import Line, LinePanel, Page


def _gone(page: Page) -> list[Booking]:
    return [b for b in page.file.bookings if not b.stands and b.state != "Asked"]


class GonePanel(LinePanel):
    """One line at the end, with what was not given back."""

    name = "gone"
    title = say("No longer booked")

    def lines(self, page: Page) -> Sequence[Line]:
        """One for all of them."""
        gone = _gone(page)
        if not gone:
            return []
        count = {state: sum(b.state == state for b in gone) for state in dict.fromkeys(b.state for b in gone)}
        words = joined(", ", (joined("", (number, " ", state.lower())) for state, number in count.items()))
        lost = total((b.lost for b in gone), page.trip.currency)
        price, extra = (lost, say("not given back")) if lost.minor else (None, "")
        return [Line("gone-bookings", datetime.max, "", "", self.title, words, price=price, extra=extra)]

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """Each of them, with what giving it up cost."""
        return {"gone": _gone(page)}


PANEL = GonePanel()
