"""Carbon of what was booked, by person, way of travel, coding of the trip."""

from django.db.models import Count, F, QuerySet, Sum

from wainwright.bookings.models import KINDS, Booking
from wainwright.core.said import say
from wainwright.reports.dims import Dim, choice, of_trip_codings, person, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Ratio, Report, as_kept


def bookings(reader: Reader) -> QuerySet:
    """What stands, and was worked out to weigh something."""
    rows = Booking.objects.filter(firm=reader.firm, state__in=Booking.STANDING, carbon_kg__gt=0)
    rows = rows if reader.all else rows.filter(trip__traveller=reader.member)
    return rows.annotate(day=reader.day_of("departure"), traveller=F("trip__traveller_id"))


def dims(reader: Reader) -> list[Dim]:
    """By way of travel, person, coding of the trip, time."""
    return [
        choice("kind", say("way of travel"), "kind", dict(KINDS)),
        person("traveller"),
        *of_trip_codings(reader),
        *times(),
    ]


REPORT = Report(
    "carbon", say("Carbon"), say("How much carbon does our travel cost, whose, and by which way?"), say("Travel"), day="day", rows=bookings, dims=dims, by=("kind",),
    whose="traveller", opens=lambda row: f"/trips/{row['trip_id']}/", opens_by=("trip_id",),
    measures=(Measure("kg", say("kg CO₂e"), Sum("carbon_kg"), "count"), Measure("count", say("bookings"), Count("pk"), "count")),
    ratios=(Ratio("each", say("kg for each"), "kg", "count", "number"),),
    each=(
        Col("day", say("Leaves"), "day", "date"), Col("person", say("Person"), "traveller", "person"), Col("label", say("What"), "label", make=as_kept), Col("carrier", say("With"), "carrier"),
        Col("kg", say("kg CO₂e"), "carbon_kg", "count"),
    ),
)  # fmt: skip
