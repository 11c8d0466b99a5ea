"""What was signed, line by line, and how a later plan differs from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wainwright.core.said import joined


@dataclass(frozen=True, slots=True)
class Line:
    """One line that is signed: a stable key, where it stands, what it is called, what it says."""

    key: str
    section: str
    label: str
    value: str


@dataclass(frozen=True, slots=True)
class Change:
    """A line that differs; ``before`` or ``after`` is empty where it is new or gone."""

    section: str
    label: str
    before: str
    after: str


def changes(before: Sequence[Line], after: Sequence[Line]) -> list[Change]:
    """Return the lines that differ, in the order of the newer plan, then those that are gone."""
    old, new = {line.key: line for line in before}, {line.key: line for line in after}
    found = []
    for key, line in new.items():
        was = old.get(key)
        if was is None:
            found.append(Change(line.section, line.label, "", line.value))
        elif (was.label, was.value) != (line.label, line.value):
            before_text = was.value if was.label == line.label else joined("", (was.label, ", ", was.value))
            found.append(Change(line.section, line.label, before_text, line.value))
    found += [Change(line.section, line.label, line.value, "") for key, line in old.items() if key not in new]
    return found
