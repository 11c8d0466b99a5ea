"""What every reader of files says when it cannot read: one error, one note of what was left out."""

from __future__ import annotations

from dataclasses import dataclass


class Unreadable(ValueError):
    """A file that cannot be read at all; the message is for the person who sent it."""


@dataclass(frozen=True, slots=True)
class LeftOut:
    """One entry that was left out: where it stands, and why."""

    where: str
    why: str
