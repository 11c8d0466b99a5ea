"""What is claimed is more than what the evidence shows."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import say


@kind
class EvidenceDiffers(Kind):
    """Says more than shows."""

    code = "evidence_differs"
    title = say("More claimed than the evidence shows")
    about = say("What is claimed is more than what the evidence shows.")
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item that claims more than its receipt or charge."""
        for item in subject.items:
            if item.shows is not None and item.amount > item.shows:
                over = item.amount - item.shows
                text = say(
                    "{item_label} says {item_amount}, its evidence shows {shows}: {over} less.",
                    item_label=item.label,
                    item_amount=item.amount,
                    shows=item.shows,
                    over=over,
                )
                yield Hit(item.key, text, Cure(say("Correct to {shows}", shows=item.shows), item.key), over)
