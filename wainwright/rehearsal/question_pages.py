"""Questions of the firm's own: what is asked of whom, where and from when, and what each answer decides."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms
from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from wainwright import clock
from wainwright.core.said import say
from wainwright.errors import Faults, Refusal
from wainwright.fields import say_faults, tell
from wainwright.people.may import must
from wainwright.people.models import Firm
from wainwright.rehearsal.questions import QUESTIONS, keep_question, read_meant
from wainwright.rehearsal.rule_form import DayForm
from wainwright.rehearsal.selectors import Standing, question_standing, question_standings
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.models import FirmQuestion
from wainwright.rulebook.questions import KEYS, MOST_DECIDED, PAYS, WHAT, QuestionTyped, typed_question
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.selectors import history

BLANKS = 2
AREA = forms.Textarea(attrs={"rows": 2})


class QuestionForm(forms.Form):
    """A question. What is typed is checked by the service; the form says where each fault belongs."""

    text = forms.CharField(label=say("The question, as a traveller reads it"), max_length=200)
    about = forms.ChoiceField(label=say("Asked about"), choices=FirmQuestion.ABOUT)
    kind = forms.ChoiceField(label=say("The answer is"), choices=FirmQuestion.KINDS)
    choices = forms.CharField(label=say("Answers to choose from"), required=False, max_length=1500, widget=forms.Textarea(attrs={"rows": 3}), help_text=say("A line each, for one of some."))  # fmt: skip
    required = forms.BooleanField(label=say("Nothing is sent without an answer"), required=False)
    where = forms.ChoiceField(label=say("Where the trip goes"), required=False, choices=[("", say("anywhere")), ("abroad", say("abroad")), ("home", say("at home"))])  # fmt: skip
    after = forms.ChoiceField(label=say("Only after"), required=False)
    answer = forms.CharField(label=say("was answered"), required=False, max_length=60)
    named = forms.CharField(label=say("Of whom"), required=False, max_length=3000, widget=forms.Textarea(attrs={"rows": 2, "placeholder": say("everybody")}), help_text=say("Roles, codes, countries where people live, names: a line each."))  # fmt: skip
    left_out = forms.CharField(label=say("But not of"), required=False, max_length=3000, widget=AREA)

    def __init__(self, *args: Any, firm: Firm, first: Mapping[str, Any] | None = None, **options: Any) -> None:
        super().__init__(*args, initial=first or {"kind": "yes_no", "about": "trip"}, **options)
        rows = FirmQuestion.objects.filter(firm=firm, draft=False).order_by("order", "since")
        self.fields["after"].choices = [("", say("always")), *{row.code: row.text for row in rows}.items()]

    def typed(self, entitles: list[dict[str, str]]) -> tuple[QuestionTyped, str, str]:
        """What was typed, as the service reads it: the question, of whom, of whom not."""
        d = self.cleaned_data
        typed = QuestionTyped(
            d.get("text", ""), d.get("about", ""), d.get("kind", ""), d.get("choices", ""), d.get("required", False), entitles, d.get("where", ""), d.get("after", ""),
            d.get("answer", ""),
        )  # fmt: skip
        return typed, d.get("named", ""), d.get("left_out", "")


@require_GET
def index(request):
    """Every question as it stands, found by any word of it."""
    member, text = request.member, request.GET.get("q", "")[:80].strip()
    must(member, "read_rules")
    context = {"standings": question_standings(member.firm, text), "text": text}
    return render(request, "rehearsal/questions.html", context)


@require_http_methods(["GET", "POST"])
def question_new(request):
    """A new question; or a copy, or the change, of one that is there."""
    member = request.member
    must(member, "rules")
    if request.method == "POST":
        return _keep(request, None, request.POST.get("changes", "")[:30])
    rows = QUESTIONS.rows(member.firm).filter(code=request.GET.get("like", "")[:30])
    like = rows.order_by("draft", "-since").first()
    changes = like.code if like is not None and "change" in request.GET else ""
    if changes and (draft := rows.filter(draft=True).first()):
        return redirect("question-draft", draft.pk)
    return _editor(request, None, *_filled(member.firm, like), changes=changes)


@require_http_methods(["GET", "POST"])
def question_draft(request, draft_id: int):
    """A draft in its editor."""
    must(request.member, "rules")
    return _keep(request, _draft(request, draft_id), "") if request.method == "POST" else draft_page(request, draft_id)


@require_GET
def question(request, rule_code: str):
    """One question over all its days."""
    must(request.member, "read_rules")
    return question_page(request, rule_code)


def question_page(request, code: str, status: int = 200, **more: Any):
    """Show a question, with what was refused on its page."""
    member = request.member
    found: Standing | None = question_standing(member.firm, code)
    if found is None:
        raise Http404
    end_form = DayForm(prefix="end", initial={"on": clock.today(member.firm.zone)})
    end_form.fields["on"].label = say("The last day on which it is asked")
    context = {
        "found": found, "seen": QUESTIONS.digest(found.rows[0].row) if found.rows else "", "end_form": end_form,
        "entries": history(QUESTIONS.subject(member.firm_id, code)), **more,
    }  # fmt: skip
    return render(request, "rehearsal/question.html", context, status=status)


def draft_page(request, draft_id: int, status: int = 200, **more: Any):
    """Show a draft, with what was refused on its page."""
    row = _draft(request, draft_id)
    return _editor(request, row, *_filled(row.firm, row), status=status, **more)


def _draft(request, draft_id: int) -> FirmQuestion:
    rows = FirmQuestion.objects.select_related("firm")
    return get_object_or_404(rows, firm=request.member.firm, pk=draft_id, draft=True)


def _filled(firm: Firm, row: FirmQuestion | None) -> tuple[QuestionForm, list[dict[str, str]]]:
    """The form of a question that is there, or an empty one, and the rows of what its answers decide."""
    if row is None:
        return QuestionForm(firm=firm), []
    typed = typed_question(row)
    named, left_out = Groups.of(firm).lines(row.groups)
    first = {name: getattr(typed, name) for name in QuestionForm.base_fields if hasattr(typed, name)}
    return QuestionForm(firm=firm, first=first | {"named": named, "left_out": left_out}), list(
        map(dict, typed.entitles)
    )


def _rows(request) -> list[dict[str, str]]:
    """The rows of what answers decide, as they were typed; empty ones left out."""
    post, found = request.POST, []
    for number in range(MOST_DECIDED + BLANKS):
        row = {key: post.get(f"d{number}-{key}", "")[:200].strip() for key in sorted(KEYS)}
        if any(value for key, value in row.items() if key != "paid_by"):
            found.append({key: value for key, value in row.items() if value})
    return found


def _keep(request, row: FirmQuestion | None, changes: str):
    member = request.member
    form, rows = QuestionForm(request.POST, firm=member.firm), _rows(request)
    form.is_valid()
    typed, named, left_out = form.typed(rows)
    try:
        if form.errors:
            read_meant(member.firm, typed, named, left_out)
            return _editor(request, row, form, rows, status=422, changes=changes)
        made = keep_question(
            member, typed, named, left_out, row.pk if row else None, request.POST.get("seen", ""), changes
        )
    except Faults as wrong:
        decided = wrong.faults.pop("entitles", "")
        say_faults(form, wrong)
        return _editor(request, row, form, rows, status=422, changes=changes, decided_error=decided)
    except Refusal as refusal:
        tell(form, refusal)
        return _editor(request, row, form, rows, status=422, changes=changes)
    messages.info(request, say("The draft is kept: nobody is asked yet."))
    return redirect("question-draft", made.pk)


def _editor(
    request, row: FirmQuestion | None, form: QuestionForm, rows: list[dict[str, str]], status: int = 200, **more: Any
):
    firm = request.member.firm
    code = row.code if row else more.get("changes", "")
    context = {
        "row": row, "form": form, "seen": QUESTIONS.digest(row) if row else "", "decided_error": "", "what": WHAT, "pays": PAYS,
        "decided": [dict.fromkeys(KEYS, "") | row for row in [*rows, *({} for _ in range(BLANKS))]][: MOST_DECIDED + BLANKS], "categories": rulebook(firm).names.items(),
        "before": QUESTIONS.versions(firm, code).first() if code else None, "day_form": DayForm(initial={"on": clock.today(firm.zone)}), **more,
    }  # fmt: skip
    return render(request, "rehearsal/question_draft.html", context, status=status)
