"""A cost whose date lies outside the trip of its claim."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.workings import day_text


@kind
class OffTrip(Kind):
    """``days`` before and after the trip are tolerated, for parking paid ahead and the like."""

    code = "off_trip"
    title = "Outside the trip's dates"
    about = "A cost whose date lies outside the trip of its claim."
    by_category = True
    params = (Param("days", "days", "Days around the trip", "0", "So many before and after are taken.", needed=False),)
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item outside the dates."""
        if subject.kind != "claim" or subject.starts is None or subject.ends is None:
            return
        slack = int(setting.number("days"))
        for item in subject.items:
            early, late = (subject.starts - item.day).days, (item.day - subject.ends).days
            if setting.applies_to(item.category) and max(early, late) > slack:
                when = f"{early} days before the trip" if early > 0 else f"{late} days after the trip"
                yield Hit(item.key, f"{item.label} of {day_text(item.day)} is {when}.", Cure("Take it out", item.key))
