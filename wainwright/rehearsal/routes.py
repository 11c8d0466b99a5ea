"""The route: an example shown as people, and the firm's rules of whom to ask as well."""

from __future__ import annotations

from typing import Any

from django import forms
from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.core.asking import Asks, Place
from wainwright.core.money import places
from wainwright.core.rules import kinds
from wainwright.core.said import say
from wainwright.errors import Faults, Refusal
from wainwright.fields import AmountField, say_faults, tell
from wainwright.people.may import must
from wainwright.people.models import Firm
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.route_example import MOST_LETTERS, example
from wainwright.rehearsal.routing import ROUTES, RouteTyped, dimensions_of, keep_route, read_route, typed_of
from wainwright.rehearsal.rule_form import ON, DayForm, SpanForm
from wainwright.rehearsal.selectors import Standing, route_standing, route_standings
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.models import RouteSetting, RuleSetting
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.selectors import history

PLACES = [
    (Place.FIRST.value, say("first, before the line manager")),
    (Place.OWNERS.value, say("after the line manager, beside the owners of the coding")),
    (Place.LAST.value, say("last, after whoever may sign for the whole")),
]


class RouteForm(forms.Form):
    """Who is asked as well, where on the route, and when. What is typed is checked by the service."""

    signer = forms.CharField(label=say("Who signs as well"), max_length=120, help_text=say("A name, or an e-mail."))
    text = forms.CharField(label=say("Why, as everybody on the route reads it"), max_length=200)
    place = forms.ChoiceField(label=say("Where"), choices=PLACES, widget=forms.RadioSelect)
    over = AmountField(label=say("From an amount of"), required=False, decimal_places=3, max_digits=14, min_value=None, help_text=say("Of its categories, else of its codes, else of the whole. Empty: any."))  # fmt: skip
    kinds = forms.MultipleChoiceField(label=say("Of"), choices=ON, required=False, widget=forms.CheckboxSelectMultiple)
    categories = forms.MultipleChoiceField(
        label=say("With costs for"), required=False, widget=forms.CheckboxSelectMultiple
    )
    codes = forms.CharField(
        label=say("Coded to"), required=False, max_length=400, help_text=say("Codes, parted by commas.")
    )
    countries = forms.CharField(
        label=say("In the countries"), required=False, max_length=400, help_text=say("Countries, parted by commas.")
    )
    rules = forms.MultipleChoiceField(
        label=say("Where a rule speaks"), required=False, widget=forms.CheckboxSelectMultiple
    )
    named = forms.CharField(label=say("Of whom"), required=False, max_length=3000, widget=forms.Textarea(attrs={"rows": 2, "placeholder": say("everybody")}), help_text=say("Roles, codes, countries where people live, names: a line each."))  # fmt: skip
    left_out = forms.CharField(
        label=say("But not of"), required=False, max_length=3000, widget=forms.Textarea(attrs={"rows": 2})
    )

    def __init__(self, *args, firm: Firm, typed: RouteTyped | None = None, **options):
        first = {name: getattr(typed, name) for name in self.base_fields} if typed else {}
        super().__init__(*args, initial=first or {"place": Place.OWNERS.value, "kinds": ["plan", "claim"]}, **options)
        self.fields["categories"].choices = list(rulebook(firm).names.items())
        spoken = RuleSetting.objects.filter(firm=firm, draft=False).order_by("code", "-since")
        self.fields["rules"].choices = list({each.code: (each.code, each.text) for each in spoken}.values())
        self.fields["over"].label += f", {firm.currency}"
        self.fields["over"].decimal_places = places(firm.currency)

    def typed(self) -> RouteTyped:
        """What was typed, as the service reads it."""
        d = self.cleaned_data
        return RouteTyped(
            d.get("text", ""), d.get("signer", ""), d.get("place", ""), d.get("over"), d.get("kinds", []), d.get("categories", []), d.get("codes", ""),
            d.get("countries", ""), d.get("named", ""), d.get("left_out", ""), d.get("rules", []),
        )  # fmt: skip


@require_GET
def index(request):
    """The route of an example typed in a line, and the rules of the route."""
    member = request.member
    must(member, "read_rules")
    line = request.GET.get("example", "")[:MOST_LETTERS]
    context = {
        "line": line, "example": example(member.firm, line) if line.strip() else None, "standings": route_standings(member.firm), "most": MOST_LETTERS,
        "codes": dimensions_of(member.firm), "kinds": sorted({kinds()[each.kind].title for each in RuleSetting.objects.filter(firm=member.firm, draft=False)})[:6],
    }  # fmt: skip
    return render(request, "rehearsal/routes.html", context)


@require_http_methods(["GET", "POST"])
def route_new(request):
    """A new rule of the route; or a copy, or the change, of one that is there."""
    member = request.member
    must(member, "rules")
    if request.method == "POST":
        return _keep(request, None, request.POST.get("changes", ""))
    firm = member.firm
    like = (
        RouteSetting.objects.filter(firm=firm, code=request.GET.get("like", ""))
        .select_related("firm")
        .order_by("draft", "-since")
        .first()
    )
    changes = like.code if like is not None and "change" in request.GET else ""
    if changes and (draft := ROUTES.rows(firm).filter(code=changes, draft=True).first()):
        return redirect("route-draft", draft.pk)
    form = RouteForm(firm=firm, typed=typed_of(like, Groups.of(firm)) if like is not None else None)
    return _editor(request, None, form, changes=changes)


@require_http_methods(["GET", "POST"])
def route_draft(request, draft_id: int):
    """A draft in its editor, and what it was rehearsed on."""
    must(request.member, "rules")
    return _keep(request, _draft(request, draft_id), "") if request.method == "POST" else draft_page(request, draft_id)


@require_GET
def route_rule(request, rule_code: str):
    """One rule of the route over all its days."""
    must(request.member, "read_rules")
    return route_page(request, rule_code)


@require_POST
def route_try(request):
    """The example's route with what is typed, as if it were in force."""
    must(request.member, "rules")
    form = RouteForm(request.POST, firm=request.member.firm)
    form.is_valid()
    return render(request, "rehearsal/_route_tried.html", _tried(request, form))


def route_page(request, code: str, status: int = 200, **more: Any):
    """Show a rule of the route, with what was refused on its page."""
    member = request.member
    found: Standing | None = route_standing(member.firm, code)
    if found is None:
        raise Http404
    end_form = DayForm(prefix="end", initial={"on": clock.today(member.firm.zone)})
    end_form.fields["on"].label = say("Its last day")
    context = {
        "found": found, "seen": ROUTES.digest(found.rows[0].row) if found.rows else "", "end_form": end_form,
        "entries": history(ROUTES.subject(member.firm_id, code)), **more,
    }  # fmt: skip
    return render(request, "rehearsal/route.html", context, status=status)


def draft_page(request, draft_id: int, status: int = 200, **more: Any):
    """Show a draft, with what was refused on its page."""
    row = _draft(request, draft_id)
    return _editor(request, row, RouteForm(firm=row.firm, typed=typed_of(row, Groups.of(row.firm))), status, **more)


def _draft(request, draft_id: int) -> RouteSetting:
    rows = RouteSetting.objects.select_related("firm")
    return get_object_or_404(rows, firm=request.member.firm, pk=draft_id, draft=True)


def _keep(request, row: RouteSetting | None, changes: str):
    form = RouteForm(request.POST, firm=request.member.firm)
    form.is_valid()
    try:
        if form.errors:
            read_route(request.member.firm, form.typed())
            return _editor(request, row, form, 422, changes=changes)
        made = keep_route(request.member, form.typed(), row.pk if row else None, request.POST.get("seen", ""), changes)
    except Faults as wrong:
        say_faults(form, wrong)
        return _editor(request, row, form, 422, changes=changes)
    except Refusal as refusal:
        tell(form, refusal)
        return _editor(request, row, form, 422, changes=changes)
    messages.info(request, say("The draft is kept: nobody is asked by it yet."))
    return redirect("route-draft", made.pk)


def _tried(request, form: RouteForm) -> dict[str, Any]:
    """The example's route with what stands in a form; what is wrong with that, where it is no rule yet."""
    firm, line = request.member.firm, (request.POST.get("example") or request.GET.get("example", ""))[:MOST_LETTERS]
    try:
        row = read_route(firm, form.typed())
    except Faults as wrong:
        return {
            "unread": list(wrong.faults.values()),
            "line": line,
            "example": example(firm, line) if line.strip() else None,
        }
    row.code = "draft"
    draft: Asks = row.as_core()
    return {"line": line, "example": example(firm, line, draft) if line.strip() else None}


def _editor(request, row: RouteSetting | None, form: RouteForm, status: int = 200, **more: Any):
    member = request.member
    first = (
        member.__class__.objects.filter(firm=member.firm, active=True, traveller=True)
        .select_related("person")
        .order_by("pk")
        .first()
    )
    context = {
        "row": row, "form": form, "seen": ROUTES.digest(row) if row else "", "before": ROUTES.versions(member.firm, row.code).first() if row else None,
        "day_form": DayForm(), "span_form": SpanForm.of_last_year(clock.today(member.firm.zone)), "most": MOST_LETTERS,
        "rehearsals": Rehearsal.objects.filter(by=member, route=row)[:5] if row else [],
        "line": request.POST.get("example", f"{first.name}, 1000 {member.firm.currency}" if first else ""), **more,
    }  # fmt: skip
    return render(request, "rehearsal/route_draft.html", context, status=status)
