"""Tables of answers: groups folded and added up, turned into rows and columns, set beside another span, put in order.

A group is the parts it stands under (a month, a category) and its measures. Sums are exact: whatever is folded, turned or
cut, the total stays that of the groups.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from wainwright.core.said import kept, say

Cell = str | int | Decimal | date | None
NUMBERS = ("money", "count", "number", "days", "percent")
ADDED = ("money", "count", "number")


@dataclass(frozen=True, slots=True)
class Part:
    """One thing that groups stand under: its name in addresses, its label, its place among the others."""

    id: str
    label: str
    order: tuple[Any, ...] = field(default=(), compare=False)

    @property
    def place(self) -> tuple[Any, ...]:
        """By what it is put in order."""
        return self.order or (self.label.casefold(), self.id)


@dataclass(frozen=True, slots=True)
class Column:
    """One column: its name, its words, what its cells are (text, date, or one of ``NUMBERS``)."""

    key: str
    words: str
    kind: str = "text"

    @property
    def number(self) -> bool:
        """Whether its cells are figures."""
        return self.kind in NUMBERS


@dataclass(frozen=True, slots=True)
class Row:
    """One row: its cells, and what leads on from it: of which parts it is, and where the thing lies."""

    cells: tuple[Cell, ...]
    of: tuple[tuple[str, str], ...] = ()
    link: str = ""


@dataclass(frozen=True, slots=True)
class Table:
    """An answer: columns, rows, and the sums below them (nothing where nothing adds up)."""

    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    total: tuple[Cell, ...] = ()
    notes: tuple[str, ...] = ()

    def index(self, key: str) -> int:
        """The place of a column. Raises ``KeyError``."""
        for n, column in enumerate(self.columns):
            if column.key == key:
                return n
        raise KeyError(key)


Groups = dict[tuple[Part, ...], list[Decimal]]


def fold(groups: Iterable[tuple[tuple[Part, ...], Sequence[Decimal | int | None]]]) -> Groups:
    """Add up the measures of groups under the same parts."""
    found: Groups = {}
    for parts, values in groups:
        have = found.get(parts)
        if have is None:
            found[parts] = [Decimal(value or 0) for value in values]
        else:
            for n, value in enumerate(values):
                have[n] += value or 0
    return found


def added(groups: Groups, width: int) -> list[Decimal]:
    """Return the sums of all groups, a figure for each measure."""
    sums = [Decimal(0)] * width
    for values in groups.values():
        for n, value in enumerate(values):
            sums[n] += value
    return sums


def share(part: Decimal, whole: Decimal) -> Decimal | None:
    """Return a part in per cent of a whole, to a tenth; nothing of nothing."""
    return (part * 100 / whole).quantize(Decimal("0.1"), ROUND_HALF_UP) if whole else None


def column_sum(rows: Sequence[Row], place: int) -> Decimal:
    """Return the sum of one column's figures; what is empty counts nothing. Raises ``ArithmeticError`` for what is no figure."""
    return sum((Decimal(str(row.cells[place])) for row in rows if row.cells[place] is not None), Decimal(0))


def turned(groups: Groups, which: int) -> tuple[list[Part], Groups]:
    """Turn the last part of groups into columns, of the measure at ``which``: the columns in order, and a row of figures for each rest."""
    across = sorted({parts[-1] for parts in groups}, key=lambda part: part.place)
    at = {part: n for n, part in enumerate(across)}
    found: Groups = {}
    for parts, values in groups.items():
        row = found.setdefault(parts[:-1], [Decimal(0)] * len(across))
        row[at[parts[-1]]] += values[which]
    return across, found


def largest(across: Sequence[Part], groups: Groups, most: int, rest: Part) -> tuple[list[Part], Groups]:
    """Keep the ``most`` columns that come to most, in their order, and add the others up under ``rest``; no sum changes."""
    if len(across) <= most:
        return list(across), groups
    sums = [sum((abs(row[n]) for row in groups.values()), Decimal(0)) for n in range(len(across))]
    kept = sorted(sorted(range(len(across)), key=lambda n: -sums[n])[: most - 1])
    others = [n for n in range(len(across)) if n not in set(kept)]
    folded = {
        parts: [*(row[n] for n in kept), sum((row[n] for n in others), Decimal(0))] for parts, row in groups.items()
    }
    return [*(across[n] for n in kept), rest], folded


def aligned(
    now: Groups, before: Groups, shift: Mapping[str, Part]
) -> dict[tuple[Part, ...], tuple[list[Decimal], list[Decimal]]]:
    """Set groups beside those of another span: under the same parts, a piece of time beside its own before by ``shift`` (its name then, the part now)."""
    width = len(next(iter((*now.values(), *before.values())), []))
    nothing = [Decimal(0)] * width
    found = {parts: (values, nothing) for parts, values in now.items()}
    for parts, values in before.items():
        here = tuple(shift.get(part.id, part) for part in parts)
        mine, other = found.get(here, (nothing, nothing))
        found[here] = (mine, [a + b for a, b in zip(other, values, strict=True)])
    return found


def in_order(rows: Sequence[Row], place: int, down: bool) -> list[Row]:
    """Put rows in the order of one of their cells; what is empty stands last either way. Rows that are alike keep their order."""
    there = [row for row in rows if row.cells[place] is not None]
    empty = [row for row in rows if row.cells[place] is None]

    def by(row: Row) -> Any:
        cell = row.cells[place]
        return cell.casefold() if isinstance(cell, str) else cell

    return sorted(there, key=by, reverse=down) + empty


def without(table: Table, keys: Sequence[str]) -> Table:
    """Leave the columns of some names out; all of them stay where none would be left."""
    places = [n for n, column in enumerate(table.columns) if column.key not in keys]
    if not places or len(places) == len(table.columns):
        return table
    return replace(
        table,
        columns=tuple(table.columns[n] for n in places),
        rows=tuple(replace(row, cells=tuple(row.cells[n] for n in places)) for row in table.rows),
        total=tuple(table.total[n] for n in places) if table.total else (),
    )


def as_data(table: Table) -> dict[str, Any]:
    """Return a table as plain data, to be kept: figures as texts, days by ISO 8601."""

    def plain(cell: Cell) -> Any:
        if isinstance(cell, Decimal):
            return {"n": format(cell, "f")}
        return {"d": cell.isoformat()} if isinstance(cell, date) else cell

    return {
        "columns": [[c.key, c.words, c.kind] for c in table.columns],
        "rows": [
            [[plain(cell) for cell in row.cells], [list(pair) for pair in row.of], row.link] for row in table.rows
        ],
        "total": [plain(cell) for cell in table.total],
        "notes": list(table.notes),
    }


def from_data(data: Mapping[str, Any]) -> Table:
    """Return a table as it was kept by ``as_data``."""

    def cell(value: Any) -> Cell:
        if isinstance(value, dict):
            return Decimal(value["n"]) if "n" in value else date.fromisoformat(value["d"])
        found: Cell = value
        return found

    return Table(
        tuple(Column(key, kept(words), *more) for key, words, *more in data.get("columns", ())),
        tuple(
            Row(tuple(cell(each) for each in cells), tuple((of[0], of[1]) for of in parts), link)
            for cells, parts, link in data.get("rows", ())
        ),
        # The names in the rows stand as they were; what stands before the sums is ours.
        tuple(kept(each) if isinstance(each, str) else cell(each) for each in data.get("total", ())),
        tuple(map(kept, data.get("notes", ()))),
    )


def differences(now: Table, before: Table) -> Table:
    """Set two runs of one report beside each other: each row that differs, with its figures then, now, and by how much.

    Rows are the same where their texts are; a row that is in one alone has nothing in the other.
    """
    texts = [n for n, column in enumerate(now.columns) if not column.number]
    keys = {column.key for column in before.columns}
    figures = [n for n, column in enumerate(now.columns) if column.kind in ADDED and column.key in keys]
    then = {column.key: n for n, column in enumerate(before.columns)}

    def name(row: Row, table: Table) -> tuple[str, ...]:
        places = {column.key: n for n, column in enumerate(table.columns)}
        found = [row.cells[places[now.columns[n].key]] if now.columns[n].key in places else "" for n in texts]
        return tuple("" if each is None else str(each) for each in found)

    def summed(table: Table, places: Sequence[int]) -> dict[tuple[str, ...], list[Decimal]]:
        found: dict[tuple[str, ...], list[Decimal]] = {}
        for row in table.rows:
            have = found.setdefault(name(row, table), [Decimal(0)] * len(places))
            for k, n in enumerate(places):
                value = row.cells[n]
                have[k] += value if isinstance(value, Decimal | int) else 0
        return found

    new, old = summed(now, figures), summed(before, [then[now.columns[n].key] for n in figures])
    columns = [now.columns[n] for n in texts]
    for n in figures:
        each = now.columns[n]
        columns += [
            Column(f"{each.key}.then", say("{words} then", words=each.words), each.kind), Column(f"{each.key}.now", say("{words} now", words=each.words), each.kind),
            Column(f"{each.key}.more", say("more by"), each.kind),
        ]  # fmt: skip
    rows = []
    nothing = [Decimal(0)] * len(figures)
    for key in dict.fromkeys((*new, *old)):
        a, b = old.get(key, nothing), new.get(key, nothing)
        if a != b:
            cells: list[Cell] = [*key]
            for x, y in zip(a, b, strict=True):
                cells += [x, y, y - x]
            rows.append(Row(tuple(cells)))
    return Table(tuple(columns), tuple(rows))
