"""Costs and rides while they are typed."""

from __future__ import annotations

from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from wainwright import clock
from wainwright.core.said import joined, said_by
from wainwright.drawing.lines import year_bar
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.checking import check
from wainwright.expenses.forms import CostForm, RideForm, ride_as_typed, track_as_typed
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.services import rides, taking
from wainwright.expenses.views.expense import number_of
from wainwright.fields import tell, whole
from wainwright.formats.places import best_place


def new_cost(request):
    """Type a cost."""
    member = request.member
    initial = {"date": clock.today(member.firm.zone), "currency": member.firm.currency, "heads": 1}
    form = CostForm(request.POST or None, member=member, initial=initial)
    if request.method == "POST" and form.is_valid():
        try:
            expense = taking.type_cost(member, **form.values())
            return redirect("expense", expense.pk)
        except Refusal as refusal:
            tell(form, refusal)
    return render(
        request, "expenses/new.html", {"form": form, "back": "/tray/"}, status=422 if request.method == "POST" else 200
    )


@require_POST
def check_typed(request):
    """Say what the rules and the memory have for a cost while it is being typed."""
    prefix = "change" if any(name.startswith("change-") for name in request.POST) else None
    form = CostForm(request.POST, member=request.member, prefix=prefix)
    form.is_valid()
    done = check(request.member, form.cleaned_data, number_of(request, "expense") or 0, "with-receipt" in request.POST)
    return render(request, "expenses/_check.html", {"checked": done, "prefix": f"{prefix}-" if prefix else ""})


def new_ride(request):
    """Type a ride, or make one of a recorded track."""
    member = request.member
    track = _track(request)
    start = best_place(member.work_code or member.home_code)
    initial = {"date": clock.today(member.firm.zone), "passengers": 0, "origin": start.town if start else ""}
    form = RideForm(
        request.POST or None, member=member, initial=initial | (track_as_typed(track, member) if track else {})
    )
    if request.method == "POST" and form.is_valid():
        try:
            ride = form.ride()
            made = rides.ride_of_track(member, track.pk, ride) if track else rides.type_ride(member, ride)
            return redirect("expense", made.pk)
        except Stale:
            raise
        except Refusal as refusal:
            tell(form, refusal)
    context = {"form": form, "ride": None, "version": "", "track": track}
    return render(request, "expenses/ride.html", context, status=422 if request.method == "POST" else 200)


def _track(request) -> Receipt | None:
    """The track of one's own, not used yet, of which a ride is made; nothing where none is named."""
    named = request.POST.get("track") or request.GET.get("track")
    if not named:
        return None
    rows = Receipt.objects.filter(owner=request.member, kind=Receipt.Kind.TRACK, expense__isnull=True)
    return get_object_or_404(rows, pk=whole(named))


@require_http_methods(["GET", "POST"])
def change_ride(request, expense_id: int):
    """Change a ride of one's own that was not sent."""
    member = request.member
    ride = get_object_or_404(
        Expense.objects.visible_to(member).select_related("claim"),
        pk=expense_id,
        kind=Expense.Kind.MILEAGE,
        owner=member,
    )
    form = RideForm(request.POST or None, member=member, initial=ride_as_typed(ride))
    if request.method == "POST" and form.is_valid():
        try:
            rides.change_ride(member, ride.pk, whole(request.POST.get("version", "")), form.ride())
            return redirect("expense", ride.pk)
        except (NotAllowed, Stale):
            raise
        except Refusal as refusal:
            tell(form, refusal)
    version = request.POST.get("version", ride.version)
    context = {"form": form, "ride": ride, "version": version, "track": None}
    return render(request, "expenses/ride.html", context, status=422 if request.method == "POST" else 200)


@require_POST
def check_ride(request):
    """Say what a ride earns, or what is in its way, while it is being typed."""
    form = RideForm(request.POST, member=request.member)
    context = {}
    if form.is_valid():
        try:
            # Where one is being changed, it is not counted twice.
            own = Expense.objects.filter(owner=request.member, pk=whole(request.POST.get("ride", "0")))
            ride = rides.with_track(request.member, form.ride(), whole(request.POST.get("track", "0")))
            known = rides.priced(request.member, ride, own.values_list("pk", flat=True).first() or 0)
        except Refusal as refusal:
            context = {"refused": said_by(refusal)}
        else:
            limits = [upper for upper, _ in known.rate.bands if upper is not None]
            distances = known.rate.distance(known.so_far), known.rate.distance(known.km)
            context = {
                "known": known,
                "bar": year_bar(*distances, limits),
                "before": distances[0],
                "distance": distances[1],
            }
            context["by_road"] = known.rate.distance(known.driven.looked_up)
    elif typed := [name for name in form.errors if request.POST.get(name)]:
        # What is still empty is not yet wrong.
        context = {
            "refused": joined(
                "", (form.fields[typed[0]].label or typed[0].capitalize(), ": ", form.errors[typed[0]][0])
            )
        }
    return render(request, "expenses/_ride_check.html", context)
