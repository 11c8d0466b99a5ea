"""A night that stands in two costs."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Item, Subject
from wainwright.core.workings import day_text


@kind
class NightTwice(Kind):
    """A night exists once; a second one shows both."""

    code = "night_twice"
    title = "Night twice"
    about = "A night that stands in two costs."
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield the later item of every pair that holds the same night."""
        first: dict[object, Item] = {}
        for item in subject.items:
            for night in item.nights:
                other = first.setdefault(night, item)
                if other is not item:
                    text = f"The night of {day_text(night)} is in {other.label} and again in {item.label}."
                    yield Hit(item.key, text, Cure("Take one out", item.key), item.amount, (other.key,))
                    break
