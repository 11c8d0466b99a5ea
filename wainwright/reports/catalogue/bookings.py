"""What was booked: how early, at what price against the yardstick, and how much of it on contracts."""

from datetime import timedelta
from typing import Any

from django.db.models import Count, F, Q, QuerySet, Sum

from wainwright.bookings.models import KINDS, Booking
from wainwright.core.said import say
from wainwright.core.table import Part
from wainwright.reports.dims import Dim, choice, of_trip_codings, person, text, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Ratio, Report, as_kept

EARLY = (
    (1, say("on the day or the day before")),
    (7, say("within a week")),
    (14, say("one to two weeks before")),
    (28, say("two to four weeks before")),
)
EARLIEST = say("over four weeks before")


def _early(ahead: timedelta) -> Part:
    for n, (days, words) in enumerate(EARLY):
        if ahead <= timedelta(days=days):
            return Part(str(n), words, (n,))
    return Part(str(len(EARLY)), EARLIEST, (len(EARLY),))


def _where(reader: Reader, part: str) -> Q:
    n = int(part) if part.isdigit() and int(part) <= len(EARLY) else 0
    wanted = Q()
    if n < len(EARLY):
        wanted &= Q(departure__lte=F("asked") + timedelta(days=EARLY[n][0]))
    if n:
        wanted &= Q(departure__gt=F("asked") + timedelta(days=EARLY[n - 1][0]))
    return wanted


def _parts(reader: Reader, values: Any) -> dict[tuple[Any, ...], Part]:
    return {(departure, asked): _early(departure - asked) for departure, asked in values}


EARLINESS = Dim(
    "early", say("how early"), ("departure", "asked"), _parts, _where,
    label=lambda reader, part: EARLY[int(part)][1] if part.isdigit() and int(part) < len(EARLY) else EARLIEST,
)  # fmt: skip


def bookings(reader: Reader) -> QuerySet:
    """What stands and costs something, but for agents' fees."""
    rows = Booking.objects.filter(
        firm=reader.firm, state__in=Booking.STANDING, price_minor__gt=0, currency=reader.home
    ).exclude(kind="fee")
    rows = rows if reader.all else rows.filter(trip__traveller=reader.member)
    return rows.annotate(
        day=reader.day_of("departure"), traveller=F("trip__traveller_id"), dearer=F("price_minor") - F("cheapest_minor")
    )


def dims(reader: Reader) -> list[Dim]:
    """By how early, kind, carrier, cabin, person, coding of the trip, contract, time."""
    return [
        EARLINESS, choice("kind", say("kind"), "kind", dict(KINDS)), text("carrier", say("carrier"), "carrier", "", bookings), text("cabin", say("cabin"), "cabin", say("no cabin")),
        person("traveller"), *of_trip_codings(reader), choice("contracted", say("contract"), "contracted", {True: say("on a contract"), False: say("without one")}),
        *times(),
    ]  # fmt: skip


REPORT = Report(
    "bookings", say("Bookings"), say("How early do we book, at what price against the cheapest, and how much on contracts?"), say("Travel"), day="day", rows=bookings, dims=dims,
    by=("early",), whose="traveller", opens=lambda row: f"/trips/{row['trip_id']}/", opens_by=("trip_id",),
    measures=(
        Measure("price", say("price"), Sum("price_minor")), Measure("dearer", say("over the yardstick"), Sum("dearer")), Measure("count", say("bookings"), Count("pk"), "count"),
        Measure("contracted", say("on contracts"), Count("pk", filter=Q(contracted=True)), "count"),
    ),
    ratios=(Ratio("over", say("over by"), "dearer", "price"), Ratio("contracted_share", say("contracted"), "contracted", "count")),
    each=(
        Col("day", say("Leaves"), "day", "date"), Col("person", say("Person"), "traveller", "person"), Col("label", say("What"), "label", make=as_kept), Col("carrier", say("With"), "carrier"),
        Col("price", say("Price"), "price_minor", "money"), Col("yardstick", say("Yardstick"), "cheapest_minor", "money"),
    ),
)  # fmt: skip
