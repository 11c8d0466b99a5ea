"""A cost whose date lies outside the trip of its claim."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say
from wainwright.core.workings import day_text


@kind
class OffTrip(Kind):
    """``days`` before and after the trip are tolerated, for parking paid ahead and the like."""

    code = "off_trip"
    title = say("Outside the trip's dates")
    about = say("A cost whose date lies outside the trip of its claim.")
    by_category = True
    params = (
        Param(
            "days", "days", say("Days around the trip"), "0", say("So many before and after are taken."), needed=False
        ),
    )
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield every item outside the dates."""
        if subject.kind != "claim" or subject.starts is None or subject.ends is None:
            return
        slack = int(setting.number("days"))
        for item in subject.items:
            early, late = (subject.starts - item.day).days, (item.day - subject.ends).days
            if setting.applies_to(item.category) and max(early, late) > slack:
                when = (
                    say("{early} days before the trip", early=early)
                    if early > 0
                    else say("{late} days after the trip", late=late)
                )
                yield Hit(
                    item.key,
                    say("{item_label} of {day} is {when}.", item_label=item.label, day=day_text(item.day), when=when),
                    Cure(say("Take it out"), item.key),
                )
