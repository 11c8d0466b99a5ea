"""A night that stands in two costs."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Item, Subject
from wainwright.core.said import say
from wainwright.core.workings import day_text


@kind
class NightTwice(Kind):
    """A night exists once; a second one shows both."""

    code = "night_twice"
    title = say("Night twice")
    about = say("A night that stands in two costs.")
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield the later item of every pair that holds the same night."""
        first: dict[object, Item] = {}
        for item in subject.items:
            for night in item.nights:
                other = first.setdefault(night, item)
                if other is not item:
                    text = say(
                        "The night of {night} is in {other_label} and again in {item_label}.",
                        night=day_text(night),
                        other_label=other.label,
                        item_label=item.label,
                    )
                    yield Hit(item.key, text, Cure(say("Take one out"), item.key), item.amount, (other.key,))
                    break
