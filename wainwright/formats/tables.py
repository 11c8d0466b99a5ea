"""Tables that go out: CSV and XLSX with typed cells. A cell that a spreadsheet would take for a formula is made harmless."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime
from decimal import Decimal

Cell = str | int | Decimal | date | None
# What a spreadsheet takes for the beginning of a formula, also behind blanks (OWASP: CSV injection).
_FORMULA = ("=", "+", "-", "@", "\t", "\r", "\n")


def harmless(text: str) -> str:
    """Return a text as a cell that is no formula: with an apostrophe before what would begin one."""
    return f"'{text}" if text.lstrip(" ").startswith(_FORMULA) else text


def _written(cell: Cell) -> str:
    if cell is None:
        return ""
    if isinstance(cell, datetime | date):
        return cell.isoformat()
    if isinstance(cell, Decimal | int):
        return format(cell, "f") if isinstance(cell, Decimal) else str(cell)
    return harmless(str(cell))


def write_csv(header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> Iterator[str]:
    """Yield a CSV (RFC 4180, UTF-8 with its mark, comma) row by row: figures with a point, days as 2026-10-05."""
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    yield "\ufeff"
    for row in (header, *([_written(cell) for cell in row] for row in rows)):
        writer.writerow(row)
        yield buffer.getvalue()
        buffer.seek(0)
        buffer.truncate()


def write_xlsx(title: str, header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> bytes:
    """Return a workbook with one sheet: real figures and days, texts never taken for formulas or links."""
    import xlsxwriter  # noqa: PLC0415 - wanted for these files alone

    out = io.BytesIO()
    options = {
        "in_memory": True,
        "constant_memory": False,
        "strings_to_formulas": False,
        "strings_to_urls": False,
        "strings_to_numbers": False,
    }
    book = xlsxwriter.Workbook(out, options)
    sheet = book.add_worksheet(title[:31])
    day, money, head = (
        book.add_format({"num_format": "yyyy-mm-dd"}),
        book.add_format({"num_format": "#,##0.00"}),
        book.add_format({"bold": True}),
    )
    sheet.write_row(0, 0, header, head)
    for number, row in enumerate(rows, 1):
        for column, cell in enumerate(row):
            if isinstance(cell, datetime | date):
                sheet.write_datetime(number, column, datetime(cell.year, cell.month, cell.day), day)
            elif isinstance(cell, Decimal):
                sheet.write_number(number, column, float(cell), money)
            elif isinstance(cell, int):
                sheet.write_number(number, column, cell)
            elif cell:
                sheet.write_string(number, column, str(cell)[:32_000])
    sheet.freeze_panes(1, 0)
    sheet.set_column(0, max(0, len(header) - 1), 18)
    book.close()
    return out.getvalue()
