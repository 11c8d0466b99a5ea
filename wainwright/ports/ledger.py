"""The firm's ledger: its masters, journals that are taken once or refused with why, suppliers that are made once."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from typing import Protocol

from wainwright.core.masters import Master
from wainwright.core.posting import Journal


class LedgerAway(Exception):
    """The ledger did not answer, or answered nonsense: nothing is known, and the same is asked again under the same key."""


class LedgerShut(Exception):
    """The ledger does not let the connection in: its token is wrong, or was taken back."""


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


@dataclass(frozen=True, slots=True)
class NewSupplier:
    """A supplier to be made: under a key, so that it is made once; by number of account or of tax it may be there already."""

    key: str
    name: str
    iban: str = ""
    tax_number: str = ""
    country: str = ""


@dataclass(frozen=True, slots=True)
class Masters:
    """Everything that a ledger keeps and that journals name: masters by kind, and which kinds it keeps at all."""

    rows: tuple[Master, ...]
    kinds: frozenset[str] = field(default_factory=frozenset)


class Ledger(Protocol):
    """A ledger. ``post`` and ``make_supplier`` are safe to repeat: the same key gives the same answer and one entry.

    Every method raises ``LedgerAway`` where nothing is known of what became of it, and ``LedgerShut`` where the connection is not allowed.
    """

    def post(self, firm: str, journal: Journal, on: date) -> Entered | Refused:
        """Enter a journal on a day."""

    def state(self, firm: str, key: str) -> Entered | None:
        """Return under which number a journal stands, nothing where it does not."""

    def masters(self, firm: str) -> Masters:
        """Return accounts, dimensions' codes, customers, suppliers, tax codes, people and bank accounts, as they are now."""

    def make_supplier(self, firm: str, supplier: NewSupplier) -> Master:
        """Make a supplier, or return the one that is there under the key, the account or the tax number."""
