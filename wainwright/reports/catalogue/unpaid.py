"""What is posted and not settled: owed to people, or owed back by them."""

from django.db.models import Case, Count, F, Q, QuerySet, Sum, Value, When

from wainwright.claims.models import Claim
from wainwright.core.said import say
from wainwright.reports.dims import Dim, choice, person, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Report


def claims(reader: Reader) -> QuerySet:
    """Posted claims that come to something either way."""
    rows = Claim.objects.filter(~Q(statement__due_minor=0), firm=reader.firm, state="Posted")
    rows = rows if reader.all else rows.filter(claimant=reader.member)
    way = Case(When(statement__due_minor__gt=0, then=Value("out")), default=Value("back"))
    return rows.annotate(day=reader.day_of("sent"), way=way, due_=F("statement__due_minor"), claim_id=F("pk"))


def dims(reader: Reader) -> list[Dim]:
    """By whom, which way, since when."""
    return [
        choice("way", say("which way"), "way", {"out": say("owed to them"), "back": say("owed back")}),
        person("claimant_id"),
        *times(),
    ]


REPORT = Report(
    "unpaid", say("Unpaid, and owed back"), say("What do we owe people for posted claims, and what do they owe us?"), say("Money under way"),
    rows=claims, dims=dims, by=("way", "person"), span="", whose="claimant_id", opens=lambda row: f"/claims/{row['pk']}/",
    measures=(Measure("amount", say("amount"), Sum("due_")), Measure("count", say("claims"), Count("pk"), "count")),
    each=(
        Col("day", say("Sent"), "day", "date"), Col("person", say("Person"), "claimant_id", "person"), Col("number", say("Claim"), "number", make=lambda reader, n: f"C-{n:04d}"),
        Col("title", say("Title"), "title"), Col("amount", say("Due"), "due_", "money"),
    ),
    opens_by=("claim_id",), act=(say("Pay what is owed"), "/ledger/pay/"), day="day",
)  # fmt: skip
