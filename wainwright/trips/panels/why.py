"""Why something had to be so: opened beside its finding, with the reasons that fit its rule; one act can answer several."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.utils.text import slugify

from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.rulebook.selectors import Explained
from wainwright.signoff.presenting import Answering, answer_rows
from wainwright.trips.panels.base import Again, Page, Panel, act
from wainwright.trips.services import plan


def opened_by(each: Explained) -> str:
    """The name under which the reason for a finding is opened."""
    return f"why-{slugify(each.finding.identity)}"


class WhyPanel(Panel):
    """A reason and words for one finding, and for whatever else the same words answer, each with a reason of its own rule."""

    name = "why"
    title = say("Why it had to be so")

    def there(self, page: Page) -> bool:
        """While planning."""
        return page.editable

    def has(self, page: Page, which: str) -> bool:
        """Where the finding still stands."""
        return self._found(page, which) is not None

    def _found(self, page: Page, which: str) -> Explained | None:
        return next((e for e in page.file.findings if e.open and opened_by(e) == f"why-{which}"), None)

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The finding, its reasons, and the others that one of them would serve."""
        each = self._found(page, which)
        if each is None:
            return {}
        typed = page.typed.get("typed", Answering())
        rows = answer_rows(each, page.file.findings, typed)
        return {"rows": rows, "typed": typed, "action": f"/trips/{page.trip.pk}/explain/"}

    @act("explain/", "trip-explain", sums=True)
    def explain(self, page: Page) -> str:
        """Give reasons to findings."""
        typed = Answering.of(page.request.POST, page.request.POST.getlist("identity"))
        found = [e.finding for e in page.file.findings]
        try:
            plan.explain(page.member, page.trip.pk, found, list(typed.chosen), typed.reasons, typed.words)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            about = f"why-{slugify(typed.chosen[0])}" if typed.chosen else ""
            raise Again(about, typed=replace(typed, error=refusal.message)) from refusal
        return ""


PANEL = WhyPanel()
