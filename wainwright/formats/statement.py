"""What every card and bank file is turned into, whatever its format."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from wainwright.core.money import Money
from wainwright.formats.problems import LeftOut


@dataclass(frozen=True, slots=True)
class StatementLine:
    """One transaction: ``amount`` is what was charged (a refund is below zero), ``bank_id`` the issuer's own key."""

    bank_id: str
    day: date
    amount: Money
    merchant: str
    memo: str = ""
    merchant_code: str = ""
    original: Money | None = None


@dataclass(frozen=True, slots=True)
class Statement:
    """One account of a file: its last four digits, the lines taken, and what was left out."""

    last_four: str
    currency: str
    lines: tuple[StatementLine, ...]
    left: tuple[LeftOut, ...]
