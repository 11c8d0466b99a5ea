"""Allowance schemes: which are in force, drafts, and one in its editor beside an example journey."""

from __future__ import annotations

from datetime import date
from typing import Any

from django import forms
from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.core.allowance import NoRate, Scheme
from wainwright.core.allowance.reading import Fault, SchemeFaults
from wainwright.core.allowance.trying import tried
from wainwright.core.said import as_figure, say
from wainwright.errors import Refusal
from wainwright.fields import day_input, tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.rehearsal.forms import ExampleForm
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.rule_form import SpanForm
from wainwright.rulebook import schemes as kept
from wainwright.rulebook.models import SchemeData
from wainwright.rulebook.selectors import exchange_of, rulebook


class ForceForm(forms.Form):
    """From which day on."""

    since = forms.DateField(label=say("From"), widget=day_input())


@require_GET
def schemes(request):
    """The schemes in force, what comes, drafts, and what to begin one from."""
    member = request.member
    must(member, "read_rules")
    today = clock.today(member.firm.zone)
    rows = list(SchemeData.objects.filter(firm=member.firm))
    now = rulebook(member.firm).scheme
    context = {
        "rows": [(row, _state(row, now, today), str(row.data.get("name", ""))) for row in rows],
        "examples": [(name, data["name"]) for name, data in kept.examples().items()],
    }  # fmt: skip
    return render(request, "rehearsal/schemes.html", context)


def _state(row: SchemeData, now: Scheme, today: date) -> str:
    if row.since is None:
        return "draft"
    if row.since > today:
        return "comes"
    return say("in force") if row.code == now.code else say("was in force")


@require_http_methods(["GET", "POST"])
def scheme_new(request):
    """A new scheme: from one of the firm's, or from an example that ships."""
    member = request.member
    must(member, "rules")
    if request.method == "POST":
        return _keep(request, None)
    return _editor(request, None, _begin(member, request.GET.get("from", "")))


def _begin(member: Membership, name: str) -> str:
    """The text that a new scheme begins with."""
    own = SchemeData.objects.filter(firm=member.firm, code=name).first()
    data = own.data if own is not None else kept.examples().get(name) or next(iter(kept.examples().values()))
    taken = set(SchemeData.objects.filter(firm=member.firm).values_list("code", flat=True))
    code = str(data["code"])[:17]
    free = code if code not in taken else next(f"{code}-{n}" for n in range(2, 1000) if f"{code}-{n}" not in taken)
    return kept.as_text({**data, "code": free})


@require_http_methods(["GET", "POST"])
def scheme(request, scheme_id: int):
    """One scheme in its editor."""
    must(request.member, "rules" if request.method == "POST" else "read_rules")
    row = _row(request, scheme_id)
    return _keep(request, row) if request.method == "POST" else _editor(request, row, kept.as_text(row.data))


@require_POST
def scheme_try(request):
    """What is typed, tried on the example: the rows in words, the days beside them."""
    must(request.member, "rules")
    return render(request, "rehearsal/_tried.html", _tried(request, request.POST.get("text", "")))


@require_POST
def scheme_force(request, scheme_id: int):
    """Put a draft in force."""
    must(request.member, "rules")
    form = ForceForm(request.POST)
    try:
        if not form.is_valid():
            raise Refusal(say("Choose from which day on."), "since")
        row = kept.put_in_force(request.member, scheme_id, form.cleaned_data["since"], request.POST.get("seen", ""))
    except SchemeFaults as wrong:
        row = _row(request, scheme_id)
        return _editor(request, row, kept.as_text(row.data), faults=wrong.faults, status=422)
    except Refusal as refusal:
        row = _row(request, scheme_id)
        if not form.errors:
            tell(form, refusal)
        return _editor(request, row, kept.as_text(row.data), form=form, status=422)
    messages.info(
        request, say("{code} is in force from {since} on.", code=row.code, since=as_figure(row.since, "%d %b %Y"))
    )
    return redirect("scheme", row.pk)


@require_POST
def scheme_out(request, scheme_id: int):
    """Take a scheme out before it begins; drop a draft."""
    row = kept.take_out(request.member, scheme_id, request.POST.get("seen", ""))
    messages.info(
        request,
        (say("{code} is a draft again.", code=row.code) if row.pk else say("{code} is dropped.", code=row.code)),
    )
    return redirect("scheme", row.pk) if row.pk else redirect("schemes")


def scheme_page(request, scheme_id: int, status: int = 200, **more: Any):
    """Show a scheme in its editor, with what was refused on its page."""
    row = _row(request, scheme_id)
    return _editor(request, row, kept.as_text(row.data), status=status, **more)


def _row(request, scheme_id: int) -> SchemeData:
    return get_object_or_404(SchemeData.objects.select_related("firm"), firm=request.member.firm, pk=scheme_id)


def _keep(request, row: SchemeData | None):
    text = request.POST.get("text", "")
    try:
        made = kept.keep_draft(request.member, text, row.pk if row else None, request.POST.get("seen", ""))
    except SchemeFaults as wrong:
        return _editor(request, row, text, faults=wrong.faults, status=422)
    except Refusal as refusal:
        return _editor(request, row, text, faults=[Fault("scheme", refusal.message)], status=422)
    messages.info(request, say("{made_code} is kept as a draft.", made_code=made.code))
    return redirect("scheme", made.pk)


def _editor(request, row: SchemeData | None, text: str, status: int = 200, **more: Any):
    today = clock.today(request.member.firm.zone)
    context = {
        "span_form": SpanForm.of_last_year(today), "rehearsals": Rehearsal.objects.filter(by=request.member, scheme=row)[:5] if row else [],
        "row": row, "title": row.code if row else say("A new scheme"), "text": text, "seen": kept.digest(row) if row else "", "form": ForceForm(),
        "begun": row is not None and row.since is not None and row.since <= today, **_tried(request, text), **more,
    }  # fmt: skip
    return render(request, "rehearsal/scheme.html", context, status=status)


def _tried(request, text: str) -> dict[str, Any]:
    """The example, typed or as it begins, and what the scheme of a text pays for it."""
    firm = request.member.firm
    book, today = rulebook(firm), clock.today(firm.zone)
    typed = request.POST if "leaves_on" in request.POST else None
    form = ExampleForm(typed, firm=firm, rates=book.rates, today=today)
    context: dict[str, Any] = {"example": form}
    try:
        _, found = kept.read_text(text, firm)
    except SchemeFaults as wrong:
        return {**context, "faults": wrong.faults}
    context["scheme"] = found
    context["lacking"] = kept.missing_amounts(found, list(book.rates), today)[:5]
    if typed is None:
        first = {name: field.initial or form.initial.get(name) for name, field in form.fields.items()}
        first["place"] = form.first_place
        form = ExampleForm({k: v for k, v in first.items() if v is not None}, firm=firm, rates=book.rates, today=today)
        context["example"] = form
    if not form.is_valid():
        return context
    try:
        journey = form.example().journey(form.home, found.bed_hour)
        table = exchange_of(book, journey.starts.date(), journey.ends.date())
        allowance, days = tried(journey, found, book.rates, firm.currency, table)
        return {**context, "allowance": allowance, "days": days, "paying": {day.day.row for day in days}}
    except NoRate as error:
        return {**context, "unpaid": say("There is {error}.", error=error)}
