"""Advances that people hold: paid, and not set against a claim yet."""

from django.db.models import Count, QuerySet, Sum

from wainwright.core.said import say
from wainwright.reports.dims import Dim, choice, person, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Report, as_kept
from wainwright.trips.models import Trip
from wainwright.trips.selectors import ADVANCE_OUT


def trips(reader: Reader) -> QuerySet:
    """Trips whose advance is out."""
    rows = Trip.objects.filter(firm=reader.firm, advance_paid=True, advance_settled=False).annotate(out=ADVANCE_OUT)
    return (rows if reader.all else rows.filter(traveller=reader.member)).filter(out__gt=0)


def dims(reader: Reader) -> list[Dim]:
    """By whom, where the trip stands, when it ends."""
    states = {
        state: state.casefold()
        for state in (
            "Planning",
            "Awaiting sign-off",
            "Authorised",
            "Under way",
            "Back",
            "Closed",
            "Sent back",
            "Called off",
            "Turned down",
        )
    }
    return [person("traveller_id"), choice("state", say("where the trip stands"), "state", states), *times("ends")]


REPORT = Report(
    "advances-out", say("Advances out"), say("Who holds advances, for which trips, and are they back?"), say("Money under way"), rows=trips, dims=dims,
    by=("person", "state"), span="", whose="traveller_id", opens=lambda row: f"/trips/{row['pk']}/",
    measures=(Measure("amount", say("still out"), Sum("out")), Measure("count", say("trips"), Count("pk"), "count")),
    each=(
        Col("ends", say("Back on"), "ends", "date"), Col("person", say("Person"), "traveller_id", "person"), Col("title", say("Trip"), "title"),
        Col("state", say("Stands at"), "state", make=as_kept), Col("amount", say("Still out"), "out", "money"),
    ),
)  # fmt: skip
