"""The list of people, a person's place, and preparing for somebody."""

from __future__ import annotations

from urllib.parse import quote

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright import clock
from wainwright.core.roles import ROLES
from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import FEW, few, tell, whole
from wainwright.paging import page_of
from wainwright.people.acting import may_prepare_for
from wainwright.people.may import must
from wainwright.people.second_factor import has_second_factor
from wainwright.staff import inviting, leaving, services, theirs
from wainwright.staff.forms import BackForm, DaysForm, InviteForm, LeaveForm, PlaceForm, SightForm
from wainwright.staff.models import LimitChange
from wainwright.staff.seeing import sight, table
from wainwright.staff.selectors import names, people_of, person_for, place_page


@require_GET
def people(request):
    """The firm's people: who leads whom, who signs how far, who is away."""
    text = request.GET.get("q", "")[:80]
    page = page_of(people_of(request.member, text), 50, request.GET.get("page"))
    more = f"q={quote(text)}&" if text else ""
    return render(request, "staff/people.html", {"page": page, "text": text, "more": more})


@require_GET
def roles(request):
    """What each role may do; and, asked of two people, who sees what is whose. The table is for everybody."""
    member = request.member
    found = names(member, everybody=True)
    asked = request.GET if member.may["read_people"] and request.GET else None
    form = SightForm(asked, names=found) if member.may["read_people"] else None
    answer = None
    if form is not None and form.is_valid():
        reader, whose = (person_for(member, int(form.cleaned_data[name])) for name in ("reader", "whose"))
        answer = sight(reader, whose)
    context = {"roles": list(ROLES.items()), "table": table(), "form": form, "sight": answer}
    return render(request, "staff/roles.html", context, status=422 if form is not None and form.errors else 200)


@require_GET
def offered(request):
    """Names that fit what is being typed."""
    text = next(iter(request.GET.values()), "")[:120]
    found = names(request.member)
    return render(request, "accounts/_codes.html", {"found": [found.words(key) for key in found.find(text, FEW)]})


@require_GET
def person(request, member_id: int):
    """A person's place."""
    return _person(request, member_id)


def _person(request, member_id: int, status: int = 200, **forms):
    member = request.member
    who = person_for(member, member_id)
    own = who.pk == member.pk
    today = clock.today(member.firm.zone)
    days = {"since": today, "until": today}
    context = {
        "who": who, "own": own, "page": place_page(member, who), "limits_coming": LimitChange.objects.filter(member=who, done=None).select_related("firm"),
        "waits": member.may["people"] and not who.active and theirs.waits_for_heirs(who),
        "has_factor": member.may["people"] and not own and has_second_factor(who.person),
        "place_form": PlaceForm(names=names(member), who=who) if member.may["people"] else None,
        "back_form": BackForm(names=names(member), prefix="back") if member.may["people"] and not who.active else None,
        "cover_form": DaysForm(names=names(member, deciders=True), prefix="cover", initial=days)
        if own or member.may["people"] else None,
        "delegate_form": DaysForm(names=names(member), prefix="delegate", initial=days) if own else None,
    }  # fmt: skip
    return render(request, "staff/person.html", context | forms, status=status)


@require_POST
def set_place(request, member_id: int):
    """Set manager, limit and roles."""
    who = person_for(request.member, member_id)
    form = PlaceForm(request.POST, names=names(request.member), who=who)
    if not form.is_valid():
        return _person(request, member_id, 422, place_form=form)
    try:
        services.set_place(request.member, member_id, form.wanted)
    except Refusal as refusal:
        tell(form, refusal)
        return _person(request, member_id, 422, place_form=form)
    messages.info(request, say("{who}'s place is set.", who=who.person.name))
    return redirect("person", member_id)


@require_http_methods(["GET", "POST"])
def invite(request):
    """Invite somebody."""
    member = request.member
    must(member, "people")
    form = InviteForm(
        request.POST if request.method == "POST" else None, names=names(member), currency=member.firm.currency
    )
    if request.method == "POST" and form.is_valid():
        try:
            made = inviting.invite(member, form.wanted)
        except NotAllowed:
            raise
        except Refusal as refusal:
            tell(form, refusal)
        else:
            messages.info(
                request,
                say(
                    "{made} is invited: a mail is on its way to {email}.",
                    made=made.person.name,
                    email=made.person.email,
                ),
            )
            return redirect("person", made.pk)
    return render(request, "staff/invite.html", {"form": form}, status=422 if form.errors else 200)


@require_POST
def invite_again(request, member_id: int):
    """Send the link again."""
    who = inviting.invite_again(request.member, person_for(request.member, member_id).pk)
    messages.info(request, say("Another mail is on its way to {email}.", email=who.person.email))
    return redirect("person", member_id)


@require_POST
def factor_off(request, member_id: int):
    """Take off the second factor of somebody who has lost it."""
    who = services.take_factor_off(request.member, person_for(request.member, member_id).pk)
    messages.info(
        request,
        say("{who} signs in by password, and is asked to set up a new one where it is needed.", who=who.person.name),
    )
    return redirect("person", member_id)


@require_http_methods(["GET", "POST"])
def leave(request, member_id: int):
    """What is somebody's, and to whom it goes as they leave."""
    who = person_for(request.member, member_id)
    must(request.member, "people")
    if not who.active and not theirs.waits_for_heirs(who):
        return redirect("person", member_id)
    found = theirs.theirs(who, request.member)
    there = {each.key for each in found}
    form = LeaveForm(request.POST if request.method == "POST" else None, names=names(request.member), there=there)
    if request.method == "POST" and form.is_valid():
        try:
            who, left = leaving.retire(request.member, member_id, form.heirs, form.cleaned_data["why"])
        except (NotAllowed, Stale):
            raise
        except Refusal as refusal:
            tell(form, refusal)
        else:
            messages.info(request, say("{who} has no access, and what was theirs is handed over.", who=who.person.name))
            for words in few(left):
                messages.error(request, words)
            return redirect("person", member_id)
    context = {"who": who, "theirs": found, "form": form, "own": who.pk == request.member.pk}
    return render(request, "staff/leave.html", context, status=422 if form.errors else 200)


@require_POST
def bring_back(request, member_id: int):
    """Bring somebody back."""
    who = person_for(request.member, member_id)
    form = BackForm(request.POST, names=names(request.member), prefix="back")
    if form.is_valid():
        try:
            leaving.bring_back(request.member, member_id, int(form.cleaned_data["manager"] or 0))
        except (NotAllowed, Stale):
            raise
        except Refusal as refusal:
            tell(form, refusal)
        else:
            messages.info(request, say("{who} is back, with the roles of before.", who=who.person.name))
            return redirect("person", member_id)
    return _person(request, member_id, 422, back_form=form)


@require_POST
def set_cover(request, member_id: int):
    """Name who decides while somebody is away."""
    who = person_for(request.member, member_id)
    form = DaysForm(request.POST, names=names(request.member, deciders=True), prefix="cover")
    if not form.is_valid():
        return _person(request, member_id, 422, cover_form=form)
    d = form.cleaned_data
    try:
        made = services.set_cover(request.member, member_id, int(d["by"]), d["since"], d["until"], d["below"])
    except Refusal as refusal:
        tell(form, refusal)
        return _person(request, member_id, 422, cover_form=form)
    messages.info(request, say("{by} decides for {who} then.", by=made.by.person.name, who=who.person.name))
    return redirect("person", member_id)


@require_POST
def end_cover(request, member_id: int, cover_id: int):
    """End a cover."""
    services.end_cover(request.member, cover_id)
    return redirect("person", member_id)


@require_POST
def set_delegate(request, member_id: int):
    """Name who may prepare for oneself."""
    form = DaysForm(request.POST, names=names(request.member), prefix="delegate")
    if not form.is_valid():
        return _person(request, request.member.pk, 422, delegate_form=form)
    d = form.cleaned_data
    try:
        made = services.set_delegate(request.member, int(d["by"]), d["since"], d["until"])
    except Refusal as refusal:
        tell(form, refusal)
        return _person(request, request.member.pk, 422, delegate_form=form)
    messages.info(request, say("{by} may prepare for you then; you certify.", by=made.by.person.name))
    return redirect("person", request.member.pk)


@require_POST
def end_delegate(request, member_id: int, delegate_id: int):
    """End that somebody prepares."""
    services.end_delegate(request.member, delegate_id)
    return redirect("person", request.member.pk)


@require_POST
def stop_preparing(request):
    """Work for oneself again."""
    request.session.pop("for", None)
    return redirect("desk")


@require_POST
def begin(request):
    """Begin to prepare for somebody: from now on their trips, papers, costs and claims are open."""
    today = clock.today(request.member.firm.zone)
    row = may_prepare_for(request.member, today).filter(member=whole(request.POST.get("who"))).first()
    if row is None:
        raise Refusal(say("They have not named you to prepare for them, or the days are over."))
    request.session["for"] = row.member_id
    return redirect("desk")
