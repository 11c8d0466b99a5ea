"""A reason for a finding: opened beside it, with the reasons that fit its rule; it can serve others that take the same."""

from __future__ import annotations

from typing import Any

from django.utils.text import slugify

from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.rulebook.selectors import Explained
from wainwright.signoff.presenting import serves_also
from wainwright.trips.panels.base import Again, Page, Panel, act
from wainwright.trips.services import plan


def opened_by(each: Explained) -> str:
    """The name under which the reason for a finding is opened."""
    return f"why-{slugify(each.finding.identity)}"


class WhyPanel(Panel):
    """Reason and words for one finding, and for those others that the same reason answers."""

    name = "why"
    title = "Why it had to be so"

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
        return {
            "each": each, "reasons": each.finding.reasons, "others": serves_also(each, page.file.findings),
            "chosen": page.typed.get("chosen", []), "reason": page.typed.get("reason", ""), "words": page.typed.get("words", ""),
            "error": page.typed.get("error", ""), "action": f"/trips/{page.trip.pk}/explain/",
        }  # fmt: skip

    @act("explain/", "trip-explain", sums=True)
    def explain(self, page: Page) -> str:
        """Give a reason to findings."""
        post = page.request.POST
        chosen, reason, words = post.getlist("identity"), post.get("reason", ""), post.get("words", "")
        try:
            plan.explain(page.member, page.trip.pk, [e.finding for e in page.file.findings], chosen, reason, words)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            about = f"why-{slugify(chosen[0])}" if chosen else ""
            raise Again(about, chosen=chosen, reason=reason, words=words, error=refusal.message) from refusal
        return ""


PANEL = WhyPanel()
