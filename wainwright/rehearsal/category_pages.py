"""Categories: what costs may be for, each over its days; drafts, what their words would mean, and tables of them."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Any

from django import forms
from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.core.asking import meant_for
from wainwright.core.said import as_figure, say
from wainwright.downloads import csv_file, xlsx_file
from wainwright.errors import Faults, Refusal
from wainwright.fields import say_faults, tell
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal import category_table
from wainwright.rehearsal.categories import (
    CATEGORIES,
    CategoryTyped,
    Known,
    changes_of,
    keep_category,
    meant_by,
    read_category,
    typed_of,
    uses_of,
)
from wainwright.rehearsal.rule_form import DayForm
from wainwright.rehearsal.selectors import Standing, category_standing, category_standings
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.models import WORDS, Category
from wainwright.rulebook.selectors import groups_of
from wainwright.trail.selectors import history

MOST_TEXT = 1_000_000
AREA = forms.Textarea(attrs={"rows": 2})


class CategoryForm(forms.Form):
    """A category. What is typed is checked by the service; the form says where each fault belongs."""

    name = forms.CharField(label=say("What the cost is for"), max_length=60)
    words = forms.CharField(label=say("Words in merchants' names that mean it"), required=False, max_length=400, widget=AREA, help_text=say("Parted by commas."))  # fmt: skip
    merchant_codes = forms.CharField(label=say("Cards' merchant codes that mean it"), required=False, max_length=200, help_text=say("ISO 18245: 5811-5814, 7011."))  # fmt: skip
    is_lodging = forms.BooleanField(label=say("Nights are paid by it: ceilings apply"), required=False)
    tips = forms.BooleanField(label=say("Tips are usual: the card may be charged up to 20 % more than the paper says"), required=False)  # fmt: skip
    asks = forms.MultipleChoiceField(label=say("Must be said where it is chosen"), required=False, choices=list(WORDS.items()), widget=forms.CheckboxSelectMultiple)  # fmt: skip
    named = forms.CharField(label=say("Who may use it"), required=False, max_length=3000, widget=forms.Textarea(attrs={"rows": 2, "placeholder": say("everybody")}), help_text=say("Roles, codes, countries where people live, names: a line each."))  # fmt: skip
    left_out = forms.CharField(label=say("But not"), required=False, max_length=3000, widget=AREA)
    account = forms.CharField(label=say("Account"), required=False, max_length=20, widget=forms.TextInput(attrs={"list": "accounts"}), help_text=say("Empty: finance names it."))  # fmt: skip
    abroad = forms.CharField(label=say("Paid abroad"), required=False, max_length=20, widget=forms.TextInput(attrs={"list": "accounts"}))  # fmt: skip
    by_country = forms.CharField(label=say("Accounts by country"), required=False, max_length=300, help_text=say("NO 6412, GB 6413."))  # fmt: skip
    tax_codes = forms.CharField(
        label=say("Tax codes by country"), required=False, max_length=300, help_text=say("IE V23.")
    )
    tax_rate = forms.CharField(label=say("Tax without a code, %"), required=False, max_length=12)
    tax_back = forms.CharField(label=say("Of it comes back, %"), required=False, max_length=12, help_text=say("Empty: all of it."))  # fmt: skip

    def __init__(self, *args: Any, typed: CategoryTyped | None = None, **options: Any) -> None:
        first = {name: getattr(typed, name) for name in self.base_fields} if typed else {}
        super().__init__(*args, initial=first, **options)

    def typed(self) -> CategoryTyped:
        """What was typed, as the service reads it."""
        d = self.cleaned_data
        return CategoryTyped(
            **{
                name: d.get(name) or CategoryTyped.__dataclass_fields__[name].default
                for name in self.fields
                if name != "name"
            },
            name=d.get("name", ""),
        )


@require_GET
def index(request):
    """Every category as it stands, found by any word of it."""
    return _list(request)


@require_http_methods(["GET", "POST"])
def category_new(request):
    """A new category; or a copy, or the change, of one that is there."""
    member = request.member
    must(member, "rules")
    if request.method == "POST":
        return _keep(request, None, request.POST.get("changes", "")[:20])
    firm = member.firm
    rows = CATEGORIES.rows(firm).filter(code=request.GET.get("like", "")[:20])
    like = rows.order_by("draft", "-since").first()
    changes = like.code if like is not None and "change" in request.GET else ""
    if changes and (draft := rows.filter(draft=True).first()):
        return redirect("category-draft", draft.pk)
    typed = typed_of(like, Groups.of(firm)) if like is not None else None
    return _editor(request, None, CategoryForm(typed=typed), changes=changes)


@require_http_methods(["GET", "POST"])
def category_draft(request, draft_id: int):
    """A draft in its editor."""
    must(request.member, "rules")
    return _keep(request, _draft(request, draft_id), "") if request.method == "POST" else draft_page(request, draft_id)


@require_GET
def category(request, rule_code: str):
    """One category over all its days."""
    must(request.member, "read_rules")
    return category_page(request, rule_code)


@require_POST
def category_try(request):
    """What is typed, as it is understood: who may use it, and which merchants of the last year it would mean."""
    must(request.member, "rules")
    form = CategoryForm(request.POST)
    form.is_valid()
    code = request.POST.get("changes", "")[:20]
    return render(request, "rehearsal/_category_tried.html", _tried(request.member.firm, form.typed(), code))


def _tried(firm: Firm, typed: CategoryTyped, code: str) -> dict[str, Any]:
    try:
        row = read_category(Known.of(firm), typed, Category(firm=firm, draft=True, code=code or "draft"))
    except Faults as wrong:
        return {"unread": list(wrong.faults.values())}
    meant, merchants, looked = meant_by(row)
    people = Membership.objects.filter(firm=firm, active=True, traveller=True).select_related("firm")
    may = [each for each in people if meant_for(row.groups, groups_of(each))] if row.groups else list(people)
    before = CATEGORIES.versions(firm, code).first() if code else None
    return {
        "meant": meant, "merchants": merchants, "looked": looked, "may": len(may), "people": len(people),
        "changes": changes_of(before, row) if before is not None else [], "compared": before is not None,
    }  # fmt: skip


def category_page(request, code: str, status: int = 200, **more: Any):
    """Show a category, with what was refused on its page."""
    member = request.member
    found: Standing | None = category_standing(member.firm, code)
    if found is None:
        raise Http404
    end_form = DayForm(prefix="end", initial={"on": clock.today(member.firm.zone)})
    end_form.fields["on"].label = say("The last day whose costs may be put under it")
    context = {
        "found": found, "seen": CATEGORIES.digest(found.rows[0].row) if found.rows else "", "end_form": end_form, "uses": uses_of(member.firm, code),
        "entries": history(CATEGORIES.subject(member.firm_id, code)), **more,
    }  # fmt: skip
    return render(request, "rehearsal/category.html", context, status=status)


def draft_page(request, draft_id: int, status: int = 200, **forms_: Any):
    """Show a draft, with what was refused on its page."""
    row = _draft(request, draft_id)
    return _editor(request, row, CategoryForm(typed=typed_of(row, Groups.of(row.firm))), status, **forms_)


def _draft(request, draft_id: int) -> Category:
    return get_object_or_404(Category.objects.select_related("firm"), firm=request.member.firm, pk=draft_id, draft=True)


def _keep(request, row: Category | None, changes: str):
    form = CategoryForm(request.POST)
    form.is_valid()
    try:
        if form.errors:
            read_category(
                Known.of(request.member.firm),
                form.typed(),
                Category(firm=request.member.firm, code=row.code if row else changes),
            )
            return _editor(request, row, form, 422, changes=changes)
        made = keep_category(
            request.member, form.typed(), row.pk if row else None, request.POST.get("seen", ""), changes
        )
    except Faults as wrong:
        say_faults(form, wrong)
        return _editor(request, row, form, 422, changes=changes)
    except Refusal as refusal:
        tell(form, refusal)
        return _editor(request, row, form, 422, changes=changes)
    messages.info(request, say("The draft is kept: nobody chooses by it yet."))
    return redirect("category-draft", made.pk)


def _editor(request, row: Category | None, form: CategoryForm, status: int = 200, **more: Any):
    firm = request.member.firm
    code = row.code if row else more.get("changes", "")
    today = clock.today(firm.zone)
    context = {
        "row": row, "form": form, "seen": CATEGORIES.digest(row) if row else "", "code": code, "accounts": books(firm).account_names,
        "before": CATEGORIES.versions(firm, code).first() if code else None, "day_form": DayForm(initial={"on": today}), **more,
    }  # fmt: skip
    return render(request, "rehearsal/category_draft.html", context, status=status)


@require_POST
def look(request):
    """Look at a table of categories: what each row would do, what is wrong at which cell; nothing changes."""
    must(request.member, "rules")
    given = request.FILES.get("file")
    content = (
        given.read(category_table.MOST_BYTES + 1)
        if given is not None
        else request.POST.get("table", "")[:MOST_TEXT].encode()
    )
    try:
        lines = category_table.read_table(request.member.firm, content)
        table = category_table.table_text(content)
    except Refusal as refusal:
        return _list(request, 422, table_error=refusal.message)
    good = all(not line.faults for line in lines)
    return _list(request, 200 if good else 422, lines=lines, table=table if good else "")


@require_POST
def take(request):
    """Put a table that was looked at in force from a day on: all of it, or nothing."""
    must(request.member, "rules")
    text = request.POST.get("table", "")[:MOST_TEXT]
    form = DayForm(request.POST)
    since: date | None = form.cleaned_data["on"] if form.is_valid() else None
    try:
        new, changed = category_table.take_table(request.member, text.encode(), since)
    except Refusal as refusal:
        lines = _lines_again(request.member.firm, text)
        return _list(request, 422, table_error=refusal.message, lines=lines, table=text, day_form=form)
    messages.info(
        request,
        say(
            "{new} new, {changed} changed, from {since} on.",
            new=new,
            changed=changed,
            since=as_figure(since, "%d %b %Y"),
        ),
    )
    return redirect("rule-categories")


def _lines_again(firm: Firm, text: str) -> Iterable[category_table.Line]:
    try:
        return category_table.read_table(firm, text.encode())
    except Refusal:
        return []


@require_GET
def as_csv(request):
    """All categories as a table that can be sent in again."""
    must(request.member, "read_rules")
    return csv_file("categories", category_table.COLUMNS, category_table.as_rows(request.member.firm))


@require_GET
def as_xlsx(request) -> HttpResponse:
    """The same as a workbook."""
    must(request.member, "read_rules")
    return xlsx_file("categories", category_table.COLUMNS, category_table.as_rows(request.member.firm))


def _list(request, status: int = 200, **more: Any):
    member = request.member
    must(member, "read_rules")
    text = request.GET.get("q", "")[:80].strip()
    context = {
        "standings": category_standings(member.firm, text), "text": text, "accounts": books(member.firm).account_names, "lines": [], "table": "",
        "table_error": "", "day_form": DayForm(initial={"on": clock.today(member.firm.zone)}), **more,
    }  # fmt: skip
    return render(request, "rehearsal/categories.html", context, status=status)
