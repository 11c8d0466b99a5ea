"""A cost over the threshold without its receipt."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class MissingEvidence(Kind):
    """``over``: a receipt is needed for more than this. ``declared_up_to``: so much may be declared lost instead."""

    code = "missing_evidence"
    title = say("Receipt missing over a threshold")
    about = say("A cost over the threshold without its receipt.")
    by_category = True
    params = (
        Param("over", "money", say("Needed over")),
        Param("declared_up_to", "money", say("Declared lost up to"), needed=False, help=say("So much may be declared lost instead; empty: anything.")),
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
                text = say(
                    "{item_label}, {item_amount}, has no receipt. Over {over} one is needed.",
                    item_label=item.label,
                    item_amount=item.amount,
                    over=over,
                )
                if item.declared_lost:
                    text = say(
                        "{item_label}, {item_amount}, is declared lost; a declaration stands in for at most {most}.",
                        item_label=item.label,
                        item_amount=item.amount,
                        most=most,
                    )
                yield Hit(item.key, text, Cure(say("Attach a receipt"), item.key), item.amount)
