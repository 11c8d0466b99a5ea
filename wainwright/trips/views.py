"""The trip's one page, and the acts on it."""

from __future__ import annotations

from datetime import date, timedelta
from decimal import Decimal

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.claims.models import Claim
from wainwright.core.journey import Meal
from wainwright.core.money import Money
from wainwright.core.states import stage_reached
from wainwright.drawing.ribbon import RibbonData, Spend, draw
from wainwright.errors import Refusal
from wainwright.expenses.models import Expense
from wainwright.formats.places import best_place, find_places
from wainwright.signoff.selectors import remarks, steps
from wainwright.trail.selectors import history
from wainwright.trips.forms import HeadForm, LegForm, OtherForm, StayForm
from wainwright.trips.models import Trip
from wainwright.trips.selectors import TripFile, load_file, trip_for, trips_of
from wainwright.trips.services import plan, road, ways
from wainwright.web.forms import coding_initial, say, whole
from wainwright.web.presenting import open_explains, reasons_of, route_preview, route_steps

REASONS = ["Only one available", "Needed for the work", "Cheaper as a whole", "Safety or health", "Another reason"]


@require_GET
def trip_list(request):
    """One's own trips."""
    page = Paginator(trips_of(request.member), 25).get_page(request.GET.get("page"))
    claims = dict(Claim.objects.filter(trip__in=page.object_list).values_list("trip_id", "state"))
    rows = [
        (trip, stage_reached(trip.state, trip.state not in ("Authorised",), claims.get(trip.pk, ""))) for trip in page
    ]
    return render(request, "trips/list.html", {"page": page, "rows": rows})


def start(request):
    """Start a trip in a minute."""
    member, ledger = request.member, books(request.member.firm)
    form = HeadForm(request.POST or None, books=ledger, initial=coding_initial(member))
    if request.method == "POST" and form.is_valid():
        try:
            trip = plan.start_trip(member, form.cleaned_data["title"], form.cleaned_data["purpose"], form.coding)
            return redirect("trip", trip.pk)
        except Refusal as refusal:
            say(form, refusal)
    status = 422 if request.method == "POST" else 200
    return render(request, "trips/start.html", {"form": form}, status=status)


def page_context(request, trip: Trip, file: TripFile | None = None, **forms) -> dict:
    """Everything the trip's page shows."""
    member = request.member
    file = file or load_file(member, trip)
    own = trip.traveller_id == member.pk
    editable = own and trip.editable
    claim = Claim.objects.filter(trip=trip).first()
    expenses = _expenses(claim, trip)
    booked = all(b.state == "Ticketed" for b in file.bookings if b.stands)
    signoffs = steps(trip.subject)
    context = {
        "trip": trip, "file": file, "own": own, "editable": editable, "claim": claim,
        "stage": stage_reached(trip.state, booked, claim.state if claim else ""),
        "ribbon": draw(RibbonData(file.figures.journey, file.figures.allowance, file.figures.nights, _spends(file, expenses))),
        "meals_editable": own and (trip.editable or trip.state in ("Authorised", "Under way", "Back")) and (claim is None or claim.editable),
        "route": route_steps(signoffs) if signoffs and not editable else route_preview(file.route),
        "explains": open_explains(file.findings), "reasons": reasons_of(file.findings, REASONS),
        "remarks": remarks(trip.subject), "entries": history(trip.subject) if "history" in request.GET else None,
        "stay_forms": [(stay, StayForm(initial=_stay_initial(stay, trip.currency))) for stay in file.stays] if editable else [],
        "spent": bool(expenses),
        "can_claim": own and claim is None and trip.state in ("Under way", "Back"),
        "categories": file.figures.by_category(file.book.names), "firm_pays": file.figures.sum("firm", "central"),
        "explain_error": "", "typed_words": "", "send_error": "",
        "may_take_back": own and trip.state == "Awaiting sign-off",
    }  # fmt: skip
    if editable:
        context["leg_form"] = forms.get("leg_form") or LegForm(initial=_next_leg(file, member))
        context["other_form"] = forms.get("other_form") or OtherForm(categories=file.book.categories.values())
        context["head_form"] = forms.get("head_form") or HeadForm(
            books=file.books, initial={"title": trip.title, "purpose": trip.purpose, **coding_initial(trip)}
        )
    return context | {key: value for key, value in forms.items() if value is not None}


def _expenses(claim: Claim | None, trip: Trip) -> list[Expense]:
    if claim is not None:
        rows = Expense.objects.filter(claim=claim)
    elif trip.starts and trip.state in ("Under way", "Back"):
        rows = Expense.objects.filter(
            owner=trip.traveller, claim__isnull=True, date__gte=trip.starts, date__lte=trip.ends
        )
    else:
        return []
    return list(rows.prefetch_related("receipts"))


def _spends(file: TripFile, expenses: list[Expense]) -> list[Spend]:
    """What was spent, day by day; before that, what is expected."""
    if expenses:
        return [
            Spend(
                e.date,
                e.label,
                e.amount,
                e.paid_by != "self",
                e.kind == "mileage" or e.personal or bool(e.receipts.all()),
                f"/expenses/{e.pk}/",
            )
            for e in expenses
        ]
    return [Spend(e.day, e.label, e.amount, e.paid_by != "self", True) for e in file.figures.estimates if e.day]


def _stay_initial(stay, currency: str) -> dict:
    night = stay[0]
    return {
        "name": night.name,
        "cost": Money.from_minor(night.cost_minor, currency).amount,
        "paid_by": night.paid_by,
        "supplied": night.supplied,
    }


def _next_leg(file: TripFile, member) -> dict:
    """The next leg starts from where and when the last one ended; the first starts at home."""
    if file.legs:
        last = file.legs[-1]
        moment = last.arrives + timedelta(hours=1)
        return {
            "mode": last.mode, "origin": f"{last.target['name']} ({last.target['code']})", "leaves_day": last.arrives.date(),
            "leaves_time": moment.time().replace(minute=0, second=0), "paid_by": last.paid_by,
        }  # fmt: skip
    home = best_place(member.home_code) if member.home_code else None
    return {
        "mode": "air",
        "origin": f"{home.name} ({home.code})" if home else "",
        "leaves_day": clock.today() + timedelta(days=21),
    }


def _trip_page(request, trip: Trip, status: int = 200, **forms):
    return render(request, "trips/trip.html", page_context(request, trip, **forms), status=status)


@require_GET
def trip_page(request, trip_id: int):
    """The trip: stage line, ribbon, what is in the way, what it comes to."""
    return _trip_page(request, trip_for(request.member, trip_id))


@require_POST
def change_head(request, trip_id: int):
    """Change title, purpose, coding."""
    trip = trip_for(request.member, trip_id)
    form = HeadForm(request.POST, books=books(trip.firm))
    if form.is_valid():
        try:
            plan.change_head(
                request.member, trip_id, form.cleaned_data["title"], form.cleaned_data["purpose"], form.coding
            )
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return _trip_page(request, trip, 422, head_form=form)


@require_POST
def add_leg(request, trip_id: int):
    """Add a leg."""
    trip, form = trip_for(request.member, trip_id), LegForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        try:
            plan.add_leg(
                request.member, trip_id, d["mode"], d["origin"], d["target"], form.leaves, form.arrives,
                d["estimate"] or Decimal(0), d["paid_by"],
            )  # fmt: skip
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(
                form,
                Refusal(refusal.message, {"leaves": "leaves_day", "arrives": "arrives_day"}.get(refusal.field, "")),
            )
    return _trip_page(request, trip, 422, leg_form=form)


@require_POST
def remove_leg(request, trip_id: int, leg_id: int):
    """Take a leg off."""
    plan.remove_leg(request.member, trip_id, leg_id)
    return redirect("trip", trip_id)


@require_POST
def set_stay(request, trip_id: int):
    """Change the nights of a stay together."""
    trip, form = trip_for(request.member, trip_id), StayForm(request.POST)
    try:
        dates = [date.fromisoformat(text) for text in request.POST.getlist("night")]
    except ValueError:
        dates = []
    if form.is_valid():
        d = form.cleaned_data
        plan.set_stay(request.member, trip_id, dates, d["name"], d["cost"] or Decimal(0), d["paid_by"], d["supplied"])
        return redirect("trip", trip_id)
    messages.error(
        request, "The nights were not changed: " + " ".join(e for errors in form.errors.values() for e in errors)
    )
    return _trip_page(request, trip, 422)


@require_POST
def mark_meal(request, trip_id: int):
    """Mark a meal as supplied, on one day or on all like it."""
    day, _, meal = request.POST.get("meal", "").partition(":")
    try:
        marked = plan.mark_meal(request.member, trip_id, date.fromisoformat(day), Meal(meal), "all" in request.POST)
    except ValueError as error:
        raise Refusal("That is no meal of this trip.") from error
    words, supplied = marked
    messages.info(request, f"{words} is {'supplied by others' if supplied else 'yours to eat'} now.")
    return redirect("trip", trip_id)


@require_POST
def add_other(request, trip_id: int):
    """Expect another cost."""
    trip = trip_for(request.member, trip_id)
    form = OtherForm(request.POST, categories=load_file(request.member, trip).book.categories.values())
    if form.is_valid():
        d = form.cleaned_data
        try:
            plan.add_other(request.member, trip_id, d["category"], d["label"], d["amount"], d["paid_by"])
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return _trip_page(request, trip, 422, other_form=form)


@require_POST
def remove_other(request, trip_id: int, other_id: int):
    """Take an expected cost off."""
    plan.remove_other(request.member, trip_id, other_id)
    return redirect("trip", trip_id)


@require_POST
def ask_advance(request, trip_id: int):
    """Ask for an advance."""
    trip = trip_for(request.member, trip_id)
    file = load_file(request.member, trip)
    try:
        amount = Decimal(request.POST.get("advance", "").replace(",", "").strip() or "0")
    except ArithmeticError as error:
        raise Refusal("Type the advance as a number.") from error
    if not amount.is_finite() or abs(amount) > 10**9:
        raise Refusal("Type the advance as a number.")
    plan.ask_advance(request.member, trip_id, amount, file.figures.proposed_advance.amount)
    return redirect("trip", trip_id)


@require_POST
def explain(request, trip_id: int):
    """Give a reason to findings."""
    trip = trip_for(request.member, trip_id)
    file = load_file(request.member, trip)
    words = request.POST.get("words", "")
    try:
        found = [each.finding for each in file.findings]
        plan.explain(
            request.member, trip_id, found, request.POST.getlist("identity"), request.POST.get("reason", ""), words
        )
    except Refusal as refusal:
        return _trip_page(request, trip, 422, explain_error=refusal.message, typed_words=words)
    return redirect("trip", trip_id)


@require_POST
def send(request, trip_id: int):
    """Certify and send."""
    try:
        road.send(request.member, trip_id, whole(request.POST.get("version")), request.POST.get("name", ""))
    except Refusal as refusal:
        trip = trip_for(request.member, trip_id)
        if not trip.editable or trip.traveller_id != request.member.pk:
            raise
        return _trip_page(request, trip, 422, send_error=refusal.message)
    messages.info(request, "The trip is on its way to be signed off.")
    return redirect("trip", trip_id)


@require_POST
def take_back(request, trip_id: int):
    """Take the trip back."""
    road.take_back(request.member, trip_id)
    return redirect("trip", trip_id)


@require_POST
def call_off(request, trip_id: int):
    """Call the trip off."""
    road.call_off(request.member, trip_id)
    return redirect("trip", trip_id)


@require_POST
def cancel_booking(request, trip_id: int, booking_id: int):
    """Cancel a held fare."""
    ways.cancel_booking(request.member, trip_id, booking_id)
    return redirect("trip", trip_id)


@require_GET
def itinerary(request, trip_id: int):
    """The itinerary as a calendar file."""
    trip = trip_for(request.member, trip_id)
    response = HttpResponse(road.itinerary_calendar(trip), content_type="text/calendar")
    response["Content-Disposition"] = f'attachment; filename="{trip.code}.ics"'
    return response


@require_GET
def places(request):
    """Suggest places for what is being typed."""
    typed = next((v for k, v in request.GET.items() if k in ("origin", "target")), "")
    return render(request, "trips/_places.html", {"places": find_places(typed[:80])})
