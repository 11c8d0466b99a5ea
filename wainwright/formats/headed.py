"""Tables whose first row names the columns: a CSV or a spreadsheet, with headers in the words of many programmes."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence

from wainwright.core.said import say
from wainwright.formats.problems import Unreadable
from wainwright.formats.spreadsheet import Rows, is_spreadsheet, sheets_of
from wainwright.formats.statement import text_of

Words = Mapping[str, Sequence[str]]


def headed_rows(
    content: bytes, words: Words, must: str, most_rows: int
) -> tuple[list[str], list[tuple[int, dict[str, str]]]]:
    """Return which of the columns in ``words`` were found, and the filled rows below, each with its number in the file.

    Of a workbook it is the first sheet whose header names the column ``must``, else the first. Raises ``Unreadable`` for a
    file without rows, or with more than ``most_rows``.
    """
    if is_spreadsheet(content):
        sheets = sheets_of(content, most_rows)
        rows = next((each for each in sheets if must in _columns(each[0][1], words)), sheets[0] if sheets else [])
    else:
        rows = _csv(content)
    rows = [(number, row) for number, row in rows if any(row)]
    if not rows:
        raise Unreadable(say("The file holds no rows."))
    if len(rows) - 1 > most_rows:
        raise Unreadable(
            say("The file has {rows_count} rows, more than {most_rows}.", rows_count=len(rows) - 1, most_rows=most_rows)
        )
    columns = _columns(rows[0][1], words)
    return list(columns), [
        (number, {name: row[at].strip() if at < len(row) else "" for name, at in columns.items()})
        for number, row in rows[1:]
    ]


def _csv(content: bytes) -> Rows:
    import csv  # noqa: PLC0415 - beside the spreadsheet's own

    text = text_of(content)
    sample = "\n".join(text.splitlines()[:20])
    mark = max(";,\t|", key=sample.count)
    try:
        return [
            (n, tuple(cell.strip() for cell in row))
            for n, row in enumerate(csv.reader(io.StringIO(text, newline=None), delimiter=mark), 1)
        ]
    except csv.Error as error:
        raise Unreadable(say("The table cannot be read: {error}. Save it as CSV anew.", error=error)) from error


def _columns(header: Sequence[str], words: Words) -> dict[str, int]:
    lower = [cell.casefold().strip().lstrip("\ufeff") for cell in header]
    found: dict[str, int] = {}
    for name, called in words.items():
        at = next(
            (lower.index(word) for word in called if word in lower and lower.index(word) not in found.values()), None
        )
        if at is not None:
            found[name] = at
    return found
