"""QIF: the plain interchange of accounts. It names no account and no key of the bank's."""

from __future__ import annotations

import re

from wainwright.core.money import Money
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.statement import (
    MOST_BYTES,
    MOST_LINES,
    Statement,
    StatementLine,
    month_first,
    own_key,
    read_day,
    read_number,
    text_of,
    with_places,
)


def is_qif(content: bytes) -> bool:
    """Say whether a file looks like one, by its content."""
    return text_of(content[:400]).lstrip().upper().startswith(("!TYPE:", "!ACCOUNT", "!OPTION"))


def read_qif(content: bytes, currency: str = "EUR") -> list[Statement]:
    """Read the entries of a file; amounts are in ``currency``, since the format names none. Raises ``Unreadable``."""
    if len(content) > MOST_BYTES:
        raise Unreadable("The file is larger than 12 MB. Ask the bank for a shorter period.")
    entries: list[tuple[int, dict[str, str]]] = []
    current: dict[str, str] = {}
    began = 1
    for number, line in enumerate(text_of(content).splitlines(), 1):
        line = line.strip()
        if line.startswith("!") or not line:
            continue
        if line == "^":
            if current:
                entries.append((began, current))
            current, began = {}, number + 1
        else:
            current.setdefault(line[0].upper(), line[1:].strip())
    if current:
        entries.append((began, current))
    if not entries:
        raise Unreadable("The file holds no entries.")
    american = month_first(_day_text(e.get("D", "")) for _, e in entries)
    lines, left = [], []
    for number, entry in entries[:MOST_LINES]:
        try:
            day = read_day(_day_text(entry.get("D", "")), american)
            amount = Money.rounded(-read_number(entry.get("T") or entry.get("U", "")), currency)
        except ValueError as error:
            left.append(LeftOut(f"line {number}, {entry.get('P', 'an entry')[:40]}", str(error)))
            continue
        merchant = (entry.get("P") or entry.get("M") or "Not named")[:120]
        key = entry.get("N") or own_key(day, amount, merchant)
        lines.append(StatementLine(key[:255], day, amount, merchant, entry.get("M", "")[:200]))
    return [Statement("", currency, tuple(with_places(lines)), tuple(left))]


def _day_text(raw: str) -> str:
    """Bring "10/12'26" and "10/ 2/26" to plain parts."""
    return re.sub(r"\s+", "", raw).replace("'", "/")
