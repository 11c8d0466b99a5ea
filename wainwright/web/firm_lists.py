"""All trips and all claims of the firm, for finance and auditors: filtered, paged in the database."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any
from urllib.parse import urlencode

from django.db.models import Q, QuerySet
from django.shortcuts import render
from django.views.decorators.http import require_GET

from wainwright.claims.models import Claim
from wainwright.core.said import say
from wainwright.core.states import CLAIM, TRIP
from wainwright.fields import typed_day
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.trips.models import Trip
from wainwright.web.finding import number_typed

SIZE = 40


@dataclass(frozen=True)
class Narrow:
    """What a list is narrowed to, as its address says; what means nothing there is left out."""

    text: str = ""
    state: str = ""
    since: date | None = None
    until: date | None = None

    @classmethod
    def of(cls, query: Any, states: frozenset[str]) -> Narrow:
        """Read it from an address."""
        state = query.get("state", "")
        return cls(
            query.get("q", "").strip()[:60],
            state if state in states else "",
            _day(query.get("from")),
            _day(query.get("to")),
        )

    @property
    def query(self) -> str:
        """The same as an address, to go on with."""
        said = {"q": self.text, "state": self.state, "from": self.since or "", "to": self.until or ""}
        found = urlencode({name: value for name, value in said.items() if value})
        return f"{found}&" if found else ""


def _day(text: str | None) -> date | None:
    try:
        return typed_day(text) if text else None
    except ValueError:
        return None


def _narrowed(rows: QuerySet, narrow: Narrow, who: str, day: str) -> QuerySet:
    if narrow.text:
        text = narrow.text
        wanted = Q(title__icontains=text) | Q(**{f"{who}__person__name__icontains": text})
        if (number := number_typed(text)) is not None:
            wanted |= Q(number=number)
        rows = rows.filter(wanted)
    if narrow.state:
        rows = rows.filter(state=narrow.state)
    if narrow.since:
        rows = rows.filter(**{f"{day}__gte": narrow.since})
    if narrow.until:
        rows = rows.filter(**{f"{day}__lte": narrow.until})
    return rows


def _shown(request, title: str, rows: QuerySet, narrow: Narrow, states: list[str], area: str):
    page = page_of(rows, SIZE, request.GET.get("page"))
    context = {"title": title, "page": page, "narrow": narrow, "states": states, "area": area, "more": narrow.query}
    return render(request, "web/firm_list.html", context)


@require_GET
def all_trips(request):
    """All trips of the firm."""
    must(request.member, "read_all")
    narrow = Narrow.of(request.GET, frozenset(TRIP.states))
    rows = Trip.objects.filter(firm_id=request.member.firm_id).select_related("traveller__person", "signed")
    rows = _narrowed(rows.defer("signed__frozen", "signed__lines"), narrow, "traveller", "starts").order_by(
        "-starts", "-id"
    )
    return _shown(request, say("Trips of the firm"), rows, narrow, sorted(TRIP.states), "trips")


@require_GET
def all_claims(request):
    """All claims of the firm."""
    must(request.member, "read_all")
    narrow = Narrow.of(request.GET, frozenset(CLAIM.states))
    rows = Claim.objects.filter(firm_id=request.member.firm_id).select_related("claimant__person", "statement")
    rows = _narrowed(rows.defer("statement__workings"), narrow, "claimant", "created__date").order_by("-id")
    return _shown(request, say("Claims of the firm"), rows, narrow, sorted(CLAIM.states), "claims")
