"""Answers as files: CSV, XLSX, PDF in the firm's letter style, JSON. Each says how it was asked."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any

from django.template.loader import render_to_string

from wainwright import clock
from wainwright.core.said import as_figure, joined, say
from wainwright.core.table import Cell, Column, Table
from wainwright.downloads import XLSX
from wainwright.errors import Refusal
from wainwright.formats.tables import write_csv
from wainwright.formats.workbook import write_answer
from wainwright.people.models import Membership
from wainwright.reading import read_out
from wainwright.trips.printing import printed

FORMS = {"xlsx": "XLSX", "csv": "CSV", "pdf": "PDF", "json": "JSON"}
TYPES = {"xlsx": XLSX, "csv": "text/csv; charset=utf-8", "pdf": "application/pdf", "json": "application/json"}
# A PDF is for reading: nobody reads more, and drawing them takes minutes. Nor does it hold more columns.
MOST_ROWS, MOST_COLUMNS = 2_000, 14


@dataclass(frozen=True)
class Told:
    """What a file says of itself."""

    title: str
    sentence: str
    by: Membership
    as_of: str

    @property
    def rows(self) -> list[tuple[str, str]]:
        """The same as pairs."""
        return [
            (say("The question"), self.sentence), (say("By"), joined("", (self.by.person.name, ", ", self.by.firm.name))), (say("As of"), self.as_of),
            (say("Currency"), self.by.firm.currency),
        ]  # fmt: skip


def as_of(firm_zone: str) -> str:
    """The moment, as a file says it."""
    day = clock.today(firm_zone)
    return as_figure(day, "%-d %b %Y")


def file_of(form: str, told: Told, table: Table) -> bytes:
    """Return an answer as a file of a form. Raises ``Refusal`` for what that form does not hold, with another way."""
    if form == "csv":
        return "".join(_csv(table)).encode()
    if form == "xlsx":
        return write_answer(told.title, table, [*told.rows, *((say("Note"), note) for note in table.notes)])
    if form == "json":
        return json.dumps(read_out(_data(told, table)), ensure_ascii=False, indent=1).encode()
    if form != "pdf":
        raise Refusal(say("Choose CSV, XLSX, PDF or JSON."), "form")
    if len(table.rows) > MOST_ROWS:
        raise Refusal(
            say(
                "That is {rows_count} rows; a PDF holds {most_rows}. Take it as XLSX or CSV, or group by less.",
                rows_count=as_figure(len(table.rows), ","),
                most_rows=as_figure(MOST_ROWS, ","),
            ),
            "form",
        )
    if len(table.columns) > MOST_COLUMNS:
        raise Refusal(
            say(
                "That is {columns_count} columns; a page holds {most_columns}. Take it as XLSX or CSV, "
                "or choose fewer columns.",
                columns_count=len(table.columns),
                most_columns=MOST_COLUMNS,
            ),
            "form",
        )
    return printed(
        render_to_string("reports/sheet.html", {"told": told, "table": written(table), "firm": told.by.firm})
    )


def _csv(table: Table) -> Iterator[str]:
    rows: list[list[Cell]] = [list(row.cells) for row in table.rows]
    if table.total:
        rows.append(list(table.total))
    return write_csv(
        [str(column.words) for column in table.columns], [[read_cell(cell) for cell in row] for row in rows]
    )


def _data(told: Told, table: Table) -> dict[str, Any]:
    def plain(cell: Cell) -> Any:
        if isinstance(cell, Decimal):
            return format(cell, "f")
        return cell.isoformat() if isinstance(cell, date) else cell

    keys = [column.key for column in table.columns]
    return {
        "title": told.title, "asked": told.sentence, "by": told.by.person.name, "firm": told.by.firm.name, "currency": told.by.firm.currency, "as_of": told.as_of,
        "columns": [{"key": c.key, "name": c.words, "kind": c.kind} for c in table.columns],
        "rows": [dict(zip(keys, map(plain, row.cells), strict=True)) for row in table.rows],
        "total": dict(zip(keys, map(plain, table.total), strict=True)) if table.total else None,
        "notes": list(table.notes),
    }  # fmt: skip


def read_cell(cell: Cell) -> Cell:
    """A cell of a file: a sentence in the language of who takes it, all else as it is."""
    return str(cell) if isinstance(cell, str) else cell


def written_cell(column: Column, cell: Cell) -> str:
    """A cell as people read it on a page."""
    if cell is None or cell == "":
        return ""
    if isinstance(cell, date):
        return as_figure(cell, "%-d %b %Y")
    if column.key.startswith("x.") and not cell:
        # Of many columns side by side most say nothing.
        return ""
    if column.kind == "money":
        return as_figure(Decimal(cell), ",.2f")
    if column.kind == "percent":
        return joined("", (as_figure(Decimal(cell), ",.1f"), " %"))
    if column.kind in ("number", "days"):
        return as_figure(Decimal(cell), ",.1f")
    return as_figure(cell, ",") if column.kind == "count" else str(cell)


@dataclass(frozen=True)
class Written:
    """A table in words, for templates: heads with whether they are figures, rows of texts, sums."""

    heads: list[tuple[Column, bool]]
    rows: list[list[tuple[str, bool]]]
    total: list[tuple[str, bool]]
    notes: tuple[str, ...]


def written(table: Table) -> Written:
    """Return a table in words."""

    def line(cells: tuple[Cell, ...]) -> list[tuple[str, bool]]:
        return [(written_cell(column, cell), column.number) for column, cell in zip(table.columns, cells, strict=True)]

    return Written(
        [(column, column.number) for column in table.columns], [line(row.cells) for row in table.rows],
        line(table.total) if table.total else [], table.notes,
    )  # fmt: skip
