"""Answers: a question's groups added up by the database, folded, turned, compared; or the single things behind one figure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from django.db.models import Q, QuerySet

from wainwright.core.money import places
from wainwright.core.said import as_figure, say
from wainwright.core.spans import PIECES, Span, span_before
from wainwright.core.table import (
    Cell,
    Column,
    Groups,
    Part,
    Row,
    Table,
    added,
    aligned,
    fold,
    in_order,
    largest,
    share,
    turned,
    without,
)
from wainwright.errors import Refusal
from wainwright.reports.asked import Asked
from wainwright.reports.dims import Dim
from wainwright.reports.reader import Reader
from wainwright.reports.report import Measure, Report
from wainwright.signoff.selectors import asked_about

# More groups than these are no answer; more columns side by side cannot be read.
MOST_GROUPS, MOST_ACROSS = 100_000, 12
REST = Part("…", say("all others"), ("~~",))


@dataclass(frozen=True)
class Answer:
    """The answer as it is shown, as a whole before columns were left out, and which figure of it is drawn."""

    table: Table
    whole: Table
    figure: str
    across: tuple[str, ...] = ()


def narrowed(report: Report, reader: Reader, asked: Asked, span: Span | None) -> QuerySet:
    """Return the rows that a question is of. Several parts of one dimension are each enough; of several dimensions all must fit."""
    if report.rows is None:
        raise Refusal(say("This report has no single things behind it."))
    rows = report.rows(reader)
    if span is not None and report.day:
        rows = rows.filter(**_within(report, reader, span))
    by_dim: dict[str, Q] = {}
    for key, part in asked.of:
        dim = report.dim(reader, key)
        if dim is not None:
            wanted = dim.where(reader, part)
            by_dim[key] = by_dim[key] | wanted if key in by_dim else wanted
    for wanted in by_dim.values():
        rows = rows.filter(wanted)
    return rows


def _within(report: Report, reader: Reader, span: Span) -> dict[str, Any]:
    """What finds the rows of a span: by their day, or by the moments at which the firm's days begin and end."""
    if not report.moment:
        return {f"{report.day}__range": (span.since, span.until)}
    zone = ZoneInfo(reader.firm.zone)
    first, last = (datetime.combine(day, time(), zone) for day in (span.since, span.until + timedelta(days=1)))
    return {f"{report.day}__gte": first, f"{report.day}__lt": last}


def answer(report: Report, reader: Reader, asked: Asked) -> Answer:
    """Answer a question. Two queries and one for each dimension; twice so many where it is compared. Raises ``Refusal``."""
    if report.table is not None:
        table = report.table(reader, asked)
        figure = report.figure or next((column.key for column in table.columns if column.number), "")
        return _finished(table, asked, figure)
    dims = [dim for key in (*asked.by, *filter(None, [asked.across])) if (dim := report.dim(reader, key)) is not None]
    groups = _groups(report, reader, asked, asked.span, dims)
    figure = asked.measure if asked.measure in {each.key for each in report.measures} else report.measures[0].key
    if asked.across:
        table, across = _turned(report, reader, asked, dims, groups, figure)
    elif asked.against and asked.span is not None:
        table, across = _compared(report, reader, asked, dims, groups, figure), ()
    else:
        table, across = _plain(report, reader, asked, dims, groups), ()
    return _finished(table, asked, figure, across)


def _groups(report: Report, reader: Reader, asked: Asked, span: Span | None, dims: Sequence[Dim]) -> Groups:
    """Add up in the database by what the dimensions read, and fold what falls together."""
    fields = list(dict.fromkeys(name for dim in dims for name in dim.fields))
    sums = {f"m{n}": each.expression for n, each in enumerate(report.measures)}
    rows = narrowed(report, reader, asked, span).order_by()
    if not fields:
        whole = rows.aggregate(**sums)
        values = [_figure(reader, m, whole[f"m{n}"]) for n, m in enumerate(report.measures)]
        return {(): values} if any(values) else {}
    found = list(rows.values_list(*fields).annotate(**sums)[: MOST_GROUPS + 1])
    if len(found) > MOST_GROUPS:
        raise Refusal(
            say(
                "That would be more than {most_groups} groups. Choose a shorter time, or group by less.",
                most_groups=as_figure(MOST_GROUPS, ","),
            ),
            "by",
        )
    places_of = [[fields.index(name) for name in dim.fields] for dim in dims]
    parts_of = [
        dim.parts(reader, {tuple(row[n] for n in at) for row in found}) for dim, at in zip(dims, places_of, strict=True)
    ]
    width = len(fields)

    def grouped() -> Any:
        for row in found:
            parts = tuple(by[tuple(row[n] for n in at)] for by, at in zip(parts_of, places_of, strict=True))
            yield parts, [_figure(reader, m, row[width + n]) for n, m in enumerate(report.measures)]

    return _filled(fold(grouped()), dims, len(report.measures))


def _filled(groups: Groups, dims: Sequence[Dim], width: int) -> Groups:
    """Groups by one piece of time with the pieces between in which there was nothing, so that a gap is seen as one."""
    if not (
        groups and dims and dims[0].time and len(dims) <= 2 and all(parts[0].order != (date.max,) for parts in groups)
    ):
        return groups
    days = [parts[0].order[0] for parts in groups]
    beside = next(iter(groups))[1:]
    there = {parts[0] for parts in groups}
    between = _pieces(dims[0].piece, Span("days", min(days), max(days)))
    return groups | {(piece, *beside): [Decimal(0)] * width for piece in between if piece not in there}


def _figure(reader: Reader, measure: Measure, value: Any) -> Decimal:
    """A measure as people read it: money out of its minor units."""
    found = Decimal(str(value or 0))
    return found.scaleb(-places(reader.home)) if measure.kind == "money" else found


def _heads(dims: Sequence[Dim]) -> list[Column]:
    return [Column(dim.key, dim.words, "text") for dim in dims]


def _names(parts: Sequence[Part], dims: Sequence[Dim]) -> tuple[list[Cell], tuple[tuple[str, str], ...]]:
    return [part.label for part in parts], tuple(
        (dim.key, part.id) for dim, part in zip(dims, parts, strict=True) if part != REST
    )


def _placed(groups: Groups, dims: Sequence[Dim], by: int) -> list[tuple[tuple[Part, ...], list[Decimal]]]:
    """Groups in the order in which they are read: in time where the first is time, else the largest first."""
    if dims and dims[0].time:
        return sorted(
            groups.items(), key=lambda item: (item[0][0].place, [-abs(item[1][by])], [p.place for p in item[0][1:]])
        )
    return sorted(groups.items(), key=lambda item: (-item[1][by], [part.place for part in item[0]]))


def _plain(report: Report, reader: Reader, asked: Asked, dims: Sequence[Dim], groups: Groups) -> Table:
    measures = report.measures
    sums = added(groups, len(measures))
    first = next((n for n, m in enumerate(measures) if m.key == asked.measure), 0)
    shares = bool(dims) and len(groups) > 1
    columns = [*_heads(dims), *(Column(m.key, m.words, m.kind) for m in measures)]
    columns += [Column(r.key, r.words, r.kind) for r in report.ratios]
    if shares:
        columns.append(Column("share", say("of all"), "percent"))

    def figures(values: Sequence[Decimal]) -> list[Cell]:
        by = {m.key: value for m, value in zip(measures, values, strict=True)}
        found: list[Cell] = [_cell(m.kind, value) for m, value in zip(measures, values, strict=True)]
        found += [_ratio(r.kind, by[r.over], by[r.under]) for r in report.ratios]
        return [*found, share(values[first], sums[first])] if shares else found

    rows = []
    for parts, values in _placed(groups, dims, first):
        names, of = _names(parts, dims)
        rows.append(Row((*names, *figures(values)), of))
    total = (*_below(dims), *figures(sums)) if rows else ()
    return Table(tuple(columns), tuple(rows), total, report.notes)


def _cell(kind: str, value: Decimal) -> Cell:
    return int(value) if kind == "count" else value


def _ratio(kind: str, over: Decimal, under: Decimal) -> Cell:
    if not under:
        return None
    return share(over, under) if kind == "percent" else (over / under).quantize(Decimal("0.01"))


def _below(dims: Sequence[Dim]) -> list[Cell]:
    return [say("All"), *([""] * (len(dims) - 1))] if dims else []


def _turned(
    report: Report, reader: Reader, asked: Asked, dims: Sequence[Dim], groups: Groups, figure: str
) -> tuple[Table, tuple[str, ...]]:
    which = next(n for n, m in enumerate(report.measures) if m.key == figure)
    kind, rest = report.measures[which].kind, dims[:-1]
    across, found = turned(groups, which)
    across, found = largest(across, found, MOST_ACROSS, REST)
    sums = added(found, len(across))
    keys = tuple(f"x.{part.id}" for part in across)
    columns = [
        *_heads(rest),
        *(Column(key, part.label, kind) for key, part in zip(keys, across, strict=True)),
        Column("all", say("all"), kind),
    ]
    with_sum = {parts: [*values, sum(values, Decimal(0))] for parts, values in found.items()}
    rows = []
    for parts, values in _placed(with_sum, rest, len(across)):
        names, of = _names(parts, rest)
        rows.append(Row((*names, *(_cell(kind, value) for value in values)), of))
    total = (*_below(rest), *(_cell(kind, value) for value in (*sums, sum(sums, Decimal(0))))) if rows else ()
    return Table(tuple(columns), tuple(rows), total, report.notes), keys


def _compared(report: Report, reader: Reader, asked: Asked, dims: Sequence[Dim], groups: Groups, figure: str) -> Table:
    if asked.span is None:
        raise ValueError("nothing is compared without a time")
    before = span_before(asked.span, asked.against)
    which = next(n for n, m in enumerate(report.measures) if m.key == figure)
    measure = report.measures[which]
    others = _groups(report, reader, asked, before, dims)
    both = aligned(groups, others, _shift(dims, asked.span, before))
    columns = [
        *_heads(dims), Column(figure, measure.words, measure.kind), Column("before", say("{since} to {until}", since=as_figure(before.since, "%-d %b %Y"), until=as_figure(before.until, "%-d %b %Y")), measure.kind),
        Column("more", say("more by"), measure.kind), Column("change", say("change"), "percent"),
    ]  # fmt: skip

    def figures(now: Decimal, then: Decimal) -> list[Cell]:
        return [
            _cell(measure.kind, now),
            _cell(measure.kind, then),
            _cell(measure.kind, now - then),
            share(now - then, abs(then)),
        ]

    rows = []
    placed = _placed({parts: now for parts, (now, _) in both.items()}, dims, which)
    for parts, now in placed:
        names, of = _names(parts, dims)
        rows.append(Row((*names, *figures(now[which], both[parts][1][which])), of))
    now_all, then_all = added(groups, len(report.measures))[which], added(others, len(report.measures))[which]
    total = (*_below(dims), *figures(now_all, then_all)) if rows else ()
    return Table(tuple(columns), tuple(rows), total, report.notes)


def _shift(dims: Sequence[Dim], span: Span, before: Span) -> dict[str, Part]:
    """Each piece of time of the span before, with the piece now beside which it stands: the first beside the first."""
    found: dict[str, Part] = {}
    for dim in dims:
        if dim.piece:
            now, then = _pieces(dim.piece, span), _pieces(dim.piece, before)
            found |= {old.id: new for old, new in zip(then, now, strict=False)}
    return found


def _pieces(piece: str, span: Span) -> list[Part]:
    found, day = {}, span.since
    while day <= span.until:
        each = PIECES[piece](day)
        found[each.id] = Part(each.id, each.label, (each.since,))
        day = each.until + timedelta(days=1)
    return list(found.values())


def _finished(table: Table, asked: Asked, figure: str, across: tuple[str, ...] = ()) -> Answer:
    """The answer in the order that is asked for, with the columns that are."""
    down, key = asked.order.startswith("-"), asked.order.removeprefix("-")
    if key and any(column.key == key for column in table.columns):
        table = Table(table.columns, tuple(in_order(table.rows, table.index(key), down)), table.total, table.notes)
    return Answer(without(table, asked.without), table, figure, across)


def things(report: Report, reader: Reader, asked: Asked) -> QuerySet:
    """The single things behind an answer, in the order of their days, as the fields that ``thing_row`` reads."""
    rows = narrowed(report, reader, asked, asked.span)
    order = [report.day] if report.day else []
    fields = dict.fromkeys(("pk", *(col.field for col in report.each), *report.opens_by, *filter(None, [report.whose])))
    return rows.order_by(*order, "pk").values(*fields)


def thing_columns(report: Report) -> tuple[Column, ...]:
    """The columns of single things."""
    return tuple(Column(col.key, col.words, "text" if col.kind == "person" else col.kind) for col in report.each)


def thing_rows(report: Report, reader: Reader, rows: Sequence[dict[str, Any]]) -> list[Row]:
    """Single things as rows; each leads to where it lies, where its reader may open it. Two queries at most."""
    people = reader.people(row[report.whose] for row in rows if row.get(report.whose)) if report.whose else {}
    asked_for = set() if reader.all else {row["object_id"] for row in asked_about(reader.member, "claim")}
    found = []
    for row in rows:
        cells: list[Cell] = []
        for col in report.each:
            value = row[col.field]
            if col.make is not None:
                value = col.make(reader, value)
            elif col.kind == "money":
                value = reader.money(value)
            elif col.kind == "person":
                value = people.get(value, "")
            cells.append(value)
        mine = (
            reader.all
            or not report.whose
            or row.get(report.whose) == reader.member.pk
            or row.get("claim_id") in asked_for
        )
        found.append(Row(tuple(cells), (), report.opens(row) if report.opens is not None and mine else ""))
    return found
