"""What the reports of spending share: the lines of the read model that a reader may see, what they are grouped by, where they lead."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db.models import Count, Q, QuerySet, Sum

from wainwright.core.said import kept, say
from wainwright.reports.dims import Dim, category, choice, codings, country, person, text, times, trip
from wainwright.reports.models import SpendLine, Stage
from wainwright.reports.reader import Reader
from wainwright.reports.report import Col, Measure, Report, as_kept

PAID_BY = {"self": say("the traveller"), "firm": say("the firm's card"), "central": say("billed to the firm")}
SPENT = (("stage", "spent"),)
# Several stages by one word: what was claimed and went on from there, and what is still to come of it.
TOGETHER = {
    "spent": (Stage.CLAIMED, Stage.APPROVED, Stage.POSTED, Stage.PAID),
    "ahead": (Stage.PLANNED, Stage.COMMITTED),
}


def lines(reader: Reader) -> QuerySet:
    """The lines of everybody for who reads all; else one's own, and those coded to what one owns."""
    rows = SpendLine.objects.filter(firm=reader.firm)
    if reader.all:
        return rows
    mine, coded = Q(member=reader.member), reader.coded_mine()
    return rows.filter(mine if coded is None else mine | Q(kept__in=coded))


def dims(reader: Reader) -> list[Dim]:
    """All that spending is grouped by."""
    return [
        *times(), category(), person(), *codings(reader), text("merchant", say("merchant"), "merchant", say("no merchant"), lines, str.title), country(), trip(),
        text("town", say("town"), "town", say("no town"), lines), choice("stage", say("stage"), "stage", dict(Stage.choices), TOGETHER),
        choice("paid_by", say("who paid"), "paid_by", PAID_BY), text("currency", say("currency"), "currency"),
        text("account", say("account"), "account", say("no account yet")),
    ]  # fmt: skip


def opens(row: Mapping[str, Any]) -> str:
    """Where a line lies: a cost by itself, with its papers; what is no cost on its claim, else on its trip."""
    what, _, number = row["key"].partition(":")
    if what == "expense":
        return f"/expenses/{number}/"
    if row["claim_id"]:
        return f"/claims/{row['claim_id']}/#{row['key']}"
    return f"/trips/{row['trip_id']}/" if row["trip_id"] else ""


MEASURES = (
    Measure("amount", say("amount"), Sum("net_minor")), Measure("tax", say("tax that comes back"), Sum("tax_minor")),
    Measure("count", say("lines"), Count("pk"), "count"),
)  # fmt: skip
EACH = (
    Col("day", say("Day"), "day", "date"), Col("person", say("Person"), "member_id", "person"), Col("label", say("What"), "label", make=as_kept),
    Col("category", say("Category"), "category", make=lambda reader, code: reader.categories.get(code, code)),
    Col("stage", say("Stands at"), "stage", make=lambda reader, value: kept(str(Stage(value).label))),
    Col("amount", say("Amount"), "net_minor", "money"), Col("tax", say("Tax back"), "tax_minor", "money"),
)  # fmt: skip


def spending(
    key: str,
    title: str,
    question: str,
    by: tuple[str, ...],
    across: str = "",
    picture: str = "bars",
    of: tuple[tuple[str, str], ...] = SPENT,
) -> Report:
    """A report of spending that begins with a grouping of its own; all others can be chosen in its sentence."""
    return Report(
        key, title, question, "Spending", day="day", rows=lines, dims=dims, measures=MEASURES, by=by, across=across, of=of, each=EACH,
        opens=opens, opens_by=("key", "claim_id", "trip_id"), whose="member_id", picture=picture, follows=True,
        notes=(say("In the firm's currency, without the tax that comes back, and without what is personal "
"or not paid."),),
    )  # fmt: skip
