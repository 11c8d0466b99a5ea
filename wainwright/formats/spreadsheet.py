"""Spreadsheets (XLSX, XLSB, XLS, ODS) as rows of text, so that whatever takes a table takes a workbook as well."""

from __future__ import annotations

import io
import re
import zipfile
from datetime import date, datetime, time, timedelta

from wainwright.core.said import say
from wainwright.formats.problems import Unreadable

MOST_SHEETS, MOST_UNPACKED = 20, 600_000_000

Rows = list[tuple[int, tuple[str, ...]]]


def is_spreadsheet(content: bytes) -> bool:
    """Say whether a file is a workbook, by how it begins: a packed folder, or the compound file of older programmes."""
    return content[:4] == b"PK\x03\x04" or content[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"


def sheets_of(content: bytes, most_rows: int) -> list[Rows]:
    """Return the filled rows of each sheet with their numbers; formulas by the values that were kept. Raises ``Unreadable``."""
    import python_calamine  # noqa: PLC0415 - wanted for spreadsheets alone

    _must_not_burst(content)
    try:
        book = python_calamine.load_workbook(io.BytesIO(content))
        found = []
        for name in book.sheet_names[:MOST_SHEETS]:
            sheet = book.get_sheet_by_name(name)
            rows = sheet.to_python(skip_empty_area=False, nrows=most_rows + 50)
            found.append([(n, tuple(_cell(each) for each in row)) for n, row in enumerate(rows, 1)])
    except python_calamine.PasswordError as error:
        raise Unreadable(say("The spreadsheet asks for a password. Save it without one.")) from error
    except Exception as error:
        # Whatever the library meets in a damaged file.
        raise Unreadable(say("The spreadsheet is damaged. Save it anew, or as CSV.")) from error
    return [filled for rows in found if (filled := [(n, row) for n, row in rows if any(row)])]


def _must_not_burst(content: bytes) -> None:
    """Raise ``Unreadable`` for a workbook that is far larger inside than any table."""
    if content[:2] != b"PK":
        return
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            if sum(each.file_size for each in packed.infolist()) > MOST_UNPACKED:
                raise Unreadable(say("The spreadsheet is far larger inside than it looks. Save it as CSV."))
    except (zipfile.BadZipFile, ValueError, OSError) as error:
        if isinstance(error, Unreadable):
            raise
        raise Unreadable(say("The spreadsheet is damaged. Save it anew, or as CSV.")) from error


def _cell(value: object) -> str:
    """A cell as text. A number of three places gets a fourth, so that 12.345 is never taken for twelve thousand."""
    if value is None:
        return ""
    if isinstance(value, datetime | date):
        return value.strftime("%Y-%m-%d") if value.year > 999 else ""
    if isinstance(value, bool | time | timedelta):
        return str(value)
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        if value.is_integer():
            return str(int(value)) if abs(value) < 10**15 else f"{value:.0f}"
        # A float is written in full: what a spreadsheet keeps as 0.00001 is no "1e-05" to people.
        text = f"{value:.10f}".rstrip("0")
        return f"{text}0" if re.search(r"\.\d{3}$", text) else text
    return str(value).strip()
