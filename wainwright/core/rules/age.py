"""A cost older than so many days."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say
from wainwright.core.workings import day_text


@kind
class Age(Kind):
    """``days``: the oldest that a cost may be when it is claimed."""

    code = "age"
    title = say("Older than so many days")
    about = say("A cost older than so many days.")
    by_category = True
    params = (Param("days", "days", say("Oldest"), "60", say("Days between the cost and its claim.")),)
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item that is too old."""
        days = int(setting.number("days"))
        for item in subject.items:
            old = (subject.today - item.day).days
            if setting.applies_to(item.category) and old > days:
                text = say(
                    "{item_label} of {day} is {old} days old, the firm takes {days}.",
                    item_label=item.label,
                    day=day_text(item.day, year=True),
                    old=old,
                    days=days,
                )
                yield Hit(item.key, text, Cure(say("Say why it is late"), item.key))
