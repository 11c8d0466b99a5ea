"""What cards were charged, and where each charge lies."""

from django.db.models import Count, F, QuerySet, Sum

from wainwright.core.said import say
from wainwright.core.states import CHARGE
from wainwright.expenses.models import Charge
from wainwright.reports.dims import Dim, choice, person, text, times
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Report, as_kept


def charges(reader: Reader) -> QuerySet:
    """Charges in the firm's currency, with their cards."""
    rows = Charge.objects.filter(firm=reader.firm, currency=reader.home)
    rows = rows if reader.all else rows.filter(owner=reader.member)
    return rows.annotate(four=F("card__last_four"), issuer=F("card__issuer"), claim_id=F("expense__claim_id"))


def dims(reader: Reader) -> list[Dim]:
    """By card, person, where they lie, merchant, time."""
    return [
        text("card", say("card"), "four", "", charges), text("issuer", say("issuer"), "issuer", "", charges), person("owner_id"),
        choice("state", say("where it lies"), "state", {state: state.casefold() for state in CHARGE.states}), text("merchant", say("merchant"), "merchant", "", charges),
        *times("date"),
    ]  # fmt: skip


REPORT = Report(
    "card-statements", say("Card statements"), say("What was each card charged, and where does each charge lie?"), say("Money under way"), day="date", rows=charges, dims=dims,
    by=("person", "card", "state"), span="last-month", whose="owner_id", opens=lambda row: f"/claims/{row['claim_id']}/" if row["claim_id"] else f"/find/charges/{row['pk']}/",
    opens_by=("claim_id",), measures=(Measure("amount", say("charged"), Sum("amount_minor")), Measure("count", say("charges"), Count("pk"), "count")),
    each=(
        Col("date", say("Day"), "date", "date"), Col("person", say("Whose"), "owner_id", "person"), Col("card", say("Card"), "four"), Col("merchant", say("Merchant"), "merchant"),
        Col("state", say("Lies"), "state", make=as_kept), Col("amount", say("Charged"), "amount_minor", "money"),
    ),
)  # fmt: skip
