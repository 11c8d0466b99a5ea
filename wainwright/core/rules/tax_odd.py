"""The tax on a receipt is not what its rate gives."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import say


@kind
class TaxOdd(Kind):
    """More than 0.02 a line away from what the rate gives."""

    code = "tax_odd"
    title = say("Tax odd")
    about = say("The tax on a receipt is not what its rate gives.")
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item whose stated tax is odd."""
        for item in subject.items:
            if item.tax_odd:
                text = say(
                    "{item_label}: the tax typed is not what its rate gives for {item_amount}.",
                    item_label=item.label,
                    item_amount=item.amount,
                )
                yield Hit(item.key, text, Cure(say("Check the tax"), item.key))
