"""What finance corrects, for whom, and why: so that the cause can be mended."""

from django.db.models import Count, F, QuerySet

from wainwright.claims.models import Correction
from wainwright.core.said import say
from wainwright.reports.dims import Dim, category, person, text, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Report, as_kept


def corrections(reader: Reader) -> QuerySet:
    """Corrections by finance."""
    return Correction.objects.filter(claim__firm=reader.firm).annotate(
        day=reader.day_of("time"), claimant=F("claim__claimant_id")
    )


def dims(reader: Reader) -> list[Dim]:
    """By category, for whom, by whom, why, time."""
    return [
        category(),
        person("claimant"),
        person("by_id", "by", say("corrected by")),
        text("why", say("why"), "why", say("no reason"), corrections),
        *times(),
    ]


REPORT = Report(
    "corrections", say("Corrections by finance"), say("What does finance correct most, for whom, and why?"), say("Work"), day="day", rows=corrections, dims=dims, by=("category",),
    measures=(Measure("count", say("corrections"), Count("pk"), "count"),),
    whose="claimant", may="read_all", opens=lambda row: f"/claims/{row['claim_id']}/", opens_by=("claim_id",),
    each=(
        Col("day", say("Day"), "day", "date"), Col("person", say("For"), "claimant", "person"), Col("label", say("Line"), "label", make=as_kept), Col("why", say("Why"), "why"),
    ),
)  # fmt: skip
