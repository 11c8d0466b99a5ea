"""Budgets of a year: what is given, committed, spent, what is left, and what it comes to at the year's end if it goes on so."""

from datetime import date
from decimal import Decimal

from django.db.models import Q, Sum

from wainwright.accounts.models import Budget, Code
from wainwright.core.budget import forecast, year_of
from wainwright.core.said import say
from wainwright.core.spans import months_on
from wainwright.core.table import Cell, Column, Row, Table, share
from wainwright.reports.asked import Asked
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report

COLUMNS = (
    Column("code", say("code")), Column("given", say("budget"), "money"), Column("actual", say("spent"), "money"), Column("committed", say("committed"), "money"),
    Column("left", say("left"), "money"), Column("used", say("used"), "percent"), Column("forecast", say("at the year's end"), "money"), Column("over", say("over by then"), "money"),
)  # fmt: skip


def table(reader: Reader, asked: Asked) -> Table:
    """A row for each budget of the year in which the span ends, the one that runs out most first. Two queries."""
    begins = reader.firm.year_begins
    day = min(asked.span.until, reader.today) if asked.span is not None else reader.today
    year = year_of(day, begins)
    first = date(year, begins, 1)
    last = months_on(first, 12)
    gone = Decimal((min(max(reader.today, first), last) - first).days) / (last - first).days
    rows = Budget.objects.filter(firm=reader.firm, year=year)
    if not reader.all:
        mine = Q(pk__in=[])
        for dimension, code in reader.owned:
            mine |= Q(dimension=dimension, code=code)
        rows = rows.filter(mine)
    rows = rows.annotate(actual=Sum("uses__actual_minor", default=0), committed=Sum("uses__committed_minor", default=0))
    names = dict(Code.objects.filter(firm=reader.firm, code__in=rows.values("code")).values_list("code", "name"))
    found = []
    for row in rows.order_by("dimension", "code"):
        given, actual, committed = (reader.money(minor) for minor in (row.amount_minor, row.actual, row.committed))
        then = forecast(actual, committed, gone)
        cells: tuple[Cell, ...] = (
            f"{row.code} {names.get(row.code, '')}".strip(), given, actual, committed, given - actual - committed, share(actual + committed, given),
            then, max(then - given, Decimal(0)),
        )  # fmt: skip
        found.append(Row(cells, (), f"/reports/spend-by-coding/?of=coding.{row.dimension}:{row.code}&by=month"))
    found.sort(key=lambda row: (-Decimal(str(row.cells[7])), -Decimal(str(row.cells[5] or 0)), str(row.cells[0])))
    return Table(COLUMNS, tuple(found), (), (
        say("Year {year}. At the year's end: what is spent and committed, or what is spent so far as "
"the year has gone ({gone} %), whichever is more.", year=year, gone=round(gone * 100)),
    ))  # fmt: skip


REPORT = Report(
    "budgets", say("Budgets"), say("Which budgets run out, and what will they come to at the year's end?"), say("Spending"), table=table, figure="forecast", span="this-year",
)  # fmt: skip
