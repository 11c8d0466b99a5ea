"""Who did what, and when: counted from the trail."""

from datetime import datetime
from zoneinfo import ZoneInfo

from django.db.models import Count, QuerySet

from wainwright.core.said import kept, say
from wainwright.reports.dims import Dim, text, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Report, as_kept
from wainwright.trail.models import Entry


def entries(reader: Reader) -> QuerySet:
    """The entries of the firm."""
    return Entry.objects.filter(firm_id=reader.firm.pk).annotate(day=reader.day_of("time"))


def dims(reader: Reader) -> list[Dim]:
    """By act, by whom, time."""
    return [
        text("what", say("act"), "what", "", entries, kept),
        text("who", say("who"), "who", "", entries),
        *times(),
    ]


def _local(reader: Reader, moment: datetime) -> str:
    return f"{moment.astimezone(ZoneInfo(reader.firm.zone)):%Y-%m-%d %H:%M}"


REPORT = Report(
    "activity", say("Activity"), say("How much is done in the application, by whom, and what?"), say("Work"), day="time", moment=True, rows=entries, dims=dims, by=("what",),
    span="30-days", measures=(Measure("count", say("times"), Count("number"), "count"),), may="read_trail",
    each=(Col("time", say("When"), "time", make=_local), Col("who", say("Who"), "who"), Col("what", say("What"), "what", make=as_kept), Col("subject", say("On what"), "subject")),
)  # fmt: skip
