"""What is done to drafts and to what is in force, the same for rules, rules of the route, categories and questions; and rehearsals."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.core.rules import kinds
from wainwright.core.said import as_figure, said_by, say
from wainwright.errors import Faults, Refusal
from wainwright.fields import tell
from wainwright.people.may import must
from wainwright.rehearsal import (
    category_pages,
    in_force,
    question_pages,
    rate_sheets,
    routes,
    rules,
    running,
    trials,
    views,
)
from wainwright.rehearsal.categories import CATEGORIES
from wainwright.rehearsal.in_force import Kept
from wainwright.rehearsal.laying_down import RULES
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.questions import QUESTIONS
from wainwright.rehearsal.results import examples, result_of
from wainwright.rehearsal.routing import ROUTES
from wainwright.rehearsal.rule_form import DayForm, SpanForm
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.selectors import rulebook


@dataclass(frozen=True)
class Sort:
    """A sort of thing that is kept by day, the names of its addresses, and its pages with what was refused."""

    kept: Kept
    list_url: str
    url: str
    draft_url: str
    page: Callable[..., Any]
    draft_page: Callable[..., Any]


SORTS = {
    "rule": Sort(RULES, "rules", "rule", "rule-draft", rules.rule_page, rules.draft_page),
    "route": Sort(ROUTES, "routes", "route-rule", "route-draft", routes.route_page, routes.draft_page),
    "category": Sort(
        CATEGORIES,
        "rule-categories",
        "rule-category",
        "category-draft",
        category_pages.category_page,
        category_pages.draft_page,
    ),
    "question": Sort(
        QUESTIONS,
        "questions-asked",
        "question-asked",
        "question-draft",
        question_pages.question_page,
        question_pages.draft_page,
    ),
}


# Where each sort of thing is rehearsed from, and what a rehearsal of it counts.
PAGES: dict[str, Callable[..., Any]] = {
    "rule": rules.draft_page, "route": routes.draft_page, "scheme": views.scheme_page, "sheet": rate_sheets.sheet_page,
}  # fmt: skip
# Where what is typed and kept nowhere else is typed.
TRIALS = {"limit": "limits", "mileage": "mileage"}
EARNS = {
    "new": say("would earn more"),
    "gone": say("would earn less"),
    "other": say("could not be reckoned"),
    "more": say("More, in all"),
    "people": say("people would be paid otherwise"),
}
ASKED = {
    "new": say("asked as well"), "gone": say("not asked"), "other": say("otherwise"), "more": say("Of claims and trips of"), "people": say("people's go another way"),
}  # fmt: skip
COUNTS = {
    "rule": {"new": say("new"), "gone": say("gone"), "other": say("of another gravity or sum"), "more": say("Money over"), "people": say("people would meet it")},
    "route": ASKED,
    "scheme": EARNS, "sheet": EARNS, "mileage": EARNS, "limit": ASKED,
}  # fmt: skip


@require_POST
def force(request, sort: str, draft_id: int):
    """Put a draft in force."""
    must(request.member, "rules")
    known, form = SORTS[sort], DayForm(request.POST)
    try:
        if not form.is_valid():
            raise Refusal(say("Choose from which day on."), "on")
        seen = request.POST.get("seen", "")
        row = in_force.put_in_force(known.kept, request.member, draft_id, form.cleaned_data["on"], seen)
    except Refusal as refusal:
        _beside(form, refusal)
        return known.draft_page(request, draft_id, 422, day_form=form)
    messages.info(request, say("It is in force from {since} on.", since=as_figure(row.since, "%d %b %Y")))
    return redirect(known.url, row.code)


@require_POST
def drop(request, sort: str, draft_id: int):
    """Drop a draft."""
    known = SORTS[sort]
    row = in_force.drop_draft(known.kept, request.member, draft_id, request.POST.get("seen", ""))
    messages.info(request, say("The draft is dropped."))
    there = known.kept.versions(request.member.firm, row.code).exists()
    return redirect(known.url, row.code) if there else redirect(known.list_url)


@require_POST
def end(request, sort: str, rule_code: str):
    """Say on which day something is in force for the last time."""
    must(request.member, "rules")
    known, form = SORTS[sort], DayForm(request.POST, prefix="end")
    try:
        if not form.is_valid():
            raise Refusal(say("Choose its last day."), "on")
        row = in_force.end(known.kept, request.member, rule_code, form.cleaned_data["on"], request.POST.get("seen", ""))
    except Refusal as refusal:
        _beside(form, refusal)
        return known.page(request, rule_code, 422, end_form=form)
    messages.info(request, say("It is in force until {until}.", until=as_figure(row.until, "%d %b %Y")))
    return redirect(known.url, rule_code)


@require_POST
def out(request, sort: str, rule_code: str):
    """Take what has not begun back to a draft."""
    known = SORTS[sort]
    row = in_force.take_out(known.kept, request.member, rule_code, request.POST.get("seen", ""))
    messages.info(request, say("It is a draft again."))
    return redirect(known.draft_url, row.pk)


@require_POST
def rehearse(request, sort: str, draft_id: int):
    """Begin to rehearse a draft."""
    must(request.member, "rules")
    form = SpanForm(request.POST)
    try:
        if not form.is_valid():
            raise Refusal(say("Choose a first and a last day that have been."), "since")
        d = form.cleaned_data
        made = running.start(sort, request.member, draft_id, d["since"], d["until"], d["whose"])
    except Refusal as refusal:
        _beside(form, refusal)
        return PAGES[sort](request, draft_id, 422, span_form=form)
    return redirect("rehearsal", made.pk)


@require_GET
def rehearsal(request, rehearsal_id: int):
    """What a draft would have said: how far it is, then the figures."""
    return _shown(request, _rehearsal(request, rehearsal_id), 200, DayForm())


def _shown(request, row: Rehearsal, status: int, day_form: DayForm):
    done, thing, sort = row.state == Rehearsal.State.DONE, row.of, row.sort
    seen = running.digest_of(sort, thing)
    context = {
        "row": row, "thing": thing, "sort": sort, "kind": kinds()[row.rule.kind] if row.rule is not None else None, "words": COUNTS[sort],
        "changed": seen != row.seen, "late": not done and row.time < clock.now() - running.BROKEN_OFF,
        "whose": Groups.of(row.firm).sentence(row.groups) if row.groups else say("everybody"), "seen": seen, "path": _path(row), "draft": _waits(row),
        "result": result_of(row, rulebook(row.firm).names) if done else None, "examples": examples(request.member, row) if done else [],
        "day_form": day_form, "trial": row.sort in TRIALS,
    }  # fmt: skip
    return render(request, "rehearsal/rehearsal.html", context, status=status)


@require_POST
def rehearsal_on(request, rehearsal_id: int):
    """Go on with a rehearsal that broke off."""
    row = _rehearsal(request, rehearsal_id)
    running.rehearse(row.pk)
    return redirect("rehearsal", row.pk)


@require_POST
def rehearsal_set(request, rehearsal_id: int):
    """Put in force from a day on what was typed and rehearsed."""
    row = _rehearsal(request, rehearsal_id)
    form = DayForm(request.POST)
    try:
        if row.sort not in TRIALS or row.state != Rehearsal.State.DONE:
            raise Refusal(say("There is nothing here that could be put in force."))
        if not form.is_valid():
            raise Refusal(say("Choose from which day on."), "on")
        trials.put_in_force(request.member, row, form.cleaned_data["on"])
    except Refusal as refusal:
        _beside(form, refusal)
        return _shown(request, row, 422, form)
    except Faults as wrong:
        _beside(form, Refusal(said_by(wrong), "since"))
        return _shown(request, row, 422, form)
    messages.info(request, say("{of}: from {on} on.", of=row.of, on=as_figure(form.cleaned_data["on"], "%d %b %Y")))
    return redirect(_path(row))


@require_POST
def rehearsal_drop(request, rehearsal_id: int):
    """Drop a rehearsal."""
    row = _rehearsal(request, rehearsal_id)
    running.drop(request.member, row.pk)
    messages.info(request, say("The rehearsal is dropped."))
    return redirect(_path(row))


def _path(row: Rehearsal) -> str:
    """Where what is rehearsed stands."""
    if row.sort in SORTS:
        known = SORTS[row.sort]
        return (
            reverse(known.draft_url, args=[getattr(row.of, "pk", 0)])
            if _waits(row)
            else reverse(known.url, args=[getattr(row.of, "code", "")])
        )
    if row.sort in TRIALS:
        return reverse(TRIALS[row.sort])
    return reverse("scheme" if row.sort == "scheme" else "rate-sheet", args=[getattr(row.of, "pk", 0)])


def _waits(row: Rehearsal) -> bool:
    """Whether it can be put in force, as a draft that waits."""
    return bool(getattr(row.of, "draft", False))


def _rehearsal(request, rehearsal_id: int) -> Rehearsal:
    """One's own: nobody else ever sees it."""
    must(request.member, "rules")
    rows = Rehearsal.objects.select_related("firm", "rule__firm", "route__firm", "scheme__firm", "sheet__firm")
    return get_object_or_404(rows, by=request.member, pk=rehearsal_id)


def _beside(form: DayForm | SpanForm, refusal: Refusal) -> None:
    """Put what was refused beside its day, unless the form itself says already what is wrong."""
    if not form.errors:
        day = "on" in form.fields and refusal.field in ("since", "until")
        tell(form, Refusal(refusal.message, "on" if day else refusal.field))
