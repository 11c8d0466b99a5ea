"""A way dearer than the cheapest that fits, by more than the firm's tolerance."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class NotCheapest(Kind):
    """``tolerance`` in the firm's currency."""

    code = "not_cheapest"
    title = say("Not the cheapest that fits")
    about = say("A way dearer than the cheapest that fits, by more than the firm's tolerance.")
    by_category = True
    params = (Param("tolerance", "money", say("Tolerance"), "0"),)
    on = frozenset({"plan"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item that is over its yardstick by more than the tolerance."""
        tolerance = setting.amount("tolerance", subject.currency)
        for item in subject.items:
            if item.cheapest is None or not setting.applies_to(item.category):
                continue
            over = item.amount - item.cheapest
            if over > tolerance:
                text = say(
                    "{item_label} is {over} dearer than {cheapest}, the cheapest that fits. The firm allows "
                    "{tolerance}.",
                    item_label=item.label,
                    over=over,
                    cheapest=item.cheapest,
                    tolerance=tolerance,
                )
                yield Hit(item.key, text, Cure(say("Choose the cheapest that fits"), item.key), over)
