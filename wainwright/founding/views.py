"""Setting a firm up: what is missing, its letters and bank, its first rates; and founding another."""

from __future__ import annotations

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import tell
from wainwright.founding import services
from wainwright.founding.checklist import checklist
from wainwright.founding.forms import FirmForm, FoundForm, RatesForm
from wainwright.people.may import must
from wainwright.people.models import Firm


@require_GET
def firm_page(request):
    """What the firm has and lacks, and what an administrator sets here."""
    return _page(request)


def _page(request, status: int = 200, **forms):
    member = request.member
    must(member, "firm")
    firm = Firm.objects.get(pk=member.firm_id)
    context = {
        "firm": firm, "list": checklist(firm), "form": FirmForm(firm=firm), "rates_form": RatesForm(firm=firm),
        "rates_fixed": services.in_use(firm) and firm.allowance_rates.filter(country="", town="").exists(),
    }  # fmt: skip
    return render(request, "founding/firm.html", context | forms, status=status)


@require_POST
def set_firm(request):
    """Set letters, bank and fiscal year."""
    form = FirmForm(request.POST, firm=request.member.firm)
    if form.is_valid():
        try:
            services.set_firm(request.member, form.data_typed)
            messages.info(request, say("The firm is set."))
            return redirect("firm")
        except NotAllowed:
            raise
        except Refusal as refusal:
            tell(form, refusal)
    return _page(request, 422, form=form)


@require_POST
def set_rates(request):
    """Set the first rates."""
    form = RatesForm(request.POST, firm=request.member.firm)
    if form.is_valid():
        try:
            services.set_first_rates(request.member, form.rates)
            messages.info(request, say("The rates are set, for everywhere."))
            return redirect("firm")
        except NotAllowed:
            raise
        except Refusal as refusal:
            tell(form, refusal)
    return _page(request, 422, rates_form=form)


@require_http_methods(["GET", "POST"])
def found(request):
    """Found another firm under the same sign-in."""
    member = request.member
    must(member, "firm")
    first = {
        "who": member.person.name,
        "email": member.person.email,
        "zone": member.firm.zone,
        "country": member.firm.country,
    }
    form = FoundForm(request.POST, initial=first) if request.method == "POST" else FoundForm(initial=first)
    if request.method == "POST" and form.is_valid():
        try:
            made = services.found(form.data_typed, form.cleaned_data["who"], form.cleaned_data["email"], member)
        except NotAllowed:
            raise
        except Refusal as refusal:
            tell(form, refusal)
        else:
            if made.person_id != member.person_id:
                messages.info(
                    request,
                    say(
                        "{made} is founded, and {made_2} is its administrator.",
                        made=made.firm.name,
                        made_2=made.person.name,
                    ),
                )
                return redirect("firms")
            request.session["firm"] = made.firm_id
            messages.info(request, say("{made} is founded. What it needs stands here.", made=made.firm.name))
            return redirect("firm")
    return render(request, "founding/new.html", {"form": form}, status=422 if form.errors else 200)
