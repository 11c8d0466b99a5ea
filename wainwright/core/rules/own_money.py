"""Own money where the firm's card was wanted."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param


@kind
class OwnMoney(Kind):
    """``over``: for more than this the firm's card is wanted."""

    code = "own_money"
    title = "Own money where the card was wanted"
    about = "Own money where the firm's card was wanted."
    by_category = True
    params = (Param("over", "money", "Over"),)

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item paid with own money over the amount."""
        over = setting.amount("over", subject.currency)
        for item in subject.items:
            if (
                item.paid_by == "self"
                and (item.needs_evidence or (subject.kind == "plan" and item.by != "own car"))
                and setting.applies_to(item.category)
                and item.amount > over
            ):
                text = f"{item.label}, {item.amount}, {'is to be' if subject.kind == 'plan' else 'was'} paid with own money. Over {over} the firm's card is wanted."
                yield Hit(item.key, text, Cure("Say why", item.key), item.amount)
