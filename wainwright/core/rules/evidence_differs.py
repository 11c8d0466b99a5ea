"""What is claimed is more than what the evidence shows."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject


@kind
class EvidenceDiffers(Kind):
    """Says more than shows."""

    code = "evidence_differs"
    title = "More claimed than the evidence shows"
    about = "What is claimed is more than what the evidence shows."
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item that claims more than its receipt or charge."""
        for item in subject.items:
            if item.shows is not None and item.amount > item.shows:
                over = item.amount - item.shows
                text = f"{item.label} says {item.amount}, its evidence shows {item.shows}: {over} less."
                yield Hit(item.key, text, Cure(f"Correct to {item.shows}", item.key), over)
