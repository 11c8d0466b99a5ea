"""What was outside the rules and certified so: which rule, whose, with which reason, and how much it was over."""

from django.db.models import Case, Count, Exists, F, OuterRef, QuerySet, Subquery, Sum, Value, When

from wainwright.claims.models import Claim, StatementFinding, StatementLine
from wainwright.core.said import say
from wainwright.core.states import CLAIM_SENT
from wainwright.reports.dims import Dim, choice, person, text, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Report, as_kept

CLAIM = "statement__claim"


def findings(reader: Reader) -> QuerySet:
    """Findings of sent claims that ask for a reason or stop; what a line is over its ceiling counts once, whatever is found on it."""
    current = Claim.objects.filter(firm=reader.firm, state__in=CLAIM_SENT).values("statement_id")
    rows = StatementFinding.objects.filter(statement__in=current).exclude(level="note")
    if not reader.all:
        rows = rows.filter(statement__claim__claimant=reader.member)
    line = StatementLine.objects.filter(
        statement=OuterRef("statement"), key=OuterRef("target"), says_minor__gt=F("allows_minor")
    )
    over = Subquery(line.annotate(over=F("says_minor") - F("allows_minor")).values("over")[:1])
    again = StatementFinding.objects.filter(
        statement=OuterRef("statement"), target=OuterRef("target"), order__lt=OuterRef("order")
    ).exclude(level="note")
    return rows.annotate(
        day=reader.day_of("statement__claim__sent"), over=Case(When(Exists(again), then=Value(0)), default=over), claim_id=F("statement__claim_id"),
    )  # fmt: skip


def dims(reader: Reader) -> list[Dim]:
    """By rule, person, reason, gravity, time."""
    return [
        text("rule", say("rule"), "rule_text", say("no sentence of a rule")), person(f"{CLAIM}__claimant_id"), text("reason", say("reason"), "reason", say("no reason from the list")),
        choice("level", say("gravity"), "level", {"stop": say("stops"), "explain": say("asks for a reason")}), *times(),
    ]  # fmt: skip


REPORT = Report(
    "outside-rules", say("Outside the rules"), say("Which rules are passed over, by whom, for what reasons, and how much is it over?"), say("Rules"),
    day="day", rows=findings, dims=dims, by=("rule",), whose=f"{CLAIM}__claimant_id", opens=lambda row: f"/claims/{row['claim_id']}/#{row['target']}",
    measures=(Measure("count", say("times"), Count("pk"), "count"), Measure("over", say("over the ceiling"), Sum("over"))),
    opens_by=("claim_id", "target"),
    each=(
        Col("day", say("Sent"), "day", "date"), Col("person", say("Person"), f"{CLAIM}__claimant_id", "person"), Col("text", say("What was found"), "text", make=as_kept),
        Col("reason", say("Reason"), "reason"), Col("words", say("In their words"), "words"), Col("over", say("Over"), "over", "money"),
    ),
)  # fmt: skip
