"""Travel on a weekend or a public holiday."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import joined, say
from wainwright.core.workings import day_text

SATURDAY = 5
_LONGEST = 366


@kind
class Weekend(Kind):
    """Days of the journey that are no working days."""

    code = "weekend"
    title = say("Weekend or holiday")
    about = say("Travel on a weekend or a public holiday.")

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit that names every such day of the journey."""
        if subject.starts is None or subject.ends is None:
            return
        span = min((subject.ends - subject.starts).days, _LONGEST)
        days = [subject.starts + timedelta(days=n) for n in range(span + 1)]
        free = [self._words(subject, day) for day in days if day.weekday() >= SATURDAY or day in subject.holidays]
        if free:
            yield Hit(
                subject.key,
                say("The journey takes in {list}.", list=joined(", ", free)),
                Cure(say("Look at the days"), "days"),
            )

    def _words(self, subject: Subject, day: date) -> str:
        name = subject.holidays.get(day, "")
        return joined("", (day_text(day), " (", name, ")")) if name else day_text(day)
