"""Finance keeps the firm's cards: since when, until when, and the account behind each."""

from __future__ import annotations

from datetime import date, timedelta

from django.db import transaction
from stdnum import iban
from stdnum.exceptions import ValidationError as NotValid

from wainwright.accounts.selectors import books
from wainwright.core.said import as_figure, joined, say
from wainwright.errors import Refusal
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Card, Issuer, Membership
from wainwright.people.selectors import finance_of
from wainwright.trail.services import record

FOUR = 4


@transaction.atomic
def change_card(member: Membership, card_id: int, since: str, closed: str, account: str) -> Card:
    """Change a card of the firm. Days are ISO or empty, the account a ledger account or empty. Raises ``Refusal``."""
    must(member, "cards")
    card = Card.objects.select_for_update(of=("self",), no_key=True).get(pk=card_id, owner__firm_id=member.firm_id)
    before = [str(card.since), str(card.closed), card.account]
    card.since, card.closed = _day(since, "since"), _day(closed, "closed")
    if card.since and card.closed and card.closed < card.since:
        raise Refusal(say("The card is closed before it begins."), "closed")
    try:
        # The box offers accounts by code and name; either is taken.
        card.account = books(member.firm).picks("account").exact(account) if account.strip() else ""
    except ValueError as error:
        raise Refusal(say("The ledger does not know account {account}.", account=account[:20]), "account") from error
    card.save()
    record(
        member,
        say("changed a card"),
        f"member:{card.owner_id}",
        before=before,
        after=[str(card.since), str(card.closed), card.account],
    )
    return card


@transaction.atomic
def give_card(member: Membership, holder_id: int, last_four: str, issuer: str, since: str, expires: str) -> Card:
    """Finance gives a person a card of the firm. Whoever held it before holds it until the day before. Raises ``Refusal``."""
    must(member, "cards")
    holder = (
        Membership.objects.filter(firm_id=member.firm_id, pk=holder_id, active=True)
        .select_related("person", "firm")
        .first()
    )
    if holder is None:
        raise Refusal(say("Choose who holds the card."), "holder")
    first, last = _day(since, "since"), _day(expires, "expires")
    if not (
        last_four.isdecimal() and last_four.isascii() and len(last_four) == FOUR and issuer.strip() and first and last
    ):
        raise Refusal(
            say("A card has four digits, an issuer, a first day and a day until which it is good."), "last_four"
        )
    if last <= first:
        raise Refusal(say("The card runs out before it is used."), "expires")
    if Card.objects.filter(owner=holder, last_four=last_four).exists():
        raise Refusal(
            say(
                "{holder} has a card ending {last_four} on file already.",
                holder=holder.person.name,
                last_four=last_four,
            ),
            "last_four",
        )
    others = Card.objects.select_for_update(of=("self",), no_key=True).filter(
        owner__firm_id=member.firm_id,
        firm_pays=True,
        last_four=last_four,
        issuer__iexact=issuer.strip(),
        closed__isnull=True,
    )
    for other in others:
        other.closed = first - timedelta(days=1)
        other.save(update_fields=["closed"])
    card = Card.objects.create(
        owner=holder, last_four=last_four, issuer=issuer.strip()[:60], firm_pays=True, since=first, expires=last
    )
    after = {
        "card": last_four,
        "issuer": card.issuer,
        "since": str(first),
        "until": str(last),
        "taken from": [o.owner_id for o in others],
    }
    record(member, say("gave a card of the firm"), f"member:{holder.pk}", after=after)
    tell(
        holder,
        say(
            "You hold the firm's card {issuer} ending {last_four} from {first} on",
            issuer=card.issuer,
            last_four=last_four,
            first=as_figure(first, "%d.%m.%Y"),
        ),
        "/profile/",
    )
    return card


@transaction.atomic
def set_issuer(member: Membership, name: str, account: str) -> Issuer:
    """Finance says on which account the issuer of travellers' own cards is paid; no account takes it off. Raises ``Refusal``."""
    must(member, "cards")
    name = " ".join(name.split())[:60]
    if len(name) < 2:
        raise Refusal(say("Say which issuer, as it stands on the cards."), "issuer")
    known = (
        Issuer.objects.select_for_update(of=("self",), no_key=True)
        .filter(firm_id=member.firm_id, name__iexact=name)
        .first()
    )
    before = known.iban if known else ""
    if account.strip():
        try:
            number = iban.validate(account)
        except NotValid as error:
            raise Refusal(say("That is no bank account: check its digits."), "iban") from error
        known = known or Issuer(firm_id=member.firm_id, name=name)
        known.iban = number
        known.save()
    elif known is None:
        raise Refusal(say("Type the account on which it is paid."), "iban")
    else:
        number = ""
        known.delete()
    record(
        member, say("said where an issuer is paid"), f"firm:{member.firm_id}", before=before[-4:],
        after={"issuer": name, "account": number[-4:]},
    )  # fmt: skip
    for other in finance_of(member.firm_id):
        if other.pk != member.pk:
            words = (
                say("is paid on an account ending {number} now", number=number[-4:])
                if number
                else say("is not paid any more")
            )
            tell(other, joined("", (member.person.name, ": ", name, " ", words)), "/ledger/cards/")
    return known


def _day(text: str, field: str) -> date | None:
    try:
        return date.fromisoformat(text) if text.strip() else None
    except ValueError as error:
        raise Refusal(say("That is no date."), field) from error
