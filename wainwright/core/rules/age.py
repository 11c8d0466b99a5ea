"""A cost older than so many days."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.workings import day_text


@kind
class Age(Kind):
    """``days``: the oldest that a cost may be when it is claimed."""

    code = "age"
    title = "Older than so many days"
    about = "A cost older than so many days."
    by_category = True
    params = (Param("days", "days", "Oldest", "60", "Days between the cost and its claim."),)
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item that is too old."""
        days = int(setting.number("days"))
        for item in subject.items:
            old = (subject.today - item.day).days
            if setting.applies_to(item.category) and old > days:
                text = f"{item.label} of {day_text(item.day, year=True)} is {old} days old, the firm takes {days}."
                yield Hit(item.key, text, Cure("Say why it is late", item.key))
