"""Advances besides a pay run: paid by hand, and come back before any claim has taken them."""

from __future__ import annotations

from datetime import date

from django.db import transaction
from django.db.models import Q

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import PayRun, Posting
from wainwright.accounts.selectors import books, supplier_of
from wainwright.claims.models import AdvanceTaken, Claim
from wainwright.claims.paying import advance_text, advances_out, advances_to_pay, at_bank
from wainwright.claims.services.answers import answered_by_hand
from wainwright.claims.services.paying_out import said_by_hand
from wainwright.core.money import Money
from wainwright.core.posting import advance_back_journal
from wainwright.core.said import say
from wainwright.core.states import CLAIM_SENT
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.numbering import in_turn
from wainwright.trail.services import record
from wainwright.trips.models import Trip


def pay_advance_by_hand(
    member: Membership, trip_id: int, method: str, on: date, reference: str, note: str = ""
) -> PayRun:
    """Finance says that an advance, or what it was raised by, was paid without a file. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    words = said_by_hand(member, method, on, reference, note)
    with transaction.atomic():
        in_turn(member.firm_id)
        due = advances_to_pay(member, at_bank(member.firm_id)).select_for_update(of=("self",), no_key=True)
        trip = due.filter(pk=trip_id).first()
        if trip is None:
            raise Stale(say("It was paid, is with the bank, or was changed meanwhile. Look again."))
        if trip.traveller_id == member.pk:
            raise NotAllowed(say("The advance is your own: somebody else pays it."))
        payable = accounts.Payable(trip.advance_subject, trip.traveller, trip.advance_to_pay, advance_text(trip))
        run, rows = accounts.keep_by_hand(member, [payable], on, method, words)
        for row in rows:
            answered_by_hand(row.pk)
    return run


@transaction.atomic
def take_note_advance_back(member: Membership, trip_id: int, amount: Money, on: date, reference: str) -> Posting:
    """Finance takes note that an advance, or a part of it, came back before a claim took it: a journal, and less is out.

    Raises ``Refusal``, ``NotAllowed``, ``Stale``.
    """
    must(member, "pay")
    rows = advances_out(member).select_related("traveller__person", "traveller__firm", "firm").prefetch_related(None)
    trip = rows.select_for_update(of=("self",), no_key=True).filter(pk=trip_id).first()
    if trip is None or not trip.advance_out:
        raise Stale(say("Nothing of that advance is out any more."))
    if trip.traveller_id == member.pk:
        raise NotAllowed(say("Somebody else follows your own advance."))
    if claim := _held_by(trip):
        raise Refusal(
            say(
                "{claim_code} takes it into account: what of it is owed back stands on that claim.",
                claim_code=claim.code,
            )
        )
    if amount.minor <= 0 or amount > trip.advance_out:
        raise Refusal(
            say("Type what came back: up to the {advance_out} that is out.", advance_out=trip.advance_out), "amount"
        )
    if on > clock.today(member.firm.zone):
        raise Refusal(say("That day has not come yet."), "on")
    words = " ".join(reference.split())[:120]
    if len(words) < 3:
        raise Refusal(
            say("Say how it came in: the line of the bank's statement, the receipt of the till."), "reference"
        )
    ledger, text = (
        books(trip.firm).accounts,
        say("Advance back, {trip_code} {trip_title}", trip_code=trip.code, trip_title=trip.title),
    )
    journal = advance_back_journal(f"advance-back:{trip.pk}:{trip.advance_back_minor}", amount, ledger, text)
    journal = journal.naming(supplier_of(trip.traveller), (ledger.advances,))
    posting = accounts.prepare_posting(trip.firm, journal, f"advance:{trip.pk}", text, on)
    before = trip.advance_out
    trip.advance_back_minor += amount.minor
    # Nothing of it is out any more, so no claim has to take it.
    trip.advance_settled = not trip.advance_out
    trip.save(update_fields=["advance_back_minor", "advance_settled"])
    record(
        member, say("took note that an advance came back"), trip.subject, before={"out": str(before)},
        after={"out": str(trip.advance_out), "reference": words},
    )  # fmt: skip
    tell(
        trip.traveller,
        say(
            "{amount} {currency} of the advance for {trip_title} came in",
            amount=amount,
            currency=trip.currency,
            trip_title=trip.title,
        ),
        f"/trips/{trip.pk}/",
        words,
    )
    transaction.on_commit(lambda: accounts.send_posting(posting, member))
    return posting


def _held_by(trip: Trip) -> Claim | None:
    """The claim that takes a trip's advance into account: its own once that is sent, or one that it is set against."""
    own = Q(trip=trip) | Q(also=trip)
    sent = Claim.objects.live().filter(own, state__in=CLAIM_SENT, statement__advance_minor__gt=0).first()
    if sent is not None:
        return sent
    taken = AdvanceTaken.objects.filter(trip=trip).select_related("claim").first()
    return taken.claim if taken is not None else None
