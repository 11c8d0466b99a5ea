"""What lies loose: charges of cards and papers that stand on no cost, whose they are, and how old the oldest is."""

from django.db.models import Count, Min, Q, Sum

from wainwright.core.said import say
from wainwright.core.table import Cell, Column, Row, Table, column_sum
from wainwright.expenses.models import Charge, Receipt
from wainwright.reports.asked import Asked
from wainwright.reports.dims import person
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report

COLUMNS = (
    Column("person", say("person")), Column("charges", say("charges"), "count"), Column("amount", say("they come to"), "money"),
    Column("papers", say("papers"), "count"), Column("oldest", say("the oldest is of"), "date"), Column("days", say("days old"), "days"),
)  # fmt: skip


def table(reader: Reader, asked: Asked) -> Table:
    """A row for each person with something loose, the oldest first. Three queries."""
    mine = Q() if reader.all else Q(owner=reader.member)
    wanted = asked.people()
    mine &= Q(owner__in=wanted) if wanted else Q()
    charges = Charge.objects.filter(mine, firm=reader.firm, state="Loose", aside="").order_by()
    papers = Receipt.objects.filter(mine, firm=reader.firm, expense=None, aside="").order_by()
    by_charge = {
        row["owner"]: row
        for row in charges.values("owner").annotate(n=Count("pk"), s=Sum("amount_minor"), o=Min("date"))
    }
    by_paper = {
        row["owner"]: row for row in papers.values("owner").annotate(n=Count("pk"), o=reader.day_of(Min("received")))
    }
    names = reader.people({*by_charge, *by_paper})
    rows = []
    for pk in {*by_charge, *by_paper}:
        charge, paper = by_charge.get(pk, {}), by_paper.get(pk, {})
        oldest = min(day for day in (charge.get("o"), paper.get("o")) if day is not None)
        cells: tuple[Cell, ...] = (
            names.get(pk, ""), charge.get("n", 0), reader.money(charge.get("s", 0)), paper.get("n", 0), oldest, (reader.today - oldest).days,
        )  # fmt: skip
        link = "/tray/" if pk == reader.member.pk else f"/ledger/loose/?person={pk}" if charge else ""
        rows.append(Row(cells, (("person", str(pk)),), link))
    rows.sort(key=lambda row: (-int(str(row.cells[5])), str(row.cells[0])))
    total = (say("All"), int(column_sum(rows, 1)), column_sum(rows, 2), int(column_sum(rows, 3)), None, None)
    return Table(COLUMNS, tuple(rows), total if rows else ())


REPORT = Report(
    "loose-things", say("Loose charges and papers"), say("What lies loose, with whom, and for how long?"), say("Money under way"), span="", table=table, figure="days",
    dims=lambda reader: [person("owner_id")], act=(say("Remind whose they are"), "/ledger/loose/"),
)  # fmt: skip
