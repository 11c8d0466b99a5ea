"""Finance keeps the firm's cards: since when, until when, and the account behind each."""

from __future__ import annotations

from datetime import date

from django.db import transaction

from wainwright.accounts.selectors import books
from wainwright.errors import NotAllowed, Refusal
from wainwright.people.models import Card, Membership
from wainwright.trail.services import record


@transaction.atomic
def change_card(member: Membership, card_id: int, since: str, closed: str, account: str) -> Card:
    """Change a card of the firm. Days are ISO or empty, the account a ledger account or empty. Raises ``Refusal``."""
    if not member.finance:
        raise NotAllowed("Only finance keeps the firm's cards.")
    card = Card.objects.select_for_update(of=("self",)).get(pk=card_id, owner__firm_id=member.firm_id)
    before = [str(card.since), str(card.closed), card.account]
    card.since, card.closed = _day(since, "since"), _day(closed, "closed")
    if card.since and card.closed and card.closed < card.since:
        raise Refusal("The card is closed before it begins.", "closed")
    try:
        # The box offers accounts by code and name; either is taken.
        card.account = books(member.firm).picks("account").exact(account) if account.strip() else ""
    except ValueError as error:
        raise Refusal(f"The ledger does not know account {account[:20]}.", "account") from error
    card.save()
    record(
        member,
        "changed a card",
        f"member:{card.owner_id}",
        before=before,
        after=[str(card.since), str(card.closed), card.account],
    )
    return card


def _day(text: str, field: str) -> date | None:
    try:
        return date.fromisoformat(text) if text.strip() else None
    except ValueError as error:
        raise Refusal("That is no date.", field) from error
