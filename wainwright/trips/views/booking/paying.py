"""Who pays for what is held: one of the firm's cards on the profile, or the firm by an invoice."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from wainwright.core.said import joined, say
from wainwright.people.models import Membership
from wainwright.trips.models import Trip

BILLED = "central"


def payers(trip: Trip, member: Membership) -> dict[str, Any]:
    """What a form offers: the cards that the firm pays, and that it is billed; the trip's card is chosen. One query."""
    cards = [
        (card.last_four, joined("", (card.issuer, " ", card.last_four)))
        for card in member.cards.all()
        if card.firm_pays
    ]
    return {"payers": [*cards, (BILLED, say("billed to the firm"))], "payer": trip.profile.get("card", "")}


def chosen_payer(request: HttpRequest) -> dict[str, str]:
    """What was chosen, as a wish has it; nothing where the form did not ask. The service looks whether it may be."""
    said = request.POST.get("pays", "")[:10]
    if said == BILLED:
        return {"paid_by": BILLED}
    return {"card": said} if said else {}
