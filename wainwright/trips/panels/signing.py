"""Who signs, in which order and why, and the budgets that the trip touches."""

from __future__ import annotations

from typing import Any

from wainwright.core.said import joined, say
from wainwright.signoff.presenting import route_preview, route_steps
from wainwright.trips.panels.base import Page, Panel


class SigningPanel(Panel):
    """The route: before it is sent as it will be, afterwards as it stands."""

    name = "signing"
    title = say("Who signs")
    order = 70

    def says(self, page: Page) -> str:
        """The names, or who is next."""
        if not page.file.book.policy.trip_signoff:
            return "nobody"
        if page.signoffs and not page.editable:
            waiting = [s.signer.person.name for s in page.signoffs if s.turn]
            return (
                say("next {list}", list=joined(", ", (_first(name) for name in waiting))) if waiting else say("signed")
            )
        names = [_first(step.name) for step in page.file.route.steps]
        return joined(", ", names) or say("nobody yet")

    def asks(self, page: Page) -> bool:
        """Where the route has a fault."""
        return bool(page.file.route.faults)

    def answers(self, target: str, page: Page) -> str:
        """The route's faults."""
        return self.name if target == "route" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The steps of the route, and each budget before and after."""
        asked = page.signoffs and not page.editable
        return {
            "signs": page.file.book.policy.trip_signoff, "budgets": page.file.budgets, "faults": page.file.route.faults,
            "route": route_steps(page.signoffs) if asked else route_preview(page.file.route),
        }  # fmt: skip


def _first(name: str) -> str:
    return name.partition(" ")[0]


PANEL = SigningPanel()
