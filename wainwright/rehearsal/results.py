"""What a rehearsal heard, counted by category, month and person, and examples of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date

from django.db.models import Count, Q, Sum
from django.db.models.functions import TruncMonth

from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.core.said import as_figure, joined, say
from wainwright.drawing.bars import Bar, bars
from wainwright.people.models import Membership
from wainwright.rehearsal.models import Heard, Rehearsal
from wainwright.trips.models import Trip

SHOWN_PEOPLE, EXAMPLES = 40, 30
NEW, GONE, OTHER = Heard.Change.NEW, Heard.Change.GONE, Heard.Change.OTHER


@dataclass(frozen=True)
class Counted:
    """So many findings of one sort: new, gone, of another gravity or figure; and the money by which more, or less, is over."""

    name: str
    new: int
    gone: int
    other: int
    more: Money


@dataclass(frozen=True)
class Result:
    """What a rehearsal heard. ``people`` and ``things`` would meet something new or of another gravity; ``waiting`` of them are not sent yet."""

    whole: Counted
    people: int
    things: int
    waiting: int
    by_category: list[Counted]
    by_month: list[Counted]
    by_person: list[Counted]
    more_people: int
    bars: list[Bar]


@dataclass(frozen=True)
class Example:
    """One finding, and whose it is and what it is on where the reader may see that."""

    heard: Heard
    name: str
    link: str
    whose: str
    amount: Money | None


def result_of(row: Rehearsal, names: Mapping[str, str]) -> Result:
    """Count what a rehearsal heard; ``names`` are those of categories. Five queries, however much it is."""
    heard, currency = Heard.objects.filter(rehearsal=row), row.firm.currency
    # Of a rule nobody meets what is gone; of what is paid, or asked, less matters as more does.
    new = heard.filter(change__in=(NEW, OTHER)) if row.sort == "rule" else heard

    def counted(rows: Iterable[Mapping[str, object]], key: str) -> list[Counted]:
        return [_counted(str(each[key] or ""), each, currency) for each in rows]

    tally = {
        "new": Sum("count", filter=Q(change=NEW), default=0), "gone": Sum("count", filter=Q(change=GONE), default=0), "other": Sum("count", filter=Q(change=OTHER), default=0),
        "over": Sum("amount_minor", filter=Q(change=NEW), default=0), "under": Sum("amount_minor", filter=Q(change=GONE), default=0),
    }  # fmt: skip
    whole = _counted("", heard.aggregate(**tally), currency)
    met = new.aggregate(
        people=Count("person", distinct=True), claims=Count("thing", distinct=True, filter=Q(kind="claim")), trips=Count("thing", distinct=True, filter=Q(kind="trip")),
        open_claims=Count("thing", distinct=True, filter=Q(kind="claim", open=True)), open_trips=Count("thing", distinct=True, filter=Q(kind="trip", open=True)),
    )  # fmt: skip
    categories = counted(heard.values("category").annotate(**tally).order_by("-new", "category"), "category")
    months = list(heard.annotate(month=TruncMonth("day")).values("month").annotate(**tally).order_by("month"))
    people = list(
        heard.values("person__person__name", "person")
        .annotate(**tally)
        .order_by("-new", "-gone", "person__person__name")
    )
    named = [
        Counted(as_figure(month, "%B %Y") if isinstance(month := each["month"], date) else "", each["new"], each["gone"], each["other"], _more(each, currency))
        for each in months
    ]  # fmt: skip
    return Result(
        whole, met["people"], met["claims"] + met["trips"], met["open_claims"] + met["open_trips"],
        [Counted(names.get(c.name, c.name) or say("the whole"), c.new, c.gone, c.other, c.more) for c in categories],
        named, counted(people[:SHOWN_PEOPLE], "person__person__name"), max(0, len(people) - SHOWN_PEOPLE),
        bars([(each.name, each.new, each.gone) for each in named]),
    )  # fmt: skip


def _more(each: Mapping[str, object], currency: str) -> Money:
    return Money.from_minor(int(str(each["over"])) - int(str(each["under"])), currency)


def _counted(name: str, each: Mapping[str, object], currency: str) -> Counted:
    return Counted(name, *(int(str(each[key])) for key in ("new", "gone", "other")), _more(each, currency))


def examples(member: Membership, row: Rehearsal) -> list[Example]:
    """Return examples of what is new, then of what is gone, the largest first. Four queries.

    Whoever may not read what it is on sees the sentence alone, so that a rule can be judged, and not whose it is.
    """
    found: list[Heard] = []
    for change in (NEW, OTHER, GONE):
        rows = Heard.objects.filter(rehearsal=row, change=change).select_related("person__person")
        found += rows.order_by("-amount_minor", "-day", "pk")[:EXAMPLES]
    seen = {
        "claim": {c.pk: c for c in Claim.objects.visible_to(member).filter(pk__in=[h.thing for h in found if h.kind == "claim"]).only("number", "title")},
        "trip": {t.pk: t for t in Trip.objects.visible_to(member).filter(pk__in=[h.thing for h in found if h.kind == "trip"]).only("number", "title")},
    }  # fmt: skip
    return [_example(each, seen[each.kind].get(each.thing), row.firm.currency) for each in found]


def _example(heard: Heard, thing: Claim | Trip | None, currency: str) -> Example:
    amount = Money.from_minor(heard.amount_minor, currency) if heard.amount_minor is not None else None
    if thing is None:
        return Example(heard, say("a claim") if heard.kind == "claim" else say("a trip"), "", "", amount)
    link = f"/{'claims' if heard.kind == 'claim' else 'trips'}/{thing.pk}/"
    return Example(heard, joined("", (thing.code, " ", thing.title)), link, heard.person.person.name, amount)
