"""When the claim is due."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import as_figure, say
from wainwright.core.workings import day_text


@kind
class DueSoon(Kind):
    """Says the day, and once it is past how late it is."""

    code = "due_soon"
    title = say("Claim is due")
    about = say("When the claim is due.")
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit for a claim with a due date."""
        if subject.due is None or subject.kind != "claim":
            return
        late = (subject.today - subject.due).days
        if late > 0:
            text = say("The claim was due on {due}, {late} days ago.", due=day_text(subject.due, year=True), late=late)
        else:
            text = say("The claim is due by {due}.", due=as_figure(subject.due, "%-d %B"))
        yield Hit(subject.key, text, Cure(say("Certify and send"), subject.key))
