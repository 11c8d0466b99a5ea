"""Sending a part of what is owed to the issuer of the claimant's own card."""

from __future__ import annotations

from decimal import Decimal

from django.db import transaction

from wainwright.claims.models import Claim
from wainwright.claims.own_cards import own_cards
from wainwright.claims.selectors import load_file
from wainwright.claims.services.compose import changed, mine
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.people.models import Membership


@transaction.atomic
def send_to_issuer(member: Membership, claim_id: int, card_id: int, amount: Decimal) -> Claim:
    """Say how much of what an open claim comes to goes to the issuer of one's own card; nothing takes it off.

    No more than the claim has of that card's charges, nor than is owed. Raises ``Refusal``, ``Stale``.
    """
    claim = mine(member, claim_id)
    before = {"card": claim.issuer_card_id, "amount": claim.to_issuer_minor}
    part = Money.rounded(amount, claim.currency)
    if part.minor:
        file = load_file(member, claim)
        found = next((each for each in own_cards(claim, file.figures) if each.card.pk == card_id), None)
        if found is None:
            raise Refusal(say("Choose a card of your own that something on this claim was paid with."), "amount")
        if not found.known:
            raise Refusal(
                say("Finance does not know yet where {issuer} is paid: ask them to add it.", issuer=found.card.issuer),
                "amount",
            )
        most = min(found.charged, max(file.figures.settlement.due, Money.zero(claim.currency)))
        if part.minor < 0 or part > most:
            raise Refusal(
                say("Between nothing and {most} can go there: {charged} was charged to {card}, {due} is due.", most=most, charged=found.charged, card=found.card, due=file.figures.settlement.due), "amount",
            )  # fmt: skip
        claim.issuer_card = found.card
    else:
        claim.issuer_card = None
    claim.to_issuer_minor = part.minor
    changed(
        member, claim, say("said what goes to the card's issuer"), before,
        {"card": claim.issuer_card_id, "amount": claim.to_issuer_minor},
    )  # fmt: skip
    return claim
