"""The trail: a chain of entries, each holding the hash of the one before."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime

GENESIS = "0" * 64


@dataclass(frozen=True, slots=True)
class Entry:
    """One act. ``before`` and ``after`` are JSON text; ``previous`` is the last entry's hash."""

    number: int
    time: datetime
    who: str
    for_whom: str
    what: str
    subject: str
    before: str
    after: str
    previous: str

    def digest(self) -> str:
        """SHA-256 of everything in the entry, in a fixed order."""
        values = [
            self.number, self.time.astimezone(UTC).isoformat(), self.who, self.for_whom, self.what,
            self.subject, self.before, self.after, self.previous,
        ]  # fmt: skip
        return hashlib.sha256(json.dumps(values, ensure_ascii=False, separators=(",", ":")).encode()).hexdigest()


@dataclass(frozen=True, slots=True)
class Broken:
    """The first entry that does not fit, and why."""

    number: int
    why: str


def first_broken(entries: Iterable[tuple[Entry, str]]) -> Broken | None:
    """Walk (entry, its kept hash) in order and return the first that does not fit, or nothing."""
    previous, expected = GENESIS, 1
    for entry, kept in entries:
        if entry.number != expected:
            return Broken(expected, f"entry {expected} is missing")
        if entry.previous != previous:
            return Broken(entry.number, "it does not follow the entry before it")
        if entry.digest() != kept:
            return Broken(entry.number, "its content was changed")
        previous, expected = kept, expected + 1
    return None
