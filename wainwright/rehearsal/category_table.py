"""All categories as one table that goes out and comes in again: looked at row by row, then in force from a day, all or none."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from datetime import date
from typing import Any

from django.db import transaction

from wainwright import clock
from wainwright.core.said import joined, said_by, say
from wainwright.errors import Faults, Refusal
from wainwright.formats.apart import apart
from wainwright.formats.category_table import WORDS as COLUMN_WORDS
from wainwright.formats.problems import Unreadable
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal import in_force
from wainwright.rehearsal.categories import (
    CATEGORIES,
    CategoryTyped,
    Known,
    changes_of,
    keep_category,
    read_category,
    typed_of,
)
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.holding import locked
from wainwright.rulebook.models import WORDS, Category
from wainwright.rulebook.selectors import rulebook

MOST_BYTES = 1_000_000
YES, NO = ("yes", "y", "x", "1", "true", "ja"), ("no", "n", "", "0", "false", "nei", "nein")
COLUMNS = [each[0] for each in COLUMN_WORDS.values()]


@dataclass
class Line:
    """A row of a table: what it would do, and what is wrong with it, each with the cell where it stands."""

    number: int
    code: str = ""
    name: str = ""
    typed: CategoryTyped | None = None
    new: bool = False
    changes: list[str] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


def as_rows(firm: Firm) -> list[list[str]]:
    """Return every category that is in force or comes next as a row of the table. Four queries."""
    groups, today = Groups.of(firm), clock.today(firm.zone)
    found = []
    for code, row in rulebook(firm).categories.items():
        if row.until is not None and row.until < today:
            continue
        typed = typed_of(row, groups)
        cells: dict[str, Any] = {each.name: getattr(typed, each.name) for each in fields(CategoryTyped)}
        cells |= {
            "code": code, "is_lodging": "yes" if typed.is_lodging else "", "tips": "yes" if typed.tips else "", "asks": joined(", ", typed.asks),
            "named": joined(", ", typed.named.splitlines()), "left_out": joined(", ", typed.left_out.splitlines()),
        }  # fmt: skip
        found.append([cells[name] for name in COLUMN_WORDS])
    return found


def read_table(firm: Firm, content: bytes) -> list[Line]:
    """Return the categories of a table with what each would do and what is wrong at it; nothing is kept. Raises ``Refusal``."""
    if not content or len(content) > MOST_BYTES:
        raise Refusal(say("Choose a file, up to 1 MB."), "file")
    rows = _rows(content)
    known = Known.of(firm)
    there = dict(rulebook(firm).categories)
    drafted = set(Category.objects.filter(firm=firm, draft=True).values_list("code", flat=True))
    lines = [_line(known, number, cells, there, drafted) for number, cells in rows]
    for name in ("code", "name"):
        seen: dict[str, int] = {}
        for line in lines:
            value = getattr(line, name).casefold()
            if value and value in seen:
                line.faults.append(say("{name}: stands in row {seen} too.", name=name, seen=seen[value]))
            seen.setdefault(value, line.number)
    return lines


def _rows(content: bytes) -> list[tuple[int, dict[str, str]]]:
    try:
        found: list[tuple[int, dict[str, str]]] = apart("categories", content)
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    return found


def _line(
    known: Known, number: int, cells: Mapping[str, str], there: Mapping[str, Category], drafted: set[str]
) -> Line:
    line = Line(number, cells.get("code", "").strip()[:20], cells.get("name", "").strip()[:60])
    before = there.get(line.code)
    line.new = before is None
    if line.code and before is None:
        line.faults.append(
            say("code: there is no category {line_code}. Leave it empty for a new one.", line_code=line.code)
        )
    if line.code in drafted:
        line.faults.append(say("code: there is a draft of it. Put that in force, or drop it, first."))
    # A column that is not there leaves what is there as it is.
    typed = typed_of(before, known.groups) if before is not None else CategoryTyped("")
    given: dict[str, Any] = {name: text for name, text in cells.items() if name != "code"}
    for name in ("is_lodging", "tips"):
        if name in given:
            word = given[name].casefold()
            if word not in (*YES, *NO):
                line.faults.append(
                    say("{column}: “{word}” is neither yes nor no.", column=_column(name), word=word[:20])
                )
            given[name] = word in YES
    if "asks" in given:
        given["asks"] = [_field(each.strip()) for each in given["asks"].split(",") if each.strip()]
    line.typed = replace(typed, **given)
    try:
        copy = Category(firm=known.firm, draft=True, code=line.code)
        row = read_category(known, line.typed, copy)
    except Faults as wrong:
        line.faults += [joined("", (_column(name), ": ", words)) for name, words in wrong.faults.items()]
        return line
    if before is not None:
        line.changes = changes_of(before, row)
    return line


def _column(name: str) -> str:
    return COLUMN_WORDS[name][0] if name in COLUMN_WORDS else name


def _field(text: str) -> str:
    """A field of a cost by its name or by its words."""
    return next((name for name, words in WORDS.items() if text.casefold() in (name, words)), text)


def table_text(content: bytes) -> str:
    """Return the rows of a table as plain CSV, to be sent again with what was decided. Raises ``Refusal``."""
    rows = _rows(content)
    names = list(dict.fromkeys(name for _, cells in rows for name in cells))
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerows(
        [[_column(name) for name in names], *([cells.get(name, "") for name in names] for _, cells in rows)]
    )
    return out.getvalue()


@transaction.atomic
def take_table(by: Membership, content: bytes, since: date | None) -> tuple[int, int]:
    """Put all categories of a table in force from a day on, or none; return how many are new and how many changed.

    Raises ``NotAllowed``, ``Refusal``.
    """
    firm = locked(by)
    lines = read_table(firm, content)
    if any(line.faults for line in lines):
        raise Refusal(say("Something is wrong with it: nothing was taken. Put it right and send it again."), "file")
    new = changed = 0
    for line in lines:
        if line.typed is None or not (line.new or line.changes):
            continue
        row = keep_category(by, line.typed, code="" if line.new else line.code)
        try:
            in_force.put_in_force(CATEGORIES, by, row.pk, since, CATEGORIES.digest(row))
        except Refusal as refusal:
            raise Refusal(
                say(
                    "Row {number}, {line}: {the_message}",
                    number=line.number,
                    line=line.name,
                    the_message=refusal.message,
                ),
                refusal.field,
            ) from refusal
        new, changed = new + line.new, changed + (not line.new)
    if not new and not changed:
        raise Refusal(say("Every row stands here as it is: there is nothing to take."), "file")
    return new, changed
