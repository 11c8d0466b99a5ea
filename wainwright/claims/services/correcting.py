"""Acts that change a claim after it was sent: each writes the next version of its statement."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Posting
from wainwright.accounts.selectors import books
from wainwright.claims.models import Claim
from wainwright.claims.services.road import finance_claim, link
from wainwright.claims.services.statements import amend, must_not_be_on_its_way
from wainwright.claims.statements import read
from wainwright.core.coding import Coding, check_coding
from wainwright.core.money import Money
from wainwright.core.posting import set_off_journal
from wainwright.core.states import CLAIM_SENT
from wainwright.errors import Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.trips.models import Trip


@transaction.atomic
def recode(member: Membership, claim_id: int, version: int, dimension: str, old: str, coding: Coding) -> int:
    """Finance puts another coding in place of every one that names ``old``; return how many places changed.

    The claimant is told; the statement's next version and the trail keep before and after. The costs themselves follow,
    so that the correction stands when the claim comes back and is sent again. Raises ``Refusal`` for a coding that does
    not hold.
    """
    claim = finance_claim(member, claim_id, version)
    if claim.state not in ("In finance check", "Posting refused", "Cleared"):
        raise Stale(f"The claim stands at {claim.state}: its coding cannot be corrected now.")
    faults = check_coding(coding, books(claim.firm).codes, clock.today(claim.firm.zone))
    if faults:
        raise Refusal(faults[0].text, faults[0].dimension)
    was = read(claim.statement, claim.currency)

    def holds(each: Coding) -> bool:
        return each.get(dimension) == old

    places = sum(holds(each.coding) and not each.personal for line in was.lines for each in line.coded)
    if not places:
        raise Refusal(f"Nothing on the claim is coded to {old}.", "old")
    _follow(claim, holds, coding)
    after = {"instead of": old, "coding": str(coding), "places": places}
    amend(claim, member, "corrected the coding", was.recoded(holds, coding), after)
    tell(claim.claimant, f"Finance corrected the coding of {claim.title} from {old} to {coding}", link(claim))
    return places


def _follow(claim: Claim, holds: Callable[[Coding], bool], coding: Coding) -> None:
    """Give the costs the coding that their lines have now."""
    default = claim.coding
    for expense in claim.expenses.prefetch_related("parts", "shares"):
        pieces = [(share, share.coding.filled_from(default)) for share in expense.shares.all()]
        pieces += [(part, part.coding) for part in expense.parts.all() if part.coding]
        if expense.coding:
            pieces.append((expense, expense.coding))
        for place, its in pieces:
            if holds(its):
                place.take_coding(coding)
                place.save()
    if holds(default):
        claim.take_coding(coding)


def set_off_advance(trip: Trip, amount: Money) -> Posting | None:
    """An advance was paid: set what was paid against the trip's claim where that is under way. Inside the caller's transaction.

    A claim that is still open finds it when it is sent. One that is settled was paid without it, so the advance stays
    outstanding. One that was posted has a journal of its own for it, which is returned to be sent.
    """
    claim = (
        Claim.objects.select_for_update(of=("self",))
        .filter(trip=trip, state__in=CLAIM_SENT, statement__isnull=False)
        .exclude(state="Settled")
        .select_related("firm", "claimant__person", "claimant__firm", "statement")
        .first()
    )
    if claim is None:
        return None
    done = read(claim.statement, claim.currency).with_advance(amount)
    row = amend(claim, None, "the advance was paid and set against it", done)
    words = f"Due to you is now {done.settlement.due} {claim.currency} (statement {row.number})."
    tell(claim.claimant, f"The advance of {amount} is set against {claim.title}", link(claim), words)
    if claim.state != "Posted":
        return None
    key = f"set-off:{claim.firm_id}:{claim.number}:{claim.entry}"
    text = f"Advance set against {claim.code}"
    journal = set_off_journal(key, amount, books(claim.firm).accounts, text)
    trip.advance_settled = True
    trip.save(update_fields=["advance_settled"])
    return accounts.prepare_posting(claim.firm, journal, claim.subject, text, clock.today(claim.firm.zone))


def may_set_off(trip: Trip) -> bool:
    """Say whether the trip's claim can take an advance into account now: not while its journal is on the way."""
    claim = Claim.objects.filter(trip=trip).first()
    try:
        if claim is not None:
            must_not_be_on_its_way(claim)
    except Stale:
        return False
    return True
