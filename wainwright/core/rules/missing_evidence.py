"""A cost over the threshold without its receipt."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param


@kind
class MissingEvidence(Kind):
    """``over``: a receipt is needed for more than this. ``declared_up_to``: so much may be declared lost instead."""

    code = "missing_evidence"
    title = "Receipt missing over a threshold"
    about = "A cost over the threshold without its receipt."
    by_category = True
    params = (
        Param("over", "money", "Needed over"),
        Param("declared_up_to", "money", "Declared lost up to", needed=False, help="So much may be declared lost instead; empty: anything."),
    )  # fmt: skip
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item that needs a receipt and has none."""
        over = setting.amount("over", subject.currency)
        for item in subject.items:
            if not item.needs_evidence or item.has_receipt or not setting.applies_to(item.category):
                continue
            most = setting.amount("declared_up_to", subject.currency) if "declared_up_to" in setting.params else None
            if item.declared_lost and (most is None or item.amount <= most):
                continue
            if item.amount > over:
                text = f"{item.label}, {item.amount}, has no receipt. Over {over} one is needed."
                if item.declared_lost:
                    text = f"{item.label}, {item.amount}, is declared lost; a declaration stands in for at most {most}."
                yield Hit(item.key, text, Cure("Attach a receipt", item.key), item.amount)
