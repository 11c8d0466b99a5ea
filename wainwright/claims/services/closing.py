"""How a claim ends without being paid out: turned down, withdrawn, below zero; and a trip of which nothing is claimed."""

from __future__ import annotations

from datetime import date

from django.db import transaction
from django.db.models import Sum

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Posting
from wainwright.accounts.selectors import books, supplier_of
from wainwright.accounts.services import give_back
from wainwright.claims.beside import beside, owes
from wainwright.claims.models import PAYS_BACK, Claim, TakenOff
from wainwright.claims.services.compose import mine
from wainwright.core.money import Money
from wainwright.core.posting import paid_back_journal
from wainwright.core.said import say
from wainwright.core.settlement import take_off
from wainwright.core.states import CLAIM, TRIP
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.services.editing import follow_meals
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.trail.services import record
from wainwright.trips.models import Trip


def link(claim: Claim) -> str:
    """The claim's address."""
    return f"/claims/{claim.pk}/"


def give_back_expenses(claim: Claim, why: str = "", turned_down: bool = False) -> int:
    """Put a claim's expenses back into their owner's tray; where it was turned down each keeps that, and why.

    Inside the caller's transaction. Returns how many.
    """
    values = {"turned_down_in": claim, "turned_down_why": why[:300]} if turned_down else {}
    count = claim.expenses.update(claim=None, **values)
    follow_meals(claim.pk)
    return count


@transaction.atomic
def withdraw(member: Membership, claim_id: int, version: int) -> Claim:
    """Give an open claim up: what is on it goes back to the tray, its number is kept. Raises ``Stale``."""
    claim = mine(member, claim_id, version)
    before = claim.state
    claim.state = CLAIM.after(claim.state, "withdraw")
    claim.version += 1
    claim.save()
    count = give_back_expenses(claim)
    claim.advances_taken.all().delete()
    record(
        member, say("withdrew the claim"), claim.subject, before={"state": before},
        after={"state": claim.state, "expenses back in the tray": count},
    )  # fmt: skip
    return claim


@transaction.atomic
def nothing_to_claim(member: Membership, trip_id: int) -> Trip:
    """Close a trip that is back and of which nothing is claimed; what it had committed is free again.

    Raises ``Refusal`` where something of it is claimed or an advance was paid, ``Stale`` where it is not back.
    """
    trip = Trip.objects.select_for_update(of=("self",), no_key=True).visible_to(member).get(pk=trip_id)
    if trip.traveller_id != member.pk:
        raise NotAllowed(say("Only the traveller closes this trip."))
    if not TRIP.can(trip.state, "close"):
        raise Stale(say("The trip stands at {state}: it is closed once it is back.", state=trip.state))
    for claim in Claim.objects.live().of_trip(trip.pk):
        if not claim.editable or claim.expenses.exists():
            raise Refusal(
                say(
                    "{claim_code} is there, {state}. Withdraw it first, or send it.",
                    claim_code=claim.code,
                    state=claim.state,
                )
            )
        withdraw(member, claim.pk, claim.version)
    if trip.advance_out:
        raise Refusal(
            say(
                "The advance of {advance_out} was paid. Make the claim: it says what of it goes back.",
                advance_out=trip.advance_out,
            )
        )
    before = trip.state
    trip.state = TRIP.after(trip.state, "close")
    trip.version += 1
    trip.save(update_fields=["state", "version"])
    give_back(trip.subject)
    record(
        member,
        say("closed the trip without a claim"),
        trip.subject,
        before={"state": before},
        after={"state": trip.state},
    )
    return trip


@transaction.atomic
def choose_pays_back(member: Membership, claim_id: int, how: str) -> Claim:
    """Say how a claim below zero is paid back, until finance has taken note of it. Raises ``Refusal``, ``Stale``."""
    claim = mine(member, claim_id, editable=False)
    if how not in dict(PAYS_BACK):
        raise Refusal(say("Choose how it is paid back."), "how")
    if claim.state in (*Claim.OVER, "Settled"):
        raise Stale(say("The claim stands at {state}: nothing is paid back on it.", state=claim.state))
    before, claim.pays_back = claim.pays_back, how
    claim.save(update_fields=["pays_back"])
    record(member, say("said how it is paid back"), claim.subject, before={"how": before}, after={"how": how})
    return claim


def take_earlier_off(claim: Claim, earlier: Money) -> None:
    """Keep which earlier claims one that is sent pays, ``earlier`` in all. Inside the caller's transaction."""
    claim.taken_off.all().delete()
    if not earlier:
        return
    owed = beside(claim).owed
    for each, part in zip(owed, take_off(earlier, [one.left for one in owed]), strict=True):
        if part:
            TakenOff.objects.create(claim=claim, owed=each.claim, amount_minor=part.minor)


def owed_claim(member: Membership, claim_id: int) -> tuple[Claim, Money]:
    """Lock and return a claim on which something is owed back, and what is left of it, for finance's act. Raises ``NotAllowed``, ``Stale``."""
    must(member, "pay")
    rows = Claim.objects.select_for_update(of=("self",), no_key=True).select_related(
        "firm", "claimant__person", "claimant__firm", "trip", "statement"
    )
    claim = rows.get(pk=claim_id, firm_id=member.firm_id)
    if claim.claimant_id == member.pk:
        raise NotAllowed(say("Somebody else follows what you owe back."))
    left = next((each.left for each in owes(Claim.objects.filter(pk=claim.pk))), None)
    if left is None:
        raise Stale(say("Nothing is owed back on it any more."))
    return claim, left


@transaction.atomic
def take_note_paid_back(member: Membership, claim_id: int, on: date, reference: str) -> Posting:
    """Finance takes note that what a claim was owed back came in: a journal, and the claim is settled.

    Raises ``Refusal``, ``NotAllowed``, ``Stale``.
    """
    claim, left = owed_claim(member, claim_id)
    if on > clock.today(member.firm.zone):
        raise Refusal(say("That day has not come yet."), "on")
    if len(reference.strip()) < 3:
        raise Refusal(
            say("Say how it came in: the line of the bank's statement, the receipt of the till."), "reference"
        )
    text = say("Paid back, {claim_code} {claim_title}", claim_code=claim.code, claim_title=claim.title)
    ledger = books(claim.firm).accounts
    journal = paid_back_journal(f"paid-back:{claim.firm_id}:{claim.number}", left, ledger, text)
    journal = journal.naming(supplier_of(claim.claimant), ledger.of_staff)
    posting = accounts.prepare_posting(claim.firm, journal, claim.subject, text, on)
    record(
        member,
        say("took note that it was paid back"),
        claim.subject,
        after={"amount": str(left), "reference": reference.strip()[:120]},
    )
    settled(claim)
    tell(
        claim.claimant,
        say("{left} {currency} came in for {claim_title}", left=left, currency=claim.currency, claim_title=claim.title),
        link(claim),
        reference.strip()[:120],
    )
    transaction.on_commit(lambda: accounts.send_posting(posting, member))
    return posting


def settle_what_it_paid(claim: Claim) -> None:
    """Settle the earlier claims that a posted one has paid in full. Inside the caller's transaction."""
    for row in claim.taken_off.select_related("owed__firm", "owed__trip", "owed__statement"):
        held = (
            row.owed.recovered.filter(claim__state__in=["Posted", "Settled"]).aggregate(s=Sum("amount_minor"))["s"] or 0
        )
        if row.owed.state == "Posted" and held >= -row.owed.statement.due_minor:
            settled(row.owed)


def settled(claim: Claim) -> None:
    """Nothing is owed any more: the claim is settled and its trip closed. Inside the caller's transaction."""
    before = claim.state
    claim.state = CLAIM.after(claim.state, "settle")
    claim.version += 1
    claim.save()
    record(
        None,
        say("claim settled"),
        claim.subject,
        firm_id=claim.firm_id,
        before={"state": before},
        after={"state": claim.state},
    )
    for trip in claim.trips:
        if TRIP.can(trip.state, "close"):
            trip.state = TRIP.after(trip.state, "close")
            trip.save(update_fields=["state"])
            record(None, say("trip closed"), trip.subject, firm_id=claim.firm_id)
