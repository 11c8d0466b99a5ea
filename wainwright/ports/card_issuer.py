"""The issuer of the firm's cards: tells what was charged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Protocol

from wainwright.formats.statement import StatementLine


class IssuerError(Exception):
    """The issuer did not answer, or does not know the card; the message is for the person."""


@dataclass(frozen=True, slots=True)
class CardAsked:
    """A card as its issuer knows it."""

    issuer: str
    last_four: str
    currency: str


class CardIssuer(Protocol):
    """An issuer. Asking again for the same days gives the same charges; a pending one may come booked later."""

    def charges(self, card: CardAsked, first: date, last: date) -> Sequence[StatementLine]:
        """Return what was charged from ``first`` to ``last``. Raises ``IssuerError``."""
