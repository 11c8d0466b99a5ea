"""What every card and bank file is turned into, whatever its format, and how odd dates and amounts are read."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal, InvalidOperation

from wainwright.core.money import Money
from wainwright.core.text import decimal
from wainwright.formats.problems import LeftOut

MOST_BYTES = 12_000_000
MOST_LINES = 50_000


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


def text_of(content: bytes) -> str:
    """Return the text of a file in whatever of the usual encodings it is written; marks of byte order are dropped."""
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return content.decode("utf-16", errors="replace")
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError:
        return content.decode("cp1252", errors="replace")


# No amount is written with more signs, marks and currency included.
MOST_SIGNS = 80


def read_number(raw: str) -> Decimal:
    """Read an amount in any convention: 1.234,56 or 1,234.56 or 1 234,56-, with signs and marks of debit and credit.

    Raises ``ValueError`` naming what was there.
    """
    if len(raw) > MOST_SIGNS:
        raise ValueError(f"its amount “{raw.strip()[:30]}” is not a number")
    text = raw.replace("\u00a0", "").replace("\u2212", "-").replace("'", "").strip()
    sign = 1
    if text.startswith("(") and text.endswith(")"):
        text, sign = text[1:-1], -1
    mark = re.search(r"\b(DR|CR|D|C|S|H)\.?$", text, re.I)
    if mark:
        text = text[: mark.start()]
        sign = -sign if mark[1].upper() in ("DR", "D", "S") else sign
    text = re.sub(r"^[A-Za-z.€£$ ]+(?=[-\d])|[A-Za-z€£$ ]+$", "", text).replace(" ", "")
    if re.search(r"[^\d.,+-]", text):
        raise ValueError(f"its amount “{raw.strip()[:30]}” is not a number")
    if text.endswith("-"):
        text, sign = text[:-1], -sign
    text = text.replace(".", "").replace(",", ".") if text.rfind(",") > text.rfind(".") else text.replace(",", "")
    try:
        value = decimal(text)
    except InvalidOperation as error:
        raise ValueError(f"its amount “{raw.strip()[:30]}” is not a number") from error
    if not value.is_finite() or abs(value) > 10**12:
        raise ValueError(f"its amount “{raw.strip()[:30]}” is not a number")
    return value * sign


_ISO = re.compile(r"^(\d{4})[-/.]?(\d{2})[-/.]?(\d{2})")
_PARTS = re.compile(r"^(\d{1,2})[-/. '](\d{1,2})[-/. '](\d{4}|\d{2})")


def month_first(raws: Iterable[str]) -> bool:
    """Say whether dates of a file stand month first: some second part is over 12 and no first part is."""
    pairs = [m.groups() for raw in raws if (m := _PARTS.match(raw.strip()))]
    return any(int(b) > 12 for _, b, _ in pairs) and not any(int(a) > 12 for a, _, _ in pairs)


def read_day(raw: str, american: bool = False) -> date:
    """Read a date: 2026-10-12, 20261012, 12.10.2026, 12/10/26. Raises ``ValueError`` naming what was there."""
    text = raw.strip()
    try:
        if found := _ISO.match(text):
            return date(int(found[1]), int(found[2]), int(found[3]))
        if found := _PARTS.match(text):
            one, two, year = int(found[1]), int(found[2]), int(found[3])
            day, month = (two, one) if american else (one, two)
            return date(year + 2000 if year < 100 else year, month, day)
    except ValueError as error:
        raise ValueError(f"its date “{text[:20]}” is not a date") from error
    raise ValueError(f"its date “{text[:20]}” is not a date")


def digits(text: str) -> str:
    """The last four digits of an account or card number."""
    return "".join(filter(str.isdigit, text))[-4:]
