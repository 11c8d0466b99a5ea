"""What was authorised for trips, beside what their claims came to."""

from django.db.models import Count, F, IntegerField, OuterRef, QuerySet, Subquery, Sum
from django.db.models.functions import Coalesce

from wainwright.claims.models import Claim
from wainwright.core.said import say
from wainwright.core.states import CLAIM_SENT
from wainwright.reports.dims import Dim, person, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Ratio, Report
from wainwright.trips.models import Trip


def trips(reader: Reader) -> QuerySet:
    """Trips that were authorised and of which a claim was sent. Claims of several trips count with their first."""
    sent = Claim.objects.filter(trip=OuterRef("pk"), state__in=CLAIM_SENT, statement__isnull=False).order_by()
    summed = sent.values("trip").annotate(s=Sum("statement__total_minor")).values("s")
    rows = Trip.objects.filter(firm=reader.firm, signed__isnull=False, authorised__isnull=False)
    rows = rows if reader.all else rows.filter(traveller=reader.member)
    return rows.annotate(
        actual=Subquery(summed, output_field=IntegerField()), planned_=F("signed__total_minor"),
        over=Coalesce(Subquery(summed, output_field=IntegerField()), 0) - F("signed__total_minor"),
    ).filter(actual__isnull=False)  # fmt: skip


def dims(reader: Reader) -> list[Dim]:
    """By whom and when."""
    return [person("traveller_id"), *times("starts")]


REPORT = Report(
    "authorised-actual", say("Authorised against actual"), say("Do trips cost what was authorised for them?"), say("Travel"), day="starts", rows=trips, dims=dims,
    by=("person",), whose="traveller_id", opens=lambda row: f"/trips/{row['pk']}/",
    measures=(
        Measure("planned", say("authorised"), Sum("planned_")), Measure("actual", say("actual"), Sum("actual")), Measure("over", say("more by"), Sum("over")),
        Measure("count", say("trips"), Count("pk"), "count"),
    ),
    ratios=(Ratio("change", say("change"), "over", "planned"),),
    each=(
        Col("starts", say("Leaves"), "starts", "date"), Col("person", say("Person"), "traveller_id", "person"), Col("title", say("Trip"), "title"),
        Col("planned", say("Authorised"), "planned_", "money"), Col("actual", say("Actual"), "actual", "money"), Col("over", say("More by"), "over", "money"),
    ),
)  # fmt: skip
