"""Mileage rates: each kind of vehicle over its days, another from a day on, and tables that are looked at before they are taken."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.core.said import as_figure, joined, say, say_many
from wainwright.core.workings import as_number
from wainwright.downloads import csv_file
from wainwright.errors import Faults, Refusal
from wainwright.fields import day_input, say_faults, tell
from wainwright.people.may import must
from wainwright.rehearsal import running
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.rule_form import DayForm, SpanForm, span_of_last_year
from wainwright.rehearsal.trials import mileage_trial
from wainwright.rulebook import mileage as kept
from wainwright.rulebook.models import MileageRateRow
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.selectors import history

MOST_TEXT = 400_000


class MileageForm(forms.Form):
    """A rate of a kind of vehicle from a day on."""

    vehicle = forms.CharField(label=say("Kind of vehicle"), max_length=20)
    unit = forms.ChoiceField(label=say("Counted in"), choices=[("km", "km"), ("mi", say("miles"))])
    since = forms.DateField(label=say("From"), widget=day_input())
    bands = forms.CharField(
        label=say("Rate, or bands of a year"), max_length=600, widget=forms.Textarea(attrs={"rows": 3}), help_text=say("A line each, the last without an end: 5000 {near}, then {far}.", near=as_number("0.42"), far=as_number("0.28")),
    )  # fmt: skip
    passenger = forms.CharField(label=say("Each passenger adds"), required=False, max_length=20)

    def typed(self) -> kept.MileageTyped:
        """What was typed, as the service reads it."""
        d = self.cleaned_data
        return kept.MileageTyped(
            d.get("vehicle", ""), d.get("unit", ""), d.get("since"), d.get("bands", ""), d.get("passenger", "")
        )


@require_GET
def index(request):
    """All rates, what holds and what comes."""
    must(request.member, "read_rules")
    like = (
        MileageRateRow.objects.filter(firm=request.member.firm, vehicle=request.GET.get("like", ""))
        .order_by("-since")
        .first()
    )
    first = {}
    if like is not None:
        first = {
            "vehicle": like.vehicle,
            "unit": like.unit,
            "bands": kept.typed_bands(like),
            "passenger": f"{like.passenger.normalize():f}",
        }
    return _page(request, form=MileageForm(initial={"since": clock.today(request.member.firm.zone)} | first))


@require_POST
def add(request):
    """Put a rate in force from a day on."""
    must(request.member, "rules")
    form = MileageForm(request.POST)
    form.is_valid()
    try:
        row = kept.add_rate(request.member, form.typed())
    except Faults as wrong:
        say_faults(form, wrong)
        return _page(request, 422, form=form)
    messages.info(
        request,
        say(
            "{vehicle}: {words_of} from {since} on.",
            vehicle=row.vehicle.capitalize(),
            words_of=kept.words_of(row),
            since=as_figure(row.since, "%d %b %Y"),
        ),
    )
    return redirect("mileage")


@require_POST
def rehearse(request):
    """Run what is typed, or the table that was looked at, over the rides of claims that were sent: more and less."""
    must(request.member, "rules")
    firm, table = request.member.firm, request.POST.get("table", "")[:MOST_TEXT]
    form, span = MileageForm(request.POST), SpanForm(request.POST, prefix="span")
    try:
        if table:
            lines = kept.read_table(firm, table.encode())
            rows = [line.row for line in lines if line.row is not None and not line.faults]
            if len(rows) < len(lines) or not rows:
                raise Refusal(
                    say("Something is wrong with it: nothing was rehearsed. Put it right and send it again."), "file"
                )
        else:
            form.is_valid()
            # From when it is to hold is asked once it is rehearsed.
            rows = [kept.read_rate(firm, replace(form.typed(), since=clock.today(firm.zone)), clock.today(firm.zone))]
        if not span.is_valid():
            raise Refusal(say("Choose a first and a last day that have been."), "since")
        d = span.cleaned_data
        words = joined("; ", (joined("", (row.vehicle.capitalize(), ": ", kept.words_of(row))) for row in rows[:4])) + (
            say(" and {rows_count} more", rows_count=len(rows) - 4) if len(rows) > 4 else ""
        )
        made = running.start_trial(request.member, mileage_trial(rows, words), d["since"], d["until"], d["whose"])
    except Faults as wrong:
        say_faults(form, wrong)
        return _page(request, 422, form=form, span_form=span)
    except Refusal as refusal:
        if refusal.field == "file":
            return _page(request, 422, table_error=refusal.message)
        if not span.errors:
            tell(span, refusal)
        return _page(request, 422, form=form if not table else MileageForm(), span_form=span)
    return redirect("rehearsal", made.pk)


@require_POST
def end(request):
    """Say from which day on a kind of vehicle has no rate any more."""
    must(request.member, "rules")
    form = DayForm(request.POST, prefix="end")
    try:
        if not form.is_valid():
            raise Refusal(say("Choose from which day on there is none."), "on")
        row = kept.end_vehicle(request.member, request.POST.get("vehicle", "")[:20], form.cleaned_data["on"])
    except Refusal as refusal:
        if not form.errors:
            tell(form, Refusal(refusal.message, "on" if refusal.field == "since" else refusal.field))
        return _page(request, 422, end_form=form, ending=request.POST.get("vehicle", "")[:20])
    messages.info(
        request,
        say(
            "From {since} on there is no rate of {vehicle}.",
            since=as_figure(row.since, "%d %b %Y"),
            vehicle=row.vehicle,
        ),
    )
    return redirect("mileage")


@require_POST
def take_out(request, row_id: int):
    """Take a rate out that has not begun."""
    row = kept.take_out(request.member, row_id)
    messages.info(
        request,
        say(
            "The rate of {vehicle} from {since} is taken out.",
            vehicle=row.vehicle,
            since=as_figure(row.since, "%d %b %Y"),
        ),
    )
    return redirect("mileage")


@require_POST
def look(request):
    """Look at a table of rates: what each would do, what is wrong at which row; nothing changes."""
    must(request.member, "rules")
    given = request.FILES.get("file")
    content = (
        given.read(kept.MOST_BYTES + 1) if given is not None else request.POST.get("table", "")[:MOST_TEXT].encode()
    )
    try:
        lines = kept.read_table(request.member.firm, content)
        table = kept.table_text(content)
    except Refusal as refusal:
        return _page(request, 422, table_error=refusal.message)
    good = all(not line.faults for line in lines)
    return _page(request, 200 if good else 422, lines=_lines(lines), table=table if good else "", good=good)


@require_POST
def take(request):
    """Take a table that was looked at: all of it, or nothing."""
    must(request.member, "rules")
    content = request.POST.get("table", "")[:MOST_TEXT].encode()
    try:
        count = kept.take_table(request.member, content)
    except Refusal as refusal:
        return _page(request, 422, table_error=refusal.message)
    messages.info(request, say_many("{count} rate is in.", "{count} rates are in.", count))
    return redirect("mileage")


@require_GET
def as_csv(request):
    """All rates as a table that can be sent in again, with other days."""
    must(request.member, "read_rules")
    return csv_file("mileage-rates", kept.COLUMNS, kept.as_rows(request.member.firm))


def _lines(lines: list[kept.Line]) -> list[tuple[kept.Line, str]]:
    return [(line, kept.words_of(line.row) if line.row is not None else "") for line in lines]


def _page(request, status: int = 200, **more: Any):
    firm = request.member.firm
    today = clock.today(firm.zone)
    rows = list(MileageRateRow.objects.filter(firm=firm).order_by("vehicle", "-since"))
    holds = {}
    for row in rows:
        if row.since <= today:
            holds.setdefault(row.vehicle, row.pk)
    shown = [
        (
            row,
            kept.words_of(row),
            say("comes") if row.since > today else say("in force") if holds.get(row.vehicle) == row.pk else say("was"),
        )
        for row in rows
    ]
    policy = rulebook(firm).policy
    context = {
        "rows": shown, "form": MileageForm(initial={"since": today}), "end_form": DayForm(prefix="end"), "vehicles": sorted({row.vehicle for row in rows if row.bands}),
        "entries": history(kept.subject(firm.pk)), "policy": policy, "lines": [], "table": "", "table_error": "", "ending": "", "span_form": span_of_last_year(today),
        "rehearsals": Rehearsal.objects.filter(by=request.member, trial__sort="mileage")[:5], **more,
    }  # fmt: skip
    return render(request, "rehearsal/mileage.html", context, status=status)
