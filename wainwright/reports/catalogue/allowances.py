"""Daily allowances: what was paid for which trips, what of it is above what is free of tax, and which meals others supplied."""

from django.db.models import Q, Sum

from wainwright.claims.models import Claim, StatementLine
from wainwright.core.said import joined, say
from wainwright.core.states import CLAIM_SENT
from wainwright.core.table import Column, Row, Table, column_sum
from wainwright.reports.asked import Asked
from wainwright.reports.dims import person
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report
from wainwright.trips.models import Trip

COLUMNS = (
    Column("person", say("person")), Column("trip", say("trip")), Column("starts", say("leaves"), "date"), Column("ends", say("back"), "date"), Column("days", say("days"), "count"),
    Column("supplied", say("meals supplied"), "count"), Column("billed", say("meals on a bill"), "count"), Column("amount", say("allowance"), "money"),
    Column("taxed", say("above what is free of tax"), "money"),
)  # fmt: skip


def table(reader: Reader, asked: Asked) -> Table:
    """A row for each trip with an allowance on a sent claim, by the day on which one was back. Three queries."""
    claims = Claim.objects.filter(firm=reader.firm, state__in=CLAIM_SENT)
    claims = claims if reader.all else claims.filter(claimant=reader.member)
    people = asked.people()
    claims = claims.filter(claimant__in=people) if people else claims
    lines = StatementLine.objects.filter(
        statement__in=claims.values("statement_id"), kind="allowance", day__range=(asked.days.since, asked.days.until)
    )
    summed = lines.annotate(refused=Sum("coded__net_minor", filter=Q(coded__refused=True), default=0)).values_list(
        "key",
        "statement__claim__trip_id",
        "statement__claim__claimant_id",
        "statement__claim_id",
        "says_minor",
        "taxed_minor",
        "refused",
    )
    found = [
        (int(key.partition(":")[2] or 0) or trip, owner, claim, says - refused, taxed)
        for key, trip, owner, claim, says, taxed, refused in summed
    ]
    trips = Trip.objects.defer("profile", "standing").in_bulk([row[0] for row in found if row[0]])
    names = reader.people(row[1] for row in found)
    rows = []
    for trip_id, owner, claim, paid, taxed in found:
        trip = trips.get(trip_id)
        days = (trip.ends - trip.starts).days + 1 if trip is not None and trip.starts and trip.ends else None
        rows.append(Row((
            names.get(owner, ""), joined("", (trip.code, " ", trip.title)) if trip is not None else "", trip.starts if trip is not None else None, trip.ends if trip is not None else None,
            days, len(trip.supplied) if trip is not None else 0, len(trip.billed) if trip is not None else 0, reader.money(paid), reader.money(min(taxed, max(paid, 0))),
        ), (("person", str(owner)),), f"/claims/{claim}/"))  # fmt: skip
    rows.sort(key=lambda row: (str(row.cells[0]), str(row.cells[2])))
    whole = [column_sum(rows, n) for n in range(4, 9)]
    total = (
        (say("All"), "", None, None, int(whole[0]), int(whole[1]), int(whole[2]), whole[3], whole[4]) if rows else ()
    )
    return Table(COLUMNS, tuple(rows), total)


REPORT = Report(
    "allowances", say("Allowances and meals"), say("Which daily allowances were earned, and which meals did others supply?"), say("Travel"), table=table, figure="amount",
    dims=lambda reader: [person("claimant_id")],
)  # fmt: skip
