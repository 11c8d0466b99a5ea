"""One's own profile."""

from __future__ import annotations

from django.contrib import messages
from django.shortcuts import redirect, render
from django.utils import translation
from django.views.decorators.http import require_GET, require_POST

from wainwright.accounts.kept import drop_split, kept_for
from wainwright.accounts.splits import parts_from
from wainwright.core.roles import ROLES, opened_by
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.fields import tell, whole
from wainwright.formats.places import as_typed, place
from wainwright.language import LANGUAGES, code_of
from wainwright.news.daily import choose
from wainwright.people.proof import must_be_who
from wainwright.people.second_factor import has_authenticator
from wainwright.people.selectors import administrators_of
from wainwright.profile import services
from wainwright.profile.forms import CardForm, ProfileForm, VehicleForm
from wainwright.trips.views.road import subscription_link

_KEPT = {
    "profile": say("Your profile is kept. Trips that are planned already keep their copy."),
    "card": say("The card is on file."),
    "vehicle": say("The vehicle is there."),
}


def _words(code: str) -> str:
    found = place(code) if code else None
    return as_typed(found) if found else code


def profile(request):
    """Contact, itineraries, cards, account, places, vehicles, calendar address."""
    member = request.member
    initial = {
        "phone": member.phone, "itinerary_email": member.itinerary_email, "home": _words(member.home_code),
        "work": _words(member.work_code), "iban": member.iban, "mail_name": member.mail_name,
    }  # fmt: skip
    act = request.POST.get("act", "")
    forms = {
        "profile": ProfileForm(request.POST if act == "profile" else None, initial=initial),
        "card": CardForm(request.POST if act == "card" else None),
        "vehicle": VehicleForm(request.POST if act == "vehicle" else None, firm=member.firm),
    }
    if request.method == "POST" and act == "put-back":
        services.put_account_back(member)
        messages.info(request, say("The account is the one that it was before."))
        return redirect("profile")
    if request.method == "POST" and act == "close-card":
        services.close_card(member, whole(request.POST.get("card")))
        return redirect("profile")
    if request.method == "POST" and act == "remove-vehicle":
        services.remove_vehicle(member, whole(request.POST.get("vehicle")))
        return redirect("profile")
    if request.method == "POST" and act == "mail":
        choose(member, request.POST.get("how") == "daily")
        messages.info(
            request,
            say("News comes by mail once a day.")
            if request.POST.get("how") == "daily"
            else say("News comes by mail at once."),
        )
        return redirect("profile")
    if request.method == "POST" and act == "language":
        services.choose_language(member, request.POST.get("language", ""))
        translation.activate(code_of(member.person.language, member.firm.language))
        messages.info(request, say("Pages and mails are in this language from now on."))
        return redirect("profile")
    if request.method == "POST" and act == "drop-split":
        drop_split(member, whole(request.POST.get("split")))
        messages.info(request, say("The split is not kept any more. What was split by it stays as it is."))
        return redirect("profile")
    if request.method == "POST" and act in forms and forms[act].is_valid():
        try:
            _keep(member, act, forms[act].cleaned_data)
            messages.info(request, _KEPT[act])
            return redirect("profile")
        except Refusal as refusal:
            tell(forms[act], refusal)
    context = {
        **{f"{name}_form": form for name, form in forms.items()}, "cards": list(member.cards.order_by("-firm_pays", "id")),
        "vehicles": list(member.vehicles.order_by("id")), "manager": member.manager, "link": subscription_link(member),
        "kept": [(each, parts_from(each.parts, member.firm.currency), each.owner_id is None) for each in kept_for(member)],
        "does": [(role, ROLES[role], opened_by(role)) for role in member.roles], "ask": administrators_of(member),
        "has_code": has_authenticator(request.user), "waits_until": member.account_from, "languages": LANGUAGES,
        "firm_language": dict(LANGUAGES).get(member.firm.language, ""),
    }  # fmt: skip
    return render(request, "profile/profile.html", context, status=422 if request.method == "POST" else 200)


def _keep(member, act: str, d: dict) -> None:
    if act == "profile":
        if d["iban"] != member.iban:
            must_be_who(member.person, d["password"])
        services.change_profile(
            member, phone=d["phone"], itinerary_email=d["itinerary_email"], home_code=d["home"], work_code=d["work"], iban=d["iban"],
            mail_name=d["mail_name"],
        )  # fmt: skip
    elif act == "card":
        must_be_who(member.person, d["password"])
        services.add_card(member, d["last_four"], d["issuer"], d["expires"])
    else:
        services.add_vehicle(member, d["plate"], d["kind"])


@require_GET
def sessions_page(request):
    """Where one is signed in, and since when."""
    rows = services.sessions_of(request.user)
    return render(request, "profile/sessions.html", {"sessions": rows, "here": request.session.session_key})


@require_POST
def end_sessions(request):
    """End one of them, or all but this one."""
    count = services.end_sessions(request.member, request.session.session_key, whole(request.POST.get("session")))
    messages.info(
        request,
        say("{count} ended. Whoever used it has to sign in again.", count=count)
        if count
        else say("It had ended already."),
    )
    return redirect("sessions")
