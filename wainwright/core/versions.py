"""What was signed, line by line, and how a later plan differs from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wainwright.core.said import joined, say

# What people type: the head of a trip, and what they answer to the firm's questions.
_TYPED = ("head:", "answer:")
UNANSWERED = say("not answered")


@dataclass(frozen=True, slots=True)
class Line:
    """One line that is signed: a stable key, where it stands, what it is called, what it says."""

    key: str
    section: str
    label: str
    value: str

    @property
    def typed(self) -> bool:
        """Whether people typed what it says: it is shown as it stands, whoever reads it."""
        return self.key.startswith(_TYPED) and self.value != UNANSWERED


@dataclass(frozen=True, slots=True)
class Change:
    """A line that differs; ``before`` or ``after`` is empty where it is new or gone, ``typed`` says which people typed."""

    section: str
    label: str
    before: str
    after: str
    typed: bool = False


def changes(before: Sequence[Line], after: Sequence[Line]) -> list[Change]:
    """Return the lines that differ, in the order of the newer plan, then those that are gone."""
    old, new = {line.key: line for line in before}, {line.key: line for line in after}
    found = []
    for key, line in new.items():
        was = old.get(key)
        if was is None:
            found.append(Change(line.section, line.label, "", line.value, line.typed))
        elif (was.label, was.value) != (line.label, line.value):
            before_text = was.value if was.label == line.label else joined("", (was.label, ", ", was.value))
            found.append(Change(line.section, line.label, before_text, line.value, was.typed and line.typed))
    found += [
        Change(line.section, line.label, line.value, "", line.typed) for key, line in old.items() if key not in new
    ]
    return found
