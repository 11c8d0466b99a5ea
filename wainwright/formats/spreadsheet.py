"""Spreadsheets (XLSX) as rows of text, so that whatever takes a table takes a workbook as well."""

from __future__ import annotations

import io
from datetime import date, datetime

from wainwright.formats.problems import Unreadable

MOST_SHEETS = 20

Rows = list[tuple[int, tuple[str, ...]]]


def is_spreadsheet(content: bytes) -> bool:
    """Say whether a file is a workbook, by how it begins."""
    return content[:4] == b"PK\x03\x04"


def sheets_of(content: bytes, most_rows: int) -> list[Rows]:
    """Return the filled rows of each sheet with their numbers; formulas by the values that were kept. Raises ``Unreadable``."""
    import openpyxl  # noqa: PLC0415 - wanted for spreadsheets alone

    try:
        book = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=True)
        sheets = [
            [
                (n, tuple(_cell(each) for each in row))
                for n, row in enumerate(sheet.iter_rows(values_only=True, max_row=most_rows + 50), 1)
            ]
            for sheet in book.worksheets[:MOST_SHEETS]
        ]
    except Exception as error:
        # Whatever the library meets in a damaged file.
        raise Unreadable("The spreadsheet is damaged. Save it anew, or as CSV.") from error
    return [filled for rows in sheets if (filled := [(n, row) for n, row in rows if any(row)])]


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime | date):
        return value.strftime("%Y-%m-%d")
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    # A float is written in full: what a spreadsheet keeps as 0.00001 is no "1e-05" to people.
    return f"{value:.10f}".rstrip("0") if isinstance(value, float) else str(value).strip()
