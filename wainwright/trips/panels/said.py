"""What was said on the trip, by those who are on it."""

from __future__ import annotations

from typing import Any

from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.trips.panels.base import Again, Page, Panel, act
from wainwright.trips.services import road


class SaidPanel(Panel):
    """The conversation, on the whole and on a line."""

    name = "said"
    title = "Said"
    order = 80

    def says(self, page: Page) -> str:
        """How much was said, and by whom last."""
        if not page.remarks:
            return say("nothing yet")
        return say(
            "{number}, last by {name}",
            number=len(page.remarks),
            name=page.remarks[-1].by.person.name.partition(" ")[0],
        )

    def asks(self, page: Page) -> bool:
        """Where it was sent back: what was said then is to be read."""
        return page.editable and page.trip.state == "Sent back"

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The remarks, and what was typed of another."""
        return {
            "remarks": page.remarks, "estimates": page.file.figures.estimates if any(r.line for r in page.remarks) else (),
            "text": page.typed.get("text", ""), "error": page.typed.get("error", ""),
        }  # fmt: skip

    @act("say/", "trip-say")
    def say(self, page: Page) -> str:
        """Say something to those on the trip."""
        text = page.request.POST.get("text", "")
        try:
            road.remark(page.member, page.trip.pk, text)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            raise Again(self.name, text=text, error=refusal.message) from refusal
        return self.name


PANEL = SaidPanel()
