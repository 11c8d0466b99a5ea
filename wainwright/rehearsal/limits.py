"""Limits of authority: who signs up to how much, what comes, another from a day on; rehearsed on what was sent, then set."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.db.models import Q
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.core.said import as_figure, joined, say
from wainwright.errors import Faults, Refusal
from wainwright.fields import tell
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.rehearsal import running
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.rule_form import DayForm, SpanForm, span_of_last_year
from wainwright.rehearsal.trials import limits_trial
from wainwright.staff import limits as kept
from wainwright.staff.models import LimitChange

AT_ONCE = 100


@require_GET
def index(request):
    """Who signs up to how much, and from when another limit holds."""
    return page(request)


@require_POST
def set_limits(request):
    """Set what is typed from a day on."""
    must(request.member, "people")
    form = DayForm(request.POST)
    since = form.cleaned_data["on"] if form.is_valid() else None
    try:
        done = kept.set_limits(request.member, _typed(request), since)
    except Faults as wrong:
        return page(request, 422, faults=wrong.faults, day_form=form)
    except Refusal as refusal:
        if refusal.field == "since" and not form.errors:
            tell(form, Refusal(refusal.message, "on"))
        return page(request, 422, day_form=form, error="" if refusal.field == "since" else refusal.message)
    messages.info(request, say("{names}, from {since} on.", names=_names(done), since=as_figure(since, "%d %b %Y")))
    return redirect("limits")


@require_POST
def rehearse(request):
    """Run what is typed over what was sent: who would have been asked as well, or not."""
    must(request.member, "rules")
    form = SpanForm(request.POST, prefix="span")
    try:
        found = kept.read_limits(request.member.firm, _typed(request))
        if not found:
            raise Refusal(say("Type a limit that is not there yet, beside somebody's name."), "limits")
        if not form.is_valid():
            raise Refusal(say("Choose a first and a last day that have been."), "since")
        d, words = form.cleaned_data, _names(found)
        trial = limits_trial({each.member.pk: each.limit for each in found}, words)
        made = running.start_trial(request.member, trial, d["since"], d["until"], d["whose"])
    except Faults as wrong:
        return page(request, 422, faults=wrong.faults, span_form=form)
    except Refusal as refusal:
        if refusal.field in form.fields and not form.errors:
            tell(form, refusal)
        return page(request, 422, span_form=form, error="" if refusal.field in form.fields else refusal.message)
    return redirect("rehearsal", made.pk)


@require_POST
def call_off(request, change_id: int):
    """Take back a limit that has not begun."""
    change = kept.call_off(request.member, change_id)
    messages.info(request, say("The limit of {member} stays as it is.", member=change.member.person.name))
    return redirect("limits")


def _names(found: list[kept.Limit]) -> str:
    said = [say("{member} up to {words}", member=each.member.person.name, words=each.words) for each in found]
    return joined(", ", said[:5]) + (say(" and {said_count} more", said_count=len(said) - 5) if len(said) > 5 else "")


def _typed(request) -> dict[int, str]:
    """What is typed beside each name."""
    pairs = (
        (name.removeprefix("limit-"), text[:40]) for name, text in request.POST.items() if name.startswith("limit-")
    )
    return {int(pk): text for pk, text in pairs if pk.isdecimal() and len(pk) < 12}


def page(request, status: int = 200, **more: Any):
    """Show the limits, with what was typed and refused."""
    member, text = request.member, request.GET.get("q", "")[:80].strip()
    must(member, "read_rules")
    firm, today = member.firm, clock.today(member.firm.zone)
    decides = Q(approver=True) | Q(finance=True)
    rows = Membership.objects.filter(decides, firm=firm, active=True).select_related(
        "person", "firm", "manager__person"
    )
    if text:
        rows = rows.filter(Q(person__name__icontains=text) | Q(job__icontains=text))
    shown = page_of(rows.order_by("person__name"), AT_ONCE, request.GET.get("page"))
    typed, faults = _typed(request), more.get("faults", {})
    comes: dict[int, list[LimitChange]] = {}
    for change in LimitChange.objects.filter(firm=firm, done=None).select_related("firm"):
        comes.setdefault(change.member_id, []).append(change)
    shown.object_list = [
        (each, comes.get(each.pk, []), typed.get(each.pk, ""), faults.get(f"limit-{each.pk}", ""))
        for each in shown.object_list
    ]
    context: dict[str, Any] = {
        "page": shown, "text": text, "faults": faults, "error": "", "day_form": DayForm(initial={"on": today}), "span_form": span_of_last_year(today),
        "rehearsals": Rehearsal.objects.filter(by=member, trial__sort="limit")[:5], **more,
    }  # fmt: skip
    return render(request, "rehearsal/limits.html", context, status=status)
