"""Tables from banks, CSV or a spreadsheet: no two alike, so a mapping of columns is proposed from the header, confirmed by the person, and kept."""

from __future__ import annotations

import csv
import hashlib
import io
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from wainwright.core.money import Money
from wainwright.core.said import as_figure, said_by, say
from wainwright.formats.column_words import WORDS, direction_of, is_direction, says
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.spreadsheet import Rows, is_spreadsheet, sheets_of
from wainwright.formats.statement import (
    MOST_LINES,
    Statement,
    StatementLine,
    digits,
    must_not_be_too_large,
    own_key,
    text_of,
    with_places,
)
from wainwright.formats.written import mark_of, month_first, read_day, read_number, year_near

NEEDED = ("date", "merchant")
SUMS = frozenset({"amount", "debit", "credit"})
LEAST_COLUMNS = 3


@dataclass(frozen=True, slots=True)
class Table:
    """A file as rows: the header, the rows under it, and on which line each stands."""

    header: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]


def table_of(content: bytes) -> Table:
    """Find the table in a file: its marks between columns, and the header below whatever stands before it.

    Raises ``Unreadable`` where there is none.
    """
    must_not_be_too_large(content)
    return _in_rows(_sheet(content) if is_spreadsheet(content) else _rows(content))


def _sheet(content: bytes) -> Rows:
    """The sheet that holds the table: the first with a header that says enough, else the longest."""
    sheets = sheets_of(content, MOST_LINES)
    if not sheets:
        raise Unreadable(say("The spreadsheet is empty."))
    headed = (rows for rows in sheets if any(_looks_like_header(row) for _, row in rows[:40]))
    return next(headed, max(sheets, key=len))


def _rows(content: bytes) -> Rows:
    text = text_of(content)
    if not text.strip():
        raise Unreadable(say("The file is empty."))
    lines = [line for line in text[:200_000].splitlines()[:60] if line.strip()]
    mark = _mark_of(lines)
    if not mark:
        raise Unreadable(
            say("This is no table: no column ends in a comma, semicolon or tab. Save it as CSV and send it again.")
        )
    csv.field_size_limit(200_000)
    try:
        rows = [
            (n, tuple(c.strip() for c in row))
            for n, row in enumerate(csv.reader(io.StringIO(text, newline=None), delimiter=mark), 1)
        ]
    except csv.Error as error:
        raise Unreadable(say("The table cannot be read: {error}. Save it as CSV anew.", error=error)) from error
    return [(n, row) for n, row in rows if any(row)]


def _mark_of(lines: Sequence[str]) -> str:
    """What stands between columns: the mark that cuts most lines into as many pieces as one another, and into the most."""
    best, found = (0, 0), ""
    for mark in ";\t|,":
        widths = Counter(len(row) for row in csv.reader(lines, delimiter=mark, strict=False) if len(row) > 1)
        if widths:
            # A decimal comma cuts lines as well, but unevenly, and a header not at all.
            width, count = max(widths.items(), key=lambda each: (each[1], each[0]))
            best, found = max((best, found), ((count, width), mark), key=lambda each: each[0])
    return found


def _in_rows(rows: Rows) -> Table:
    """The table in rows: its header is the first that looks like one, below whatever stands before it."""
    if not rows:
        raise Unreadable(say("The table is empty."))
    start = next((i for i, (_, row) in enumerate(rows[:40]) if _looks_like_header(row)), None)
    if start is None:
        return _unknown_words(rows)
    return Table(rows[start][1], _not_too_many(rows[start + 1 :]))


def _not_too_many(rows: Sequence[tuple[int, tuple[str, ...]]]) -> tuple[tuple[int, tuple[str, ...]], ...]:
    """The rows under a header. Raises ``Unreadable`` for more than can be taken: nothing of a file is left out in silence."""
    if len(rows) > MOST_LINES:
        raise Unreadable(
            say(
                "The table has more than {most_lines} rows. Ask the bank for a shorter period.",
                most_lines=as_figure(MOST_LINES, ","),
            )
        )
    return tuple(rows)


def _unknown_words(rows: Sequence[tuple[int, tuple[str, ...]]]) -> Table:
    """A table whose header has other words, or none: its columns have to be named by the person."""
    width = Counter(len(row) for _, row in rows).most_common(1)[0][0]
    if width < LEAST_COLUMNS:
        raise Unreadable(
            say("A date, a merchant and an amount need a column each, and there are fewer. Save it as CSV anew.")
        )
    start = next(i for i, (_, row) in enumerate(rows) if len(row) == width)
    header, under = rows[start][1], start + 1
    if any(_is_day(cell) for cell in header):
        header, under = tuple(say("Column {n}", n=n) for n in range(1, width + 1)), start
    return Table(header, _not_too_many(rows[under:]))


def _is_day(cell: str) -> bool:
    try:
        return bool(read_day(cell, False))
    except ValueError:
        return False


def _looks_like_header(row: Sequence[str]) -> bool:
    mapping = propose(row)
    return "date" in mapping and not SUMS.isdisjoint(mapping)


def says_enough(mapping: Mapping[str, int]) -> bool:
    """Say whether a mapping names what every charge needs: its day, its merchant, and an amount of some kind."""
    return all(name in mapping for name in NEEDED) and not SUMS.isdisjoint(mapping)


def header_key(header: Sequence[str]) -> str:
    """A name for a header, by which the meaning of its columns is found again."""
    return hashlib.sha256("|".join(header).casefold().encode()).hexdigest()


def propose(header: Sequence[str], rows: Sequence[Sequence[str]] = ()) -> dict[str, int]:
    """Propose which column means what, by the words of the header; each column means one thing.

    A column whose cells say nothing but debit or credit tells which way money went, whatever its header.
    """
    found: dict[str, int] = {}
    lower = [" ".join(h.casefold().split()) for h in header]
    cells = {at: [row[at] for row in rows if at < len(row)] for at in range(len(header))} if rows else {}
    telling = [at for at, column in cells.items() if is_direction(column)]
    if telling:
        found["direction"] = telling[0]
    order = (
        "original_currency",
        "original",
        "date",
        "key",
        "card",
        "currency",
        "debit",
        "credit",
        "amount",
        "merchant",
    )
    for exact in (True, False):
        for name in order:
            if name in found:
                continue
            at = next(
                (i for word in WORDS[name] for i, h in enumerate(lower) if i not in found.values() and says(h, word, exact)), None
            )  # fmt: skip
            if at is not None:
                found[name] = at
    if "direction" not in found and not rows:
        at = next((i for i, h in enumerate(lower) if i not in found.values() and h in WORDS["direction"]), None)
        if at is not None:
            found["direction"] = at
    return found


def read_csv(
    table: Table, mapping: dict[str, int], currency: str, charged_below_zero: bool | None = None
) -> list[Statement]:
    """Read a table by its mapping, as ``read_table`` does, where nobody asks for its sign."""
    return read_table(table, mapping, currency, charged_below_zero)[0]


def read_table(
    table: Table, mapping: dict[str, int], currency: str, charged_below_zero: bool | None = None
) -> tuple[list[Statement], bool | None]:
    """Read a table by its mapping; return its statements, and whether what was charged stands below zero in it.

    ``charged_below_zero`` says so; not said, the larger part of the lines decides. Nothing comes back where columns say it
    of each line. Raises ``Unreadable`` where the mapping misses a column that is needed.
    """
    if not says_enough(mapping):
        raise Unreadable(say("Say which column holds the date, the merchant, and the amount."))

    def cell(row: Sequence[str], name: str) -> str:
        index = mapping.get(name, -1)
        return row[index] if 0 <= index < len(row) else ""

    days = [cell(row, "date") for _, row in table.rows]
    american, near = month_first(days), year_near(days)
    mark = mark_of(cell(row, name) for _, row in table.rows for name in SUMS)
    directed = _says_direction(table, mapping)
    read: list[tuple[str, StatementLine]] = []
    left: list[LeftOut] = []
    for number, row in table.rows:
        try:
            day = read_day(cell(row, "date"), american, near)
            in_currency = cell(row, "currency").upper() or currency
            amount = Money.rounded(_value(row, cell, mark, directed), in_currency)
            merchant = cell(row, "merchant") or say("Not named")
            original = None
            if cell(row, "original") and cell(row, "original_currency").upper() not in ("", in_currency):
                # Banks write it without a sign, or with one; it goes the way of what was charged.
                abroad = abs(read_number(cell(row, "original"), mark)) * (-1 if amount.amount < 0 else 1)
                original = Money.rounded(abroad, cell(row, "original_currency").upper())
        except (ValueError, KeyError) as error:
            left.append(LeftOut(say("line {number}", number=number), said_by(error).strip("'\"")))
            continue
        key = cell(row, "key") or own_key(day, amount, merchant)
        read.append(
            (digits(cell(row, "card")), StatementLine(key[:255], day, amount, merchant[:120], original=original))
        )
    parted = "debit" in mapping
    if directed:
        # The column says it of each line.
        charged_below_zero = False
    if charged_below_zero is None:
        charged_below_zero = not parted and sum(line.amount.minor < 0 for _, line in read) * 2 > len(read)
    by_card: dict[str, list[StatementLine]] = {}
    for last_four, line in read:
        by_card.setdefault(last_four, []).append(_turned(line) if charged_below_zero else line)
    by_card = by_card or {"": []}
    statements = [
        Statement(last_four, currency, tuple(with_places(lines)), tuple(left) if n == 0 else ())
        for n, (last_four, lines) in enumerate(by_card.items())
    ]
    return statements, None if parted or directed else charged_below_zero


def _says_direction(table: Table, mapping: Mapping[str, int]) -> bool:
    at = mapping.get("direction", -1)
    return at >= 0 and any(at < len(row) and direction_of(row[at]) for _, row in table.rows)


def _value(row: Sequence[str], cell: Callable[[Sequence[str], str], str], mark: str, directed: bool) -> Decimal:
    """What was charged: the debit less the credit; else the amount, the way that its own column says; else as it stands."""
    debit, credit = cell(row, "debit"), cell(row, "credit")
    if debit or credit:
        out, into = (abs(read_number(each, mark)) if each else Decimal(0) for each in (debit, credit))
        return out - into
    value = read_number(cell(row, "amount"), mark)
    if not directed:
        return value
    way = direction_of(cell(row, "direction"))
    if not way:
        raise ValueError(
            say("“{row}” does not say whether it was charged or given back", row=cell(row, "direction")[:20])
        )
    return abs(value) * way


def _turned(line: StatementLine) -> StatementLine:
    original = -line.original if line.original is not None else None
    return StatementLine(
        line.bank_id, line.day, -line.amount, line.merchant, line.memo, line.merchant_code, original, line.pending
    )
