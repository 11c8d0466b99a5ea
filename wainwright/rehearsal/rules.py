"""Rules: what the firm has laid down, one rule over all its days, drafts, and their rehearsal."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.core.rules import Kind, kinds
from wainwright.errors import Refusal
from wainwright.fields import say
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal import laying_down, running
from wainwright.rehearsal.laying_down import RuleFaults, digest, rule_subject, typed_of, versions
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.results import examples, result_of
from wainwright.rehearsal.rule_form import DayForm, RuleForm, SpanForm
from wainwright.rehearsal.selectors import Standing, said, standing, standings
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.models import AllowanceRate, Category, MileageRateRow, RuleSetting
from wainwright.rulebook.selectors import groups_of, rate_of, rulebook
from wainwright.trail.selectors import history


@require_GET
def index(request):
    """What the firm has laid down, found by any word of it."""
    member = request.member
    must(member, "read_rules")
    firm, text = member.firm, request.GET.get("q", "")[:80].strip()
    rates = AllowanceRate.objects.filter(firm=firm)
    if text:
        rates = rates.filter(town__icontains=text) | rates.filter(country__iexact=text)
    page = page_of(rates, 60, request.GET.get("rates"))
    page.object_list = [rate_of(row, firm.currency) for row in page.object_list]
    context = {
        "book": rulebook(firm), "rules": standings(firm, text), "text": text, "rates": page,
        "mileage": MileageRateRow.objects.filter(firm=firm, **({"vehicle__icontains": text} if text else {})).order_by("vehicle", "-since"),
        "more": f"q={text}&" if text else "",
    }  # fmt: skip
    return render(request, "rehearsal/rules.html", context)


@require_http_methods(["GET", "POST"])
def rule_new(request):
    """A new rule: its kind first, then its form; or a copy, or the change, of one that is there."""
    member = request.member
    must(member, "rules")
    if request.method == "POST":
        return _keep(request, None, request.POST.get("kind", ""), request.POST.get("changes", ""))
    like = (
        RuleSetting.objects.filter(firm=member.firm, code=request.GET.get("like", ""))
        .order_by("draft", "-since")
        .first()
    )
    changes = like.code if like is not None and "change" in request.GET else ""
    if changes and (draft := RuleSetting.objects.filter(firm=member.firm, code=changes, draft=True).first()):
        return redirect("rule-draft", draft.pk)
    kind = like.kind if like is not None else request.GET.get("kind", "")
    if kind not in kinds():
        rows = sorted(kinds().values(), key=lambda each: each.title)
        return render(request, "rehearsal/kinds.html", {"kinds": rows})
    typed = typed_of(like, Groups.of(member.firm)) if like is not None else None
    return _editor(request, kinds()[kind], None, _form(member.firm, kinds()[kind], typed=typed), changes=changes)


@require_POST
def rule_read(request):
    """What is typed, as it is understood: the rule in words, and for how many people."""
    must(request.member, "rules")
    kind = kinds().get(request.POST.get("kind", ""))
    if kind is None:
        raise Http404
    form = _form(request.member.firm, kind, request.POST)
    form.is_valid()
    return render(request, "rehearsal/_read.html", {"row": request.POST.get("seen", ""), **_understood(request, form)})


def _understood(request, form: RuleForm) -> dict[str, Any]:
    """What stands in a form as a rule in words; what is wrong where it is none yet."""
    firm = request.member.firm
    try:
        row = laying_down.read_rule(firm, form.typed() if form.is_bound else form.first)
    except RuleFaults as wrong:
        return {"unread": list(wrong.faults.values())}
    members = Membership.objects.filter(firm=firm, active=True).select_related("firm")
    setting = row.as_core()
    meant = [each for each in members if setting.meant_for(groups_of(each))]
    return {"read": said(row), "meant": len(meant), "people": len(members)}


@require_http_methods(["GET", "POST"])
def rule_draft(request, rule_id: int):
    """A draft in its editor, and what it was rehearsed on."""
    member = request.member
    must(member, "rules")
    row = _draft(request, rule_id)
    if request.method == "POST":
        return _keep(request, row, row.kind, "")
    kind = kinds()[row.kind]
    return _editor(request, kind, row, _form(member.firm, kind, typed=typed_of(row, Groups.of(member.firm))))


@require_POST
def rule_force(request, rule_id: int):
    """Put a draft in force."""
    must(request.member, "rules")
    form = DayForm(request.POST)
    try:
        if not form.is_valid():
            raise Refusal("Choose from which day on.", "on")
        row = laying_down.rule_in_force(request.member, rule_id, form.cleaned_data["on"], request.POST.get("seen", ""))
    except Refusal as refusal:
        return _refused(request, rule_id, refusal, day_form=form)
    messages.info(request, f"It is in force from {row.since:%d %b %Y} on.")
    return redirect("rule", row.code)


@require_POST
def rule_drop(request, rule_id: int):
    """Drop a draft."""
    row = laying_down.drop_draft(request.member, rule_id, request.POST.get("seen", ""))
    messages.info(request, "The draft is dropped.")
    there = versions(request.member.firm, row.code).exists()
    return redirect("rule", row.code) if there else redirect("rules")


@require_POST
def rule_rehearse(request, rule_id: int):
    """Begin to rehearse a draft."""
    must(request.member, "rules")
    form = SpanForm(request.POST)
    try:
        if not form.is_valid():
            raise Refusal("Choose a first and a last day that have been.", "since")
        d = form.cleaned_data
        made = running.start(request.member, rule_id, d["since"], d["until"], d["whose"])
    except Refusal as refusal:
        return _refused(request, rule_id, refusal, span_form=form)
    return redirect("rehearsal", made.pk)


@require_GET
def rehearsal(request, rehearsal_id: int):
    """What a draft would have said: how far it is, then the figures."""
    row = _rehearsal(request, rehearsal_id)
    done = row.state == Rehearsal.State.DONE
    late = not done and row.time < clock.now() - running.BROKEN_OFF
    context = {
        "row": row, "rule": row.rule, "kind": kinds()[row.rule.kind], "changed": digest(row.rule) != row.seen, "late": late,
        "whose": Groups.of(row.firm).sentence(row.groups) if row.groups else "everybody", "seen": digest(row.rule),
        "result": result_of(row, rulebook(row.firm).names) if done else None, "examples": examples(request.member, row) if done else [],
        "day_form": DayForm(),
    }  # fmt: skip
    return render(request, "rehearsal/rehearsal.html", context)


@require_POST
def rehearsal_on(request, rehearsal_id: int):
    """Go on with a rehearsal that broke off."""
    row = _rehearsal(request, rehearsal_id)
    running.rehearse(row.pk)
    return redirect("rehearsal", row.pk)


@require_POST
def rehearsal_drop(request, rehearsal_id: int):
    """Drop a rehearsal."""
    row = _rehearsal(request, rehearsal_id)
    running.drop(request.member, row.pk)
    messages.info(request, "The rehearsal is dropped.")
    return redirect("rule-draft", row.rule_id) if row.rule.draft else redirect("rule", row.rule.code)


@require_GET
def rule(request, rule_code: str):
    """One rule over all its days: what holds, what comes, what was, and who changed it."""
    must(request.member, "read_rules")
    return _rule(request, rule_code)


@require_POST
def rule_end(request, rule_code: str):
    """Say on which day a rule is in force for the last time."""
    must(request.member, "rules")
    form = DayForm(request.POST, prefix="end")
    try:
        if not form.is_valid():
            raise Refusal("Choose its last day.", "on")
        row = laying_down.end_rule(request.member, rule_code, form.cleaned_data["on"], request.POST.get("seen", ""))
    except Refusal as refusal:
        say(form, Refusal(refusal.message, "on" if refusal.field == "until" else refusal.field))
        return _rule(request, rule_code, 422, end_form=form)
    messages.info(request, f"It is in force until {row.until:%d %b %Y}.")
    return redirect("rule", rule_code)


@require_POST
def rule_out(request, rule_code: str):
    """Take what of a rule has not begun back to a draft."""
    row = laying_down.take_out(request.member, rule_code, request.POST.get("seen", ""))
    messages.info(request, "It is a draft again.")
    return redirect("rule-draft", row.pk)


def _rule(request, code: str, status: int = 200, **more: Any):
    member = request.member
    found: Standing | None = standing(member.firm, code)
    if found is None:
        raise Http404
    end_form = DayForm(prefix="end", initial={"on": clock.today(member.firm.zone)})
    end_form.fields["on"].label = "Its last day"
    context = {
        "found": found, "seen": digest(found.rows[0].row) if found.rows else "", "end_form": end_form,
        "entries": history(rule_subject(member.firm_id, code)), **more,
    }  # fmt: skip
    return render(request, "rehearsal/rule.html", context, status=status)


def _draft(request, rule_id: int) -> RuleSetting:
    return get_object_or_404(
        RuleSetting.objects.select_related("firm"), firm=request.member.firm, pk=rule_id, draft=True
    )


def _rehearsal(request, rehearsal_id: int) -> Rehearsal:
    """One's own: nobody else ever sees it."""
    must(request.member, "rules")
    return get_object_or_404(Rehearsal.objects.select_related("firm", "rule"), by=request.member, pk=rehearsal_id)


def _form(firm: Firm, kind: Kind, data=None, **more: Any) -> RuleForm:
    return RuleForm(data, kind=kind, currency=firm.currency, categories=Category.objects.filter(firm=firm), **more)


def _keep(request, row: RuleSetting | None, kind_code: str, changes: str):
    kind = kinds().get(kind_code)
    if kind is None:
        raise Http404
    member = request.member
    form = _form(member.firm, kind, request.POST)
    form.is_valid()
    try:
        if form.errors:
            laying_down.read_rule(member.firm, form.typed())
            return _editor(request, kind, row, form, 422, changes=changes)
        made = laying_down.keep_rule(
            member, form.typed(), row.pk if row else None, request.POST.get("seen", ""), changes
        )
    except RuleFaults as wrong:
        form.say(wrong.faults)
        return _editor(request, kind, row, form, 422, changes=changes)
    except Refusal as refusal:
        say(form, refusal)
        return _editor(request, kind, row, form, 422, changes=changes)
    messages.info(request, "The draft is kept: nobody meets it yet.")
    return redirect("rule-draft", made.pk)


def _refused(request, rule_id: int, refusal: Refusal, **forms: Any):
    """The draft's page again, with what was refused beside what was typed."""
    row = _draft(request, rule_id)
    for form in forms.values():
        if not form.errors:
            say(
                form,
                Refusal(refusal.message, "on" if refusal.field == "since" and "on" in form.fields else refusal.field),
            )
    kind = kinds()[row.kind]
    return _editor(request, kind, row, _form(row.firm, kind, typed=typed_of(row, Groups.of(row.firm))), 422, **forms)


def _editor(request, kind: Kind, row: RuleSetting | None, form: RuleForm, status: int = 200, **more: Any):
    member = request.member
    today: date = clock.today(member.firm.zone)
    context = {
        "kind": kind, "row": row, "form": form, "seen": digest(row) if row else "",
        "before": versions(member.firm, row.code).first() if row else None, "day_form": DayForm(), "span_form": SpanForm.of_last_year(today),
        "rehearsals": Rehearsal.objects.filter(by=member, rule=row)[:5] if row else [], **_understood(request, form), **more,
    }  # fmt: skip
    return render(request, "rehearsal/rule_draft.html", context, status=status)
