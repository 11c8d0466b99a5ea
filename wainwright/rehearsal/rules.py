"""Rules: what the firm has laid down, one rule over all its days, drafts, and their rehearsal."""

from __future__ import annotations

from datetime import date
from typing import Any
from urllib.parse import quote

from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.core.rules import Kind, kinds
from wainwright.core.said import say
from wainwright.errors import Faults, Refusal
from wainwright.fields import say_faults, tell
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal import laying_down
from wainwright.rehearsal.laying_down import RULES, typed_of
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.rule_form import DayForm, RuleForm, SpanForm
from wainwright.rehearsal.selectors import Standing, laid_down, said, standing
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.mileage import words_of
from wainwright.rulebook.models import AllowanceRate, MileageRateRow, RuleSetting, SchemeData
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
    page.object_list = [(row.pk, rate_of(row, firm.currency)) for row in page.object_list]
    found = laid_down(firm, text)
    context = {
        "book": rulebook(firm), "rules": found.rules, "routes": found.routes, "questions": found.questions if text else [], "text": text, "rates": page,
        "mileage": _mileage(firm, text),
        "more": f"q={quote(text)}&" if text else "", "schemes": _schemes(firm, text),
        "categories": found.categories,
    }  # fmt: skip
    return render(request, "rehearsal/rules.html", context)


def _mileage(firm: Firm, text: str) -> list[tuple[MileageRateRow, str]]:
    """The mileage rates of what is looked for, each with its bands in words."""
    rows = MileageRateRow.objects.filter(firm=firm, vehicle__icontains=text).order_by("vehicle", "-since")
    return [(row, words_of(row)) for row in rows]


def _schemes(firm: Firm, text: str) -> list[SchemeData]:
    """The schemes that have what is looked for in their code or name."""
    rows = SchemeData.objects.filter(firm=firm)
    return [row for row in rows if text.casefold() in f"{row.code} {row.data.get('name', '')}".casefold()]


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
    except Faults as wrong:
        return {"unread": list(wrong.faults.values())}
    members = Membership.objects.filter(firm=firm, active=True).select_related("firm")
    setting = row.as_core()
    meant = [each for each in members if setting.meant_for(groups_of(each))]
    return {"read": said(row), "meant": len(meant), "people": len(members)}


@require_http_methods(["GET", "POST"])
def rule_draft(request, draft_id: int):
    """A draft in its editor, and what it was rehearsed on."""
    member = request.member
    must(member, "rules")
    row = _draft(request, draft_id)
    if request.method == "POST":
        return _keep(request, row, row.kind, "")
    return draft_page(request, draft_id)


@require_GET
def rule(request, rule_code: str):
    """One rule over all its days: what holds, what comes, what was, and who changed it."""
    must(request.member, "read_rules")
    return rule_page(request, rule_code)


def rule_page(request, code: str, status: int = 200, **more: Any):
    """Show a rule, with what was refused on its page."""
    member = request.member
    found: Standing | None = standing(member.firm, code)
    if found is None:
        raise Http404
    end_form = DayForm(prefix="end", initial={"on": clock.today(member.firm.zone)})
    end_form.fields["on"].label = say("Its last day")
    context = {
        "found": found, "kind": kinds()[found.now.row.kind], "seen": RULES.digest(found.rows[0].row) if found.rows else "", "end_form": end_form,
        "entries": history(RULES.subject(member.firm_id, code)), **more,
    }  # fmt: skip
    return render(request, "rehearsal/rule.html", context, status=status)


def _draft(request, draft_id: int) -> RuleSetting:
    return get_object_or_404(
        RuleSetting.objects.select_related("firm"), firm=request.member.firm, pk=draft_id, draft=True
    )


def _form(firm: Firm, kind: Kind, data=None, **more: Any) -> RuleForm:
    # The newest text, published or coming, has the paragraphs that a rule can stand under.
    texts = rulebook(firm).texts
    headings = [each.heading for each in texts[0][1]] if texts else []
    return RuleForm(
        data,
        kind=kind,
        currency=firm.currency,
        categories=rulebook(firm).categories.values(),
        headings=headings,
        **more,
    )


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
    except Faults as wrong:
        say_faults(form, wrong)
        return _editor(request, kind, row, form, 422, changes=changes)
    except Refusal as refusal:
        tell(form, refusal)
        return _editor(request, kind, row, form, 422, changes=changes)
    messages.info(request, say("The draft is kept: nobody meets it yet."))
    return redirect("rule-draft", made.pk)


def draft_page(request, draft_id: int, status: int = 200, **forms: Any):
    """Show a draft, with what was refused on its page."""
    row = _draft(request, draft_id)
    kind = kinds()[row.kind]
    return _editor(request, kind, row, _form(row.firm, kind, typed=typed_of(row, Groups.of(row.firm))), status, **forms)


def _editor(request, kind: Kind, row: RuleSetting | None, form: RuleForm, status: int = 200, **more: Any):
    member = request.member
    today: date = clock.today(member.firm.zone)
    context = {
        "kind": kind, "row": row, "form": form, "seen": RULES.digest(row) if row else "",
        "before": RULES.versions(member.firm, row.code).first() if row else None, "day_form": DayForm(), "span_form": SpanForm.of_last_year(today),
        "rehearsals": Rehearsal.objects.filter(by=member, rule=row)[:5] if row else [], **_understood(request, form), **more,
    }  # fmt: skip
    return render(request, "rehearsal/rule_draft.html", context, status=status)
