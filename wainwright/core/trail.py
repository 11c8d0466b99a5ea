"""The trail: a chain of entries, each holding the hash of the one before; and anchors, which say elsewhere how far it went."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from wainwright.core.said import say

GENESIS = "0" * 64
# The entry that seals which firm each of the entries belongs to whose own hashes leave it out.
SEALS = (say("sealed the firms of the entries before"), "trail")
# The act of whoever gives up what was entered after a backup that was put back.
RESTORED = "restored"


@dataclass(frozen=True, slots=True)
class Entry:
    """One act. ``before`` and ``after`` are JSON text; ``previous`` is the last entry's hash.

    Entries of the first days have hashes without the firm (``with_firm`` is false): a later one seals them. Of another firm's
    entry, where a firm was taken along to an installation of its own, the hash alone is ``held``: it links, and says nothing.
    """

    number: int
    time: datetime
    who: str
    for_whom: str
    what: str
    subject: str
    before: str
    after: str
    previous: str
    firm: int | None = None
    with_firm: bool = True
    held: bool = False

    def digest(self) -> str:
        """SHA-256 of everything in the entry, in a fixed order."""
        values: list[object] = [
            self.number, self.time.astimezone(UTC).isoformat(), self.who, self.for_whom, self.what,
            self.subject, self.before, self.after, self.previous,
        ]  # fmt: skip
        if self.with_firm:
            values.append(["firm", self.firm])
        return hashlib.sha256(json.dumps(values, ensure_ascii=False, separators=(",", ":")).encode()).hexdigest()


@dataclass(frozen=True, slots=True)
class Broken:
    """The first entry that does not fit, and why."""

    number: int
    why: str


@dataclass(frozen=True, slots=True)
class Anchor:
    """How far the trail went at a time, kept outside the database: its last entry and that entry's hash."""

    number: int
    digest: str
    time: datetime
    why: str


def firms_digest(firms: Iterable[tuple[int, int | None]]) -> str:
    """SHA-256 of (number of an entry, its firm), as an entry seals them."""
    sealed = hashlib.sha256()
    for number, firm in firms:
        sealed.update(f"{number}:{firm}\n".encode())
    return sealed.hexdigest()


def first_broken(entries: Iterable[tuple[Entry, str]]) -> Broken | None:
    """Walk (entry, its kept hash) in order and return the first that does not fit, or nothing."""
    previous, expected = GENESIS, 1
    unsealed: list[tuple[int, int | None]] = []
    sealed = False
    for entry, kept in entries:
        if entry.number != expected:
            return Broken(expected, say("entry {expected} is missing", expected=expected))
        if entry.previous != previous:
            return Broken(entry.number, say("it does not follow the entry before it"))
        if not entry.held and entry.digest() != kept:
            return Broken(entry.number, say("its content was changed"))
        if not entry.with_firm:
            if sealed:
                return Broken(entry.number, say("its hash leaves out the firm"))
            unsealed.append((entry.number, entry.firm))
        elif unsealed and not sealed:
            if (entry.what, entry.subject) != SEALS:
                return Broken(entry.number, say("the firms of the entries before it are not sealed"))
            if json.loads(entry.after) != {"entries": len(unsealed), "firms": firms_digest(unsealed)}:
                return Broken(entry.number, say("the firm of an entry before it was changed"))
            sealed = True
        previous, expected = kept, expected + 1
    return None


def unanchored(anchors: Iterable[Anchor], last: int, digests: Mapping[int, str]) -> list[tuple[Anchor, str]]:
    """Return the anchors that the trail does not bear out, and why; ``digests`` are those of the entries they name.

    Anchors are in the order in which they were dropped. What a restored backup gave up is not missed any more.
    """
    standing: list[Anchor] = []
    for anchor in anchors:
        if anchor.why.startswith(RESTORED):
            standing = [each for each in standing if each.number <= anchor.number]
        standing.append(anchor)
    found = []
    for anchor in standing:
        if anchor.number > last:
            found.append((anchor, say("entries {last} to {number} are missing", last=last + 1, number=anchor.number)))
        elif digests.get(anchor.number) != anchor.digest:
            found.append((anchor, say("entry {number}, or one before it, is not what it was", number=anchor.number)))
    return found
