"""Cards of the claimant's own on a claim: what was charged to each, and whether finance knows where its issuer is paid."""

from __future__ import annotations

from dataclasses import dataclass

from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.core.statement import Statement
from wainwright.people.models import Card, Issuer


@dataclass(frozen=True)
class OwnCard:
    """A card of one's own: what of the claim was ``charged`` to it, and whether its issuer's account is ``known``."""

    card: Card
    charged: Money
    known: bool


def own_cards(claim: Claim, done: Statement) -> list[OwnCard]:
    """Return the claimant's own cards that something on a claim was paid with. Two queries, none where nothing was."""
    if not any(line.card and line.paid_by == "self" for line in done.lines):
        return []
    known = {name.casefold() for name in Issuer.objects.filter(firm_id=claim.firm_id).values_list("name", flat=True)}
    cards = Card.objects.filter(owner_id=claim.claimant_id, firm_pays=False).order_by("pk")
    found = [OwnCard(card, done.charged_to(str(card)), card.issuer.casefold() in known) for card in cards]
    return [each for each in found if each.charged.minor > 0]
