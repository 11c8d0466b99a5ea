"""A fare that is not the firm's contracted one, though one fits."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import say


@kind
class NotContracted(Kind):
    """A contracted fare that fits comes before another."""

    code = "not_contracted"
    title = say("Not a contracted fare")
    about = say("A fare that is not the firm's contracted one, though one fits.")
    by_category = True
    on = frozenset({"plan"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every way that passed a contracted fare by."""
        for item in subject.items:
            if item.contract_passed and setting.applies_to(item.category):
                text = (
                    say(
                        "{item_label} passes by a contracted fare that fits, at {cheapest}.",
                        item_label=item.label,
                        cheapest=item.cheapest,
                    )
                    if item.cheapest
                    else say("{item_label} passes by a contracted fare that fits.", item_label=item.label)
                )
                yield Hit(item.key, text, Cure(say("Choose the contracted fare"), item.key), item.cheapest)
