"""A trip that is planned too shortly before it starts."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param
from wainwright.core.said import say


@kind
class BookedLate(Kind):
    """``days`` before the start the plan should be there."""

    code = "booked_late"
    title = say("Booked too late")
    about = say("A trip that is planned too shortly before it starts.")
    params = (Param("days", "days", say("Days ahead"), "7", say("Before the trip starts.")),)
    on = frozenset({"plan"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit for a plan that starts too soon."""
        if subject.kind != "plan" or subject.starts is None:
            return
        ahead, wanted = (subject.starts - subject.today).days, int(setting.number("days"))
        if 0 <= ahead < wanted:
            text = say(
                "The trip starts in {ahead} days. The firm asks for {wanted} days, fares are lower then.",
                ahead=ahead,
                wanted=wanted,
            )
            yield Hit(subject.key, text, Cure(say("Say why it is urgent"), subject.key))
