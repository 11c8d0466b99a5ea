"""The trip's one page, the list of trips, and how a trip is started."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import quote, urlencode

from django.contrib import messages
from django.http import HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import redirect, render
from django.urls import URLPattern, path
from django.views.decorators.http import require_GET, require_POST

from wainwright.accounts.forms import coding_initial
from wainwright.accounts.selectors import books
from wainwright.core.questions import asked
from wainwright.core.said import as_figure, joined, say
from wainwright.core.states import stage_reached
from wainwright.errors import Refusal
from wainwright.fields import tell
from wainwright.formats.places import as_typed, find_places
from wainwright.paging import page_of
from wainwright.rulebook.selectors import rulebook
from wainwright.trips.figures import TripFigures
from wainwright.trips.forms import StartForm
from wainwright.trips.models import KINDS, Trip
from wainwright.trips.moving import asked_about
from wainwright.trips.panels import Page, Panel, panels
from wainwright.trips.panels.base import Act, Again
from wainwright.trips.selectors import TRIPS_SHOWN, load_file, newest_of, trip_for, trips_of
from wainwright.trips.services import itinerary
from wainwright.trips.views.regions import OPEN, panel_html, search_of, shown


@require_GET
def trip_list(request):
    """One's own trips."""
    page = page_of(
        trips_of(request.member), TRIPS_SHOWN, request.GET.get("page"), newest=lambda: newest_of(request.member.pk)
    )
    rows = [
        (trip, stage_reached(trip.state, trip.state not in ("Authorised",), trip.claim.state if trip.claim else ""))
        for trip in page
    ]  # fmt: skip
    return render(request, "trips/list.html", {"page": page, "rows": rows})


def start(request):
    """Start a trip in a minute: what it is for, and in one line where and when."""
    member, ledger = request.member, books(request.member.firm)
    kind = request.POST.get("kind", "trip")
    book = rulebook(member.firm)
    # What depends on where it goes, or on another answer, is asked once that is known.
    questions = asked(asked_about(book, "trip", member), {}, None)
    form = StartForm(request.POST or None, books=ledger, keep=member.coding, initial=coding_initial(member.coding))
    answers = {q.code: request.POST.get(f"q-{q.code}", "")[:300] for q in questions}
    typed, wrong = request.POST.get("line", "")[:200], ""
    if request.method == "POST" and form.is_valid():
        d = form.cleaned_data
        try:
            trip, said = itinerary.start_with_journey(
                member, d["title"], d["purpose"], form.coding, answers if kind == "trip" else {}, typed, kind
            )
            messages.info(request, said.words)
            if request.POST.get("then") == "ways":
                return redirect(f"{address(trip, '')}ways/{search_of(Page(request, trip_for(member, trip.pk)))}")
            more = ({"open": "move"} if trip.is_move else {}) | ({"line": str(said.rest).lower()} if said.rest else {})
            return redirect(address(trip, "") + (f"?{urlencode(more)}" if more else ""))
        except Refusal as refusal:
            wrong = refusal.message if refusal.field == "line" else ""
            if not wrong:
                tell(form, refusal)
    status = 422 if request.method == "POST" else 200
    context = {
        "form": form, "questions": [(q, answers[q.code]) for q in questions], "typed_line": typed, "line_error": wrong, "kinds": KINDS, "kind": kind, "moves": bool(asked_about(book, "move", member)),
    }  # fmt: skip
    return render(request, "trips/start.html", context, status=status)


@require_GET
def trip_page(request, trip_id: int):
    """The trip: stage line, ribbon, doors, the journey, what it comes to, what is in the way."""
    trip = trip_for(request.member, trip_id)
    typed = {"typed_line": request.GET["line"][:200]} if "line" in request.GET else {}
    return shown(Page(request, trip, request.GET.get("open", "")[:80], request.GET.get("do", "")[:20], **typed))


@require_GET
def places(request):
    """Suggest places for what is being typed."""
    names = ("origin", "target", "place", "from", "to")
    typed = next((v for k, v in request.GET.items() if k in names), "")
    return render(
        request, "trips/_places.html", {"places": [(as_typed(at), at.country) for at in find_places(typed[:80])]}
    )


@require_GET
def open_panel(request, trip_id: int, opened: str):
    """One panel alone, to be put in its place on the page."""
    page = Page(request, trip_for(request.member, trip_id, bare=True), opened[:80], request.GET.get("do", "")[:20])
    return HttpResponse(panel_html(page))


def panel_paths() -> Iterator[URLPattern]:
    """The addresses of every panel's acts, below a trip's own."""
    for panel in panels().values():
        for act in panel.acts():
            yield path(f"trips/<int:trip_id>/{act.path}", _view(panel, act), name=act.name)


def _view(panel: Panel, act: Act) -> Callable[..., HttpResponseBase]:
    """A panel's method as a view: what it answers is the page as it stands afterwards."""

    def view(request, trip_id: int, **given: Any):
        trip = trip_for(request.member, trip_id)
        page = Page(request, trip, request.headers.get(OPEN, "")[:80])
        before = page.file.figures if act.sums else None
        try:
            answer = getattr(panel, act.method)(page, **given)
        except Again as again:
            return shown(Page(request, trip_for(request.member, trip_id), again.opened, again.do, **again.typed), 422)
        if act.reads:
            return answer
        if before is not None:
            after = load_file(request.member, trip_for(request.member, trip_id)).figures
            if words := _was_and_is(before, after):
                messages.info(request, words)
        return redirect(address(trip, page.opened if answer is None else answer))

    return (require_GET if act.reads else require_POST)(view)


def address(trip: Trip, opened: str) -> str:
    """A trip's page with a panel open."""
    name = quote(opened)
    return f"/trips/{trip.pk}/" + (f"?open={name}#{name}" if opened else "")


def _was_and_is(before: TripFigures, after: TripFigures) -> str:
    parts = []
    lodging = [sum((n.cost.amount for n in f.nights if not n.night.supplied), 0) for f in (before, after)]
    if before.allowance.amount != after.allowance.amount:
        parts.append(
            say(
                "The daily allowance was {allowance_amount}, is {allowance_amount_2}.",
                allowance_amount=before.allowance.amount,
                allowance_amount_2=after.allowance.amount,
            )
        )
    if lodging[0] != lodging[1]:
        parts.append(
            say(
                "Lodging was {lodging}, is {lodging_2}.",
                lodging=as_figure(lodging[0], ",.2f"),
                lodging_2=as_figure(lodging[1], ",.2f"),
            )
        )
    if before.total != after.total:
        parts.append(say("The whole trip was {total}, is {total_2}.", total=before.total, total_2=after.total))
    return joined(" ", parts)
