"""What the traveller must be in time for: ways are measured against it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from wainwright.core.said import say
from wainwright.trips.forms import EngagementForm
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.services import details


class InTimePanel(Panel):
    """Meetings, tides, handovers: what, where, from when."""

    name = "intime"
    title = say("In time for")
    order = 20

    def there(self, page: Page) -> bool:
        """While planning, and where something waits."""
        return page.editable or bool(page.trip.engagements)

    def says(self, page: Page) -> str:
        """What it is, or how many things."""
        rows = page.trip.engagements
        return (
            rows[0]["title"]
            if len(rows) == 1
            else say("{rows_count} things", rows_count=len(rows))
            if rows
            else say("nothing yet")
        )

    def asks(self, page: Page) -> bool:
        """Where the journey comes too late for one, or is over before it."""
        return any(e.open and e.finding.rule in ("in-time", "left-before") for e in page.file.findings)

    def answers(self, target: str, page: Page) -> str:
        """What waits itself."""
        return self.name if target.startswith("engagement") else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """What waits, and the form for more."""
        blank = page.form("engagement_form", lambda: EngagementForm(initial={"day": page.trip.starts}))
        return {"rows": page.trip.engagements, "form": blank if page.editable else None}

    @act("engagements/", "engagement-add")
    def add(self, page: Page) -> str:
        """Say what one must be in time for."""
        form = EngagementForm(page.request.POST)
        d = page.valid("engagement_form", form, self.name)
        with page.trying("engagement_form", form, self.name):
            at = datetime.combine(d["day"], d["time"])
            details.add_engagement(page.member, page.trip.pk, d["title"], d["place"], at)
        return self.name

    @act("engagements/<int:index>/remove/", "engagement-remove")
    def remove(self, page: Page, index: int) -> str:
        """Take one off."""
        details.remove_engagement(page.member, page.trip.pk, index)
        return self.name


PANEL = InTimePanel()
