"""The allowance rates of one place over their days: what holds, what comes, what was, and an end."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.core.allowance import NoRate, Rates, rate_for
from wainwright.core.journey import Place
from wainwright.core.said import as_figure, say
from wainwright.errors import Refusal
from wainwright.fields import tell
from wainwright.language import country_names
from wainwright.people.may import must
from wainwright.rehearsal.rule_form import DayForm
from wainwright.rulebook import rate_sheets as kept
from wainwright.rulebook.models import AllowanceRate
from wainwright.rulebook.selectors import rate_of, rulebook
from wainwright.trail.selectors import history


@require_GET
def rate(request, rate_id: int):
    """One place."""
    return _page(request, rate_id)


@require_POST
def end(request, rate_id: int):
    """Say on which day its rate holds for the last time."""
    must(request.member, "rules")
    form = DayForm(request.POST, prefix="end")
    try:
        if not form.is_valid():
            raise Refusal(say("Choose its last day."), "on")
        row = kept.end_rate(request.member, rate_id, form.cleaned_data["on"], request.POST.get("seen", ""))
    except Refusal as refusal:
        if not form.errors:
            tell(form, Refusal(refusal.message, "on" if refusal.field == "until" else refusal.field))
        return _page(request, rate_id, 422, end_form=form)
    messages.info(
        request,
        say(
            "The rate of {label} ends with {until}.",
            label=rate_of(row, row.firm.currency).label,
            until=as_figure(row.until, "%d %b %Y"),
        ),
    )
    return redirect("allowance-rate", rate_id)


def _page(request, rate_id: int, status: int = 200, **more: Any):
    member = request.member
    must(member, "read_rules")
    firm, today = member.firm, clock.today(member.firm.zone)
    row = get_object_or_404(AllowanceRate.objects.select_related("firm"), pk=rate_id, firm=firm)
    rows = AllowanceRate.objects.filter(firm=firm, town__iexact=row.town, country=row.country).order_by("-since")
    shown = [
        (each, rate_of(each, firm.currency), say("comes") if each.since > today else say("was") if each.until and each.until < today else say("holds"))
        for each in rows
    ]  # fmt: skip
    end_form = DayForm(prefix="end", initial={"on": today})
    end_form.fields["on"].label = say("Its last day")
    context = {
        "row": row, "label": row.town or country_names().get(row.country, say("Anywhere else")), "country": country_names().get(row.country, "") if row.town else "",
        "rows": shown, "after": _after(row, today), "can_end": row.until is None or row.until >= today, "seen": kept.digest(row), "end_form": end_form,
        "entries": history(kept.subject(row)), **more,
    }  # fmt: skip
    return render(request, "rehearsal/rate.html", context, status=status)


def _after(row: AllowanceRate, today) -> str:
    """What would hold there once this rate has ended, in words; nothing where nothing would."""
    book = rulebook(row.firm)
    own = (row.town.casefold(), row.country, row.since, row.until)
    rest = Rates(each for each in book.rates if (each.town.casefold(), each.country, each.since, each.until) != own)
    day = max(today, row.since) + timedelta(days=1)
    try:
        found = rate_for(rest, Place("", row.town or "there", row.town, row.country, row.firm.zone), day)
    except NoRate:
        return ""
    return say(
        "the rate of {get}, {full}",
        get=country_names().get(found.country, found.label) if not found.town else found.town,
        full=found.full,
    )
