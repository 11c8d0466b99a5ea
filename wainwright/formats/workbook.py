"""An answer as a workbook: real figures and days, sums as formulas of ours, and a second sheet that says how it was asked."""

from __future__ import annotations

import io
from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal

from wainwright.core.said import say
from wainwright.core.table import ADDED, Cell, Table

# No longer may the name of a sheet be.
MOST_NAME = 31
FORMATS = {
    "money": "#,##0.00",
    "count": "#,##0",
    "number": "#,##0.0",
    "days": "#,##0.0",
    "percent": "0.0",
    "date": "yyyy-mm-dd",
}


def write_answer(title: str, table: Table, asked: Sequence[tuple[str, str]]) -> bytes:
    """Return a workbook of an answer. ``asked`` are the rows of the second sheet: what, and how it was.

    Texts are never taken for formulas or links; the only formulas are the sums under columns that add up.
    """
    import xlsxwriter  # noqa: PLC0415 - wanted for these files alone

    out = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
    book = xlsxwriter.Workbook(out, options)
    head, foot = book.add_format({"bold": True, "bottom": 1}), {"bold": True, "top": 1}
    shapes = {kind: book.add_format({"num_format": shape}) for kind, shape in FORMATS.items()}
    sums = {kind: book.add_format({"num_format": shape, **foot}) for kind, shape in FORMATS.items()}
    sheet = book.add_worksheet(str(say("Answer"))[:MOST_NAME])
    for n, column in enumerate(table.columns):
        sheet.write_string(0, n, str(column.words)[:200], head)
        sheet.set_column(n, n, 16 if column.number or column.kind == "date" else 28)
    for at, row in enumerate(table.rows, 1):
        for n, (column, cell) in enumerate(zip(table.columns, row.cells, strict=True)):
            _write(sheet, at, n, cell, shapes.get(column.kind))
    last = len(table.rows)
    for n, (column, cell) in enumerate(zip(table.columns, table.total, strict=False)):
        shape = sums.get(column.kind) or book.add_format(foot)
        if column.kind in ADDED and isinstance(cell, Decimal | int) and last:
            letter = xlsxwriter.utility.xl_col_to_name(n)
            sheet.write_formula(last + 1, n, f"=SUM({letter}2:{letter}{last + 1})", shape, float(cell))
        else:
            _write(sheet, last + 1, n, cell, shape)
    sheet.freeze_panes(1, 0)
    if table.rows:
        sheet.autofilter(0, 0, last, len(table.columns) - 1)
    how = book.add_worksheet(str(say("How it was asked"))[:MOST_NAME])
    how.set_column(0, 0, 22)
    how.set_column(1, 1, 90)
    how.write_string(0, 0, str(title)[:200], head)
    for at, (what, words) in enumerate(asked, 1):
        how.write_string(at, 0, str(what)[:200])
        how.write_string(at, 1, str(words)[:2000])
    book.close()
    return out.getvalue()


def _write(sheet: object, at: int, n: int, cell: Cell, shape: object) -> None:
    write = sheet  # xlsxwriter's worksheets carry no types
    if isinstance(cell, date):
        write.write_datetime(at, n, datetime(cell.year, cell.month, cell.day), shape)  # type: ignore[attr-defined]
    elif isinstance(cell, Decimal | int):
        write.write_number(at, n, float(cell), shape)  # type: ignore[attr-defined]
    elif cell:
        write.write_string(at, n, str(cell)[:32_000], shape)  # type: ignore[attr-defined]
