"""Rows pasted from a spreadsheet: columns by their header where there is one, else in the order of the grid."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence

from rapidfuzz import fuzz

from wainwright.formats.written import month_first, read_day

MOST_ROWS, MOST_TEXT = 60, 100_000
ALIKE = 85


def read_pasted(
    text: str, columns: Mapping[str, Sequence[str]], days: Sequence[str] = ("date",)
) -> list[dict[str, str]]:
    """Return the rows of a paste as dictionaries of column to text; ``columns`` maps a column to the words of its header.

    Dates among ``days`` are brought to ISO where they are dates; everything else stays as it was pasted, to be
    checked at its cell. Rows beyond 60 and text beyond 100,000 characters are not read.
    """
    rows = _filled(text[:MOST_TEXT])
    if not rows:
        return []
    order = _header(rows[0], columns)
    if order:
        rows = rows[1:]
    else:
        order = dict(enumerate(columns))
    found = [{name: row[at].strip() for at, name in order.items() if at < len(row)} for row in rows[:MOST_ROWS]]
    for name in days:
        american = month_first([row.get(name, "") for row in found])
        for row in found:
            try:
                row[name] = read_day(row.get(name, ""), american).isoformat()
            except ValueError:
                continue
    return found


def count_pasted(text: str, columns: Mapping[str, Sequence[str]]) -> int:
    """Return how many rows a paste has, its header left out: those that ``read_pasted`` reads, and those beyond."""
    rows = _filled(text)
    return len(rows) - bool(rows and _header(rows[0], columns))


def _filled(text: str) -> list[list[str]]:
    return [row for row in _cells(text) if any(cell.strip() for cell in row)]


def _cells(text: str) -> list[list[str]]:
    lines = text.replace("\r\n", "\n").replace("\r", "\n")
    first = lines.split("\n", 1)[0]
    mark = "\t" if "\t" in lines else ";" if ";" in first else ","
    try:
        return list(csv.reader(io.StringIO(lines), delimiter=mark))
    except csv.Error:
        return [line.split(mark) for line in lines.split("\n")]


def _header(row: Sequence[str], columns: Mapping[str, Sequence[str]]) -> dict[int, str]:
    """Which column each cell of a header names; empty where the row is no header."""
    found: dict[int, str] = {}
    for at, cell in enumerate(row):
        word = " ".join(cell.casefold().split())
        best = max(
            ((max(fuzz.ratio(word, each.casefold()) for each in words), name) for name, words in columns.items()), default=(0, "")
        )  # fmt: skip
        if best[0] >= ALIKE and best[1] not in found.values():
            found[at] = best[1]
    return found if len(found) >= 2 else {}
