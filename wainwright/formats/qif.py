"""QIF: the plain interchange of accounts. It names no account and no key of the bank's."""

from __future__ import annotations

import re
from collections.abc import Iterator

from wainwright.core.money import Money
from wainwright.core.said import as_figure, said_by, say
from wainwright.formats.counting import counted
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.statement import (
    MOST_LINES,
    Statement,
    StatementLine,
    must_not_be_too_large,
    own_key,
    text_of,
    with_places,
)
from wainwright.formats.written import mark_of, month_first, read_day, read_number, year_near

# What stands under these heads is a list of accounts, categories, classes, securities: no entries.
_LISTS = ("account", "type:cat", "type:class", "type:memorized", "type:security", "type:prices", "type:tag", "type:budget", "type:template")  # fmt: skip
# Heads that begin no block, and say nothing of what follows.
_OPTIONS = ("option:", "clear:")
Entry = dict[str, str]


def is_qif(content: bytes) -> bool:
    """Say whether a file looks like one, by its content."""
    head = text_of(content[:600]).lstrip("\ufeff \t\r\n")
    return bool(re.match(r"!\s*(type\s*:|account|option|clear)", head, re.I))


def read_qif(content: bytes, currency: str = "EUR") -> list[Statement]:
    """Read the entries of a file; amounts are in ``currency``, since the format names none. Raises ``Unreadable``."""
    must_not_be_too_large(content)
    entries = list(_entries(text_of(content)))
    if not entries:
        raise Unreadable(say("The file holds no entries."))
    if len(entries) > MOST_LINES:
        raise Unreadable(
            say(
                "The file has more than {most_lines} entries. Ask the bank for a shorter period.",
                most_lines=as_figure(MOST_LINES, ","),
            )
        )
    days = [_day_text(e.get("D", "")) for _, e in entries]
    american, near = month_first(days), year_near(days)
    mark = mark_of(e.get("T") or e.get("U", "") for _, e in entries)
    lines, left = [], []
    for (number, entry), day_text in zip(entries, days, strict=True):
        counted()
        try:
            day = read_day(day_text, american, near)
            amount = Money.rounded(-read_number(entry.get("T") or entry.get("U", ""), mark), currency)
        except ValueError as error:
            left.append(
                LeftOut(
                    say(
                        "line {number}, {get}",
                        number=number,
                        get=(entry.get("P") or entry.get("M") or say("an entry"))[:40],
                    ),
                    said_by(error),
                )
            )
            continue
        merchant = (entry.get("P") or entry.get("M") or say("Not named"))[:120]
        key = entry.get("N") or own_key(day, amount, merchant)
        lines.append(StatementLine(key[:255], day, amount, merchant, entry.get("M", "")[:200]))
    return [Statement("", currency, tuple(with_places(lines)), tuple(left))]


def _entries(text: str) -> Iterator[tuple[int, Entry]]:
    """Each entry with the line on which it begins. It ends where a line begins with "^", whatever stands behind."""
    current: Entry = {}
    began, in_list = 0, False
    for number, line in enumerate(text.splitlines(), 1):
        line = line.strip()
        if not line:
            continue
        if line.startswith("!"):
            name = re.sub(r"\s+", "", line[1:]).casefold()
            if not name.startswith(_OPTIONS):
                in_list = name.startswith(_LISTS)
            ends = True
        else:
            ends = line.startswith("^")
        if ends:
            if current and not in_list:
                yield began, current
            current = {}
        elif not in_list:
            began = number if not current else began
            current.setdefault(line[0].upper(), line[1:].strip())
    if current:
        yield began, current


def _day_text(raw: str) -> str:
    """Bring "10/12'26" and "10/ 2/26" to plain parts; an apostrophe stands before a year of this century."""
    text = re.sub(r"\s+(?=\d)|(?<=[/.'-])\s+", "", raw) if not re.search(r"[^\W\d_]", raw) else raw
    return re.sub(r"'\s*(\d{2})$", r"/20\1", text).replace("'", "/")
