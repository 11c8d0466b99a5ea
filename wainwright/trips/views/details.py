"""Acts on what else stands on a trip: head, questions, engagements, permissions, papers, split, details, advance."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal, InvalidOperation

from django.contrib import messages
from django.http import FileResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST

from wainwright.accounts.forms import blank_splits, coding_of_row, typed_splits
from wainwright.accounts.selectors import books
from wainwright.core.text import decimal
from wainwright.errors import Refusal
from wainwright.fields import plain_number, say
from wainwright.trips.forms import CopyForm, EngagementForm, HeadForm, PaperForm, PermissionForm
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services import details, plan
from wainwright.trips.views.page import says_was_and_is, show_trip, split_abouts

MOST_SHARES = 12


@require_POST
def change_head(request, trip_id: int):
    """Change title, purpose, coding."""
    trip = trip_for(request.member, trip_id)
    form = HeadForm(request.POST, books=books(trip.firm), keep=trip.coding)
    if form.is_valid():
        try:
            d = form.cleaned_data
            plan.change_head(request.member, trip_id, d["title"], d["purpose"], form.coding)
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return show_trip(request, trip, 422, head_form=form)


@require_POST
def answer(request, trip_id: int):
    """Answer the firm's questions."""
    given = {key[2:]: value for key, value in request.POST.items() if key.startswith("q-")}
    details.answer(request.member, trip_id, given)
    return redirect("trip", trip_id)


@require_POST
def add_engagement(request, trip_id: int):
    """Say what one must be in time for."""
    trip, form = trip_for(request.member, trip_id), EngagementForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        try:
            details.add_engagement(
                request.member, trip_id, d["title"], d["place"], datetime.combine(d["day"], d["time"])
            )
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return show_trip(request, trip, 422, engagement_form=form)


@require_POST
def remove_engagement(request, trip_id: int, index: int):
    """Take an engagement off."""
    details.remove_engagement(request.member, trip_id, index)
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
def add_permission(request, trip_id: int):
    """Ask for a special permission."""
    trip, form = trip_for(request.member, trip_id), PermissionForm(request.POST)
    if form.is_valid():
        d = form.cleaned_data
        try:
            details.add_permission(request.member, trip_id, d["code"], d["title"], d["comment"])
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return show_trip(request, trip, 422, permission_form=form)


@require_POST
@says_was_and_is
def remove_permission(request, trip_id: int, index: int):
    """Take a permission off that was added by hand."""
    details.remove_permission(request.member, trip_id, index)
    return redirect("trip", trip_id)


@require_POST
def add_paper(request, trip_id: int):
    """Attach a paper."""
    trip, form = trip_for(request.member, trip_id), PaperForm(request.POST, request.FILES)
    if form.is_valid():
        try:
            sent = form.cleaned_data["file"]
            details.add_paper(request.member, trip_id, form.cleaned_data["kind"], sent.name, sent.read())
            return redirect("trip", trip_id)
        except Refusal as refusal:
            say(form, refusal)
    return show_trip(request, trip, 422, paper_form=form)


@require_POST
def remove_paper(request, trip_id: int, paper_id: int):
    """Take a paper off."""
    details.remove_paper(request.member, trip_id, paper_id)
    return redirect("trip", trip_id)


@require_GET
def paper(request, trip_id: int, paper_id: int):
    """A paper, to be saved; never shown as a page of ours."""
    found = details.file_of(trip_for(request.member, trip_id), paper_id)
    response = FileResponse(
        found.file.open("rb"), content_type=found.media_type, as_attachment=True, filename=found.name
    )
    response["X-Content-Type-Options"] = "nosniff"
    return response


@require_POST
def split(request, trip_id: int):
    """Split the plan, a category or a cost over codings; no lines take the split off."""
    trip = trip_for(request.member, trip_id)
    about = request.POST.get("about", "")
    ledger = books(trip.firm)
    typed = typed_splits(request.POST, ledger)
    try:
        parts = [
            details.Share(coding_of_row(ledger, row["codes"], trip.coding), _share(row["share"]))
            for row in typed[:MOST_SHARES]
            if row["share"].strip()
        ]
        names = dict(split_abouts(load_file(request.member, trip)))
        if about not in names and not (request.POST.get("off") and any(r["about"] == about for r in trip.shares)):
            raise Refusal("Say what is to be split.", "about")
        details.split_plan(
            request.member, trip_id, about, names.get(about, ""), [] if request.POST.get("off") else parts
        )
        return redirect("trip", trip_id)
    except Refusal as refusal:
        if not trip.editable or trip.traveller_id != request.member.pk:
            raise
        return show_trip(
            request, trip, 422, split_error=refusal.message, typed_shares=typed + blank_splits(), typed_about=about
        )


def _share(text: str) -> Decimal:
    try:
        share = decimal(plain_number(text.replace("%", "")))
    except InvalidOperation as error:
        raise Refusal(f"“{text[:20]}” is no share. Type per cent, for example 60.", "share") from error
    if not share.is_finite() or abs(share) > 1000:
        raise Refusal("A share lies between 0 and 100 %.", "share")
    return share


@require_POST
def change_copy(request, trip_id: int):
    """Change a detail for this trip alone, or for good."""
    form = CopyForm(request.POST)
    if not form.is_valid():
        raise Refusal("That detail cannot be changed here.")
    for_good = "for_good" in request.POST
    d = form.cleaned_data
    details.change_copy(request.member, trip_id, d["name"], d["value"], for_good)
    messages.info(request, "Kept for this trip and in your profile." if for_good else "Kept for this trip alone.")
    return redirect("trip", trip_id)


@require_POST
def take_profile(request, trip_id: int):
    """Take the profile as it is now."""
    details.take_profile(request.member, trip_id)
    return redirect("trip", trip_id)


@require_POST
def ask_advance(request, trip_id: int):
    """Ask for an advance."""
    trip = trip_for(request.member, trip_id)
    file = load_file(request.member, trip)
    try:
        amount = decimal(plain_number(request.POST.get("advance", "")).strip() or "0")
    except ArithmeticError as error:
        raise Refusal("Type the advance as a number.") from error
    if not amount.is_finite() or abs(amount) > 10**9:
        raise Refusal("Type the advance as a number.")
    plan.ask_advance(request.member, trip_id, amount, file.figures.proposed_advance.amount)
    return redirect("trip", trip_id)


@require_POST
@says_was_and_is
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
        return show_trip(request, trip, 422, explain_error=refusal.message, typed_words=words)
    return redirect("trip", trip_id)
