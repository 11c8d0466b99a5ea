"""Title, purpose and coding: opened from the trip's head."""

from __future__ import annotations

from typing import Any

from wainwright.accounts.forms import coding_initial
from wainwright.core.said import say
from wainwright.trips.forms import HeadForm
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.services import plan


class HeadPanel(Panel):
    """What the trip is called, what it is for, and what it is coded to."""

    name = "head"
    title = say("Title, purpose and coding")

    def there(self, page: Page) -> bool:
        """While planning."""
        return page.editable

    def answers(self, target: str, page: Page) -> str:
        """A coding that does not hold together."""
        return self.name if target == "head" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The form."""
        trip = page.trip
        initial = {"title": trip.title, "purpose": trip.purpose, **coding_initial(trip.coding)}
        return {"form": page.form("head_form", lambda: HeadForm(books=page.file.books, initial=initial))}

    @act("head/", "trip-head")
    def change(self, page: Page) -> str:
        """Change title, purpose, coding."""
        form = HeadForm(page.request.POST, books=page.file.books, keep=page.trip.coding)
        d = page.valid("head_form", form, self.name)
        with page.trying("head_form", form, self.name):
            plan.change_head(page.member, page.trip.pk, d["title"], d["purpose"], form.coding)
        return ""


PANEL = HeadPanel()
