"""Own money where the firm's card was wanted."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class OwnMoney(Kind):
    """``over``: for more than this the firm's card is wanted."""

    code = "own_money"
    title = say("Own money where the card was wanted")
    about = say("Own money where the firm's card was wanted.")
    by_category = True
    params = (Param("over", "money", say("Over")),)

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
                text = (
                    say(
                        "{item_label}, {item_amount}, is to be paid with own money. Over {over} the firm's card "
                        "is wanted.",
                        item_label=item.label,
                        item_amount=item.amount,
                        over=over,
                    )
                    if subject.kind == "plan"
                    else say(
                        "{item_label}, {item_amount}, was paid with own money. Over {over} the firm's card is wanted.",
                        item_label=item.label,
                        item_amount=item.amount,
                        over=over,
                    )
                )
                yield Hit(item.key, text, Cure(say("Say why"), item.key), item.amount)
