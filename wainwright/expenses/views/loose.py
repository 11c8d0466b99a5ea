"""Finance: whose charges lie loose and for how long, personal costs not paid back, and the firm's cards."""

from __future__ import annotations

from urllib.parse import quote

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.accounts.forms import offered
from wainwright.accounts.selectors import books
from wainwright.core.said import say, say_many
from wainwright.errors import NotAllowed, Refusal
from wainwright.expenses.loose import AGES, Loose, by_person, loose_charges, personal_open
from wainwright.expenses.services import cards, reminding
from wainwright.fields import whole
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.people.models import Card, Issuer, Membership


@require_GET
def loose_page(request):
    """Loose charges by person, card and age, and what is personal and not paid back."""
    must(request.member, "read_books")
    query = request.GET
    age = whole(query.get("age"))
    narrow = Loose(whole(query.get("person")), query.get("card", "")[:4], age if age in dict(AGES) else 0)
    rows = loose_charges(request.member, narrow)
    personal, more_personal = personal_open(request.member)
    context = {
        "page": page_of(rows, 50, query.get("page")), "people": by_person(request.member), "narrow": narrow, "ages": AGES,
        "personal": personal, "more_personal": more_personal,
        "more": f"person={narrow.person}&card={quote(narrow.card)}&age={narrow.age}&" if narrow != Loose() else "",
    }  # fmt: skip
    return render(request, "expenses/loose.html", context)


@require_POST
def remind(request):
    """Remind the owners of the ticked charges."""
    count = reminding.remind(request.member, [whole(pk) for pk in request.POST.getlist("charge")])
    messages.info(request, say_many("{count} person was reminded.", "{count} people were reminded.", count))
    return redirect("loose")


@require_GET
def cards_page(request):
    """The firm's cards: whose, from when to when, and which account stands behind each; where issuers are paid."""
    return _cards_page(request)


def _cards_page(request, status: int = 200, **typed):
    must(request.member, "read_books")
    rows = (
        Card.objects.filter(owner__firm_id=request.member.firm_id)
        .select_related("owner__person")
        .order_by("owner__person__name", "last_four")
    )
    context = {
        "page": page_of(rows, 50, request.GET.get("page")), "accounts": offered(books(request.member.firm), "account"),
        "usual": books(request.member.firm).accounts.card_clearing,
        "people": Membership.objects.filter(firm_id=request.member.firm_id, active=True).select_related("person").order_by("person__name"),
        "issuers": Issuer.objects.filter(firm_id=request.member.firm_id), "typed": {"issuer": "", "iban": ""}, "error": "",
    }  # fmt: skip
    return render(request, "expenses/cards.html", context | typed, status=status)


@require_POST
def set_issuer(request):
    """Say on which account an issuer of travellers' own cards is paid."""
    name, account = request.POST.get("issuer", "")[:80], request.POST.get("iban", "")[:60]
    try:
        cards.set_issuer(request.member, name, account)
    except NotAllowed:
        raise
    except Refusal as refusal:
        return _cards_page(request, 422, typed={"issuer": name, "iban": account}, error=refusal.message)
    messages.info(
        request,
        say("It is kept where {name} is paid.", name=name)
        if account.strip()
        else say("{name} is not paid any more.", name=name),
    )
    return redirect("/ledger/cards/#issuers")


@require_POST
def change_card(request, card_id: int):
    """Say since when a card is used, until when, and which account stands behind it."""
    card = cards.change_card(
        request.member, card_id, request.POST.get("since", ""), request.POST.get("closed", ""), request.POST.get("account", "")
    )  # fmt: skip
    messages.info(request, say("Card {last_four} is kept as you said.", last_four=card.last_four))
    return redirect("firm-cards")


@require_POST
def give_card(request):
    """Give a person a card of the firm."""
    posted = request.POST
    card = cards.give_card(
        request.member, whole(posted.get("holder")), posted.get("last_four", ""), posted.get("issuer", ""),
        posted.get("since", ""), posted.get("expires", ""),
    )  # fmt: skip
    messages.info(request, say("{owner} holds {card} now.", owner=card.owner.person.name, card=card))
    return redirect("firm-cards")
