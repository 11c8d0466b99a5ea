"""The firm's ledger: takes journals once, or says why not."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Protocol

from wainwright.core.posting import Journal


@dataclass(frozen=True, slots=True)
class Entered:
    """The journal stands in the ledger under ``number``."""

    number: str


@dataclass(frozen=True, slots=True)
class Refused:
    """The ledger did not take the journal: its own code, its own text, and which code or period it is about."""

    code: str
    text: str
    about: str = ""


class Ledger(Protocol):
    """A ledger. ``post`` is safe to repeat: the same key gives the same number and one entry."""

    def post(self, firm: str, journal: Journal, on: date) -> Entered | Refused:
        """Enter a journal on a day."""
