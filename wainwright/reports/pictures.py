"""From an answer to its picture: which figures are drawn, by what they are named, and where each mark leads."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal

from wainwright.core.said import joined
from wainwright.core.table import Cell, Row, Table
from wainwright.drawing import charts
from wainwright.drawing.charts import Picture
from wainwright.reports.answering import Answer

Leads = Callable[[Row], str]


def picture_of(answer: Answer, kind: str, leads: Leads) -> Picture | None:
    """Draw an answer. Nothing where there is nothing to draw, or no figure; a kind that does not fit gives way to bars."""
    table = answer.whole
    names = [n for n, column in enumerate(table.columns) if not column.number]
    if kind == "none" or not table.rows or not names:
        return None
    across = [n for n, column in enumerate(table.columns) if column.key in answer.across]
    if across:
        return _turned(table, kind, names, across, leads)
    place = next((n for n, column in enumerate(table.columns) if column.key == answer.figure), None)
    if place is None:
        place = next((n for n, column in enumerate(table.columns) if column.number), None)
    if place is None:
        return None
    rows = [(_name(row, names), _figure(row.cells[place]), leads(row)) for row in table.rows]
    if kind == "line" and len(rows) > 1:
        return charts.line(rows)
    if kind == "share":
        return charts.shares(rows)
    if kind == "stacked" and len(rows) <= 40:
        return charts.upright([(name, link) for name, _, link in rows], [("", [figure for _, figure, _ in rows])])
    return charts.bars(rows)


def _turned(table: Table, kind: str, names: Sequence[int], across: Sequence[int], leads: Leads) -> Picture:
    rows = [(_name(row, names), leads(row)) for row in table.rows]
    if kind == "heat":
        return charts.heat(
            rows,
            [table.columns[n].words for n in across],
            [[_figure(row.cells[n]) for n in across] for row in table.rows],
        )
    if len(rows) > 40:
        place = next((n for n, column in enumerate(table.columns) if column.key == "all"), across[0])
        return charts.bars(
            [(name, _figure(row.cells[place]), link) for (name, link), row in zip(rows, table.rows, strict=True)]
        )
    series = [(table.columns[n].words, [_figure(row.cells[n]) for row in table.rows]) for n in across]
    return charts.upright(rows, series)


def _name(row: Row, names: Sequence[int]) -> str:
    return joined(", ", (str(row.cells[n]) for n in names if row.cells[n] not in (None, "")))


def _figure(cell: Cell) -> Decimal:
    return Decimal(cell) if isinstance(cell, Decimal | int) else Decimal(0)
