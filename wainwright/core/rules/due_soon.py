"""When the claim is due."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.workings import day_text


@kind
class DueSoon(Kind):
    """Says the day, and once it is past how late it is."""

    code = "due_soon"
    title = "Claim is due"
    about = "When the claim is due."
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit for a claim with a due date."""
        if subject.due is None or subject.kind != "claim":
            return
        late = (subject.today - subject.due).days
        if late > 0:
            text = f"The claim was due on {day_text(subject.due, year=True)}, {late} days ago."
        else:
            text = f"The claim is due by {subject.due.day} {subject.due:%B}."
        yield Hit(subject.key, text, Cure("Certify and send", subject.key))
