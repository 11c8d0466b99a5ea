"""What every card and bank file is turned into, whatever its format."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date

from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.formats.problems import LeftOut, Unreadable

MOST_BYTES = 64_000_000
MOST_LINES = 50_000


def must_not_be_too_large(content: bytes) -> None:
    """Raise ``Unreadable`` for a file of more bytes than a statement has."""
    if len(content) > MOST_BYTES:
        raise Unreadable(say("The file is larger than 64 MB. Ask the bank for a shorter period."))


@dataclass(frozen=True, slots=True)
class StatementLine:
    """One transaction: ``amount`` is what was charged (a refund is below zero), ``bank_id`` the issuer's own key.

    ``pending`` is one that is not booked yet; ``original`` what was paid where the currency was another; ``reference``
    whatever the bank gives besides by which a payment can be known.
    """

    bank_id: str
    day: date
    amount: Money
    merchant: str
    memo: str = ""
    merchant_code: str = ""
    original: Money | None = None
    pending: bool = False
    reference: str = ""


@dataclass(frozen=True, slots=True)
class Statement:
    """One account of a file: its last four digits (empty: the file does not say), the lines taken, and what was left out.

    ``opening`` and ``closing`` are its balances, where the file says them: above zero for money that is there.
    """

    last_four: str
    currency: str
    lines: tuple[StatementLine, ...]
    left: tuple[LeftOut, ...]
    opening: Money | None = None
    closing: Money | None = None


def own_key(day: date, amount: Money, words: str) -> str:
    """Return a key for a line that has none of the bank's: the same line always gets the same."""
    return (
        "own-"
        + hashlib.sha256(
            f"{day} {amount.minor} {amount.currency} {' '.join(words.split()).casefold()}".encode()
        ).hexdigest()[:24]
    )


def with_places(lines: Iterable[StatementLine]) -> list[StatementLine]:
    """Give every line a key of its own.

    Some banks give one key to many entries, or none; such lines are known by what they say. Lines that say the same are
    told apart by their place among their likes: two coffees on one day are two. Lines that are alike down to the bank's
    key stay so: that is one entry that stands twice.
    """
    lines = list(lines)
    meant: dict[str, set[tuple[object, ...]]] = {}
    for line in lines:
        meant.setdefault(line.bank_id, set()).add((line.day, line.amount, line.merchant))
    counted: dict[str, int] = {}
    found = []
    for line in lines:
        if not line.bank_id or len(meant[line.bank_id]) > 1:
            line = replace(line, bank_id=own_key(line.day, line.amount, line.merchant))
        if line.bank_id.startswith("own-"):
            number = counted[line.bank_id] = counted.get(line.bank_id, 0) + 1
            line = replace(line, bank_id=f"{line.bank_id}-{number}") if number > 1 else line
        found.append(line)
    return found


def text_of(content: bytes, otherwise: str = "cp1252") -> str:
    """Return the text of a file in whatever of the usual encodings it is written; marks of byte order are dropped."""
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return content.decode("utf-16", errors="replace")
    if content[:4].count(0) == 2:
        # Every other byte of plain letters is nothing: two bytes a sign, without the mark.
        return content.decode("utf-16-be" if content[0] == 0 else "utf-16-le", errors="replace")
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        if error.end >= len(content) - 1 and error.reason == "unexpected end of data":
            return content.decode("utf-8-sig", errors="ignore")
        return content.decode(otherwise, errors="replace")


def digits(text: str) -> str:
    """The last four digits of an account or card number."""
    return "".join(filter(str.isdigit, text))[-4:]
