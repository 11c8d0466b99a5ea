"""Tax in what was spent: what comes back at home, what could be asked back abroad, country by country, with the papers behind it."""

from django.db.models import Case, Count, F, QuerySet, Sum, Value, When

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import EACH, SPENT, dims, lines, opens
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Report


def taxed(reader: Reader) -> QuerySet:
    """Lines with tax in them; what was paid abroad is told apart."""
    rows = lines(reader).filter(all_tax_minor__gt=0)
    return rows.annotate(
        foreign=Case(When(country=reader.firm.country, then=Value(0)), default=F("all_tax_minor") - F("tax_minor"))
    )


REPORT = Report(
    "tax-to-reclaim", say("Tax to reclaim"), say("What tax comes back at home, and what could be asked back abroad, by which papers?"), say("Money under way"), day="day",
    rows=taxed, dims=dims, by=("country",), of=SPENT, opens=opens, opens_by=("key", "claim_id", "trip_id"), whose="member_id", follows=True,
    measures=(
        Measure("all_tax", say("tax in it"), Sum("all_tax_minor")), Measure("tax", say("comes back here"), Sum("tax_minor")),
        Measure("foreign", say("to ask back abroad"), Sum("foreign")), Measure("count", say("lines"), Count("pk"), "count"),
    ),
    each=(*EACH[:3], Col("country", say("Country"), "country"), Col("amount", say("Cost"), "net_minor", "money"), Col("all_tax", say("Tax in it"), "all_tax_minor", "money"), Col("back", say("Comes back"), "tax_minor", "money")),
)  # fmt: skip
