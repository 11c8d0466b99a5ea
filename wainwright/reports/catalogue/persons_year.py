"""All that people were paid in a year: each payment, and what of it payroll has to know."""

from collections import defaultdict

from wainwright.accounts.models import Payment
from wainwright.claims.models import Claim, StatementLine
from wainwright.core.said import kept, say
from wainwright.core.table import Column, Row, Table, column_sum
from wainwright.reports.asked import Asked
from wainwright.reports.dims import person
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report

COLUMNS = (
    Column("person", say("person")), Column("day", say("paid on"), "date"), Column("what", say("for what")), Column("amount", say("paid"), "money"),
    Column("allowance", say("of it allowance"), "money"), Column("taxed", say("above what is free of tax"), "money"), Column("mileage", say("of it mileage"), "money"),
)  # fmt: skip


def table(reader: Reader, asked: Asked) -> Table:
    """A row for each payment that the bank made, by the day of its run. Four queries."""
    rows = Payment.objects.filter(
        run__firm=reader.firm, state=Payment.State.PAID, run__date__range=(asked.days.since, asked.days.until)
    )
    people = asked.people()
    rows = rows if reader.all else rows.filter(member=reader.member)
    rows = rows.filter(member__in=people) if people else rows
    paid = list(
        rows.order_by("member__person__name", "run__date", "pk").values_list(
            "member_id", "run__date", "subject", "text", "amount_minor"
        )
    )
    ids = [
        int(number)
        for _, _, subject, _, _ in paid
        for kind, _, number in [subject.partition(":")]
        if kind == "claim" and number.isdigit()
    ]
    claims = {
        pk: (statement, allowance, ride)
        for pk, statement, allowance, ride in Claim.objects.filter(pk__in=ids, statement__isnull=False).values_list(
            "pk", "statement_id", "statement__allowance_minor", "statement__mileage_minor"
        )
    }
    taxed: dict[int, int] = defaultdict(int)
    lines = StatementLine.objects.filter(statement__in=[each[0] for each in claims.values()], taxed_minor__gt=0)
    for statement, minor in lines.values_list("statement_id", "taxed_minor"):
        taxed[statement] += minor
    names = reader.people(row[0] for row in paid)
    shown = []
    for member, day, subject, text, minor in paid:
        kind, _, number = subject.partition(":")
        found = claims.get(int(number)) if kind == "claim" and number.isdigit() else None
        link = (
            f"/claims/{number}/"
            if kind == "claim"
            else f"/trips/{number.partition(':')[0]}/"
            if kind == "advance"
            else ""
        )
        own = [found[1], taxed[found[0]], found[2]] if found is not None else [0, 0, 0]
        shown.append(
            Row(
                (names.get(member, ""), day, kept(text), reader.money(minor), *(reader.money(each) for each in own)),
                (("person", str(member)),),
                link,
            )
        )
    sums = [column_sum(shown, n) for n in range(3, 7)]
    return Table(
        COLUMNS,
        tuple(shown),
        (say("All"), None, "", *sums) if shown else (),
        (say("What advances paid before is not in a claim's payment: it stands as a payment of its own."),),
    )


REPORT = Report(
    "persons-year", say("A person's year"), say("What was each person paid this year, and what of it does payroll have to know?"), say("People"), table=table, figure="amount", own_eyes=True,
    dims=lambda reader: [person("member_id")],
)  # fmt: skip
