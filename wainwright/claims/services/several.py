"""A claim over several trips, and advances of other trips set against it."""

from __future__ import annotations

from datetime import date

from django.db import transaction

from wainwright.claims.models import AdvanceTaken, Claim
from wainwright.claims.paying import free_advances
from wainwright.claims.services.closing import link, withdraw
from wainwright.claims.services.compose import changed, mine, must_be_claimant, spans_of
from wainwright.claims.services.drafting import fill_of
from wainwright.claims.services.statements import amend
from wainwright.claims.statements import read
from wainwright.core.belonging import may_belong_to
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services.editing import follow_meals
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.trips.models import Trip

MOST_TRIPS = 12
# Until it is decided; afterwards the claim is what finance cleared.
UNDECIDED = ("In sign-off", "In finance check")


@transaction.atomic
def add_trip(member: Membership, claim_id: int, trip_id: int) -> Claim:
    """Claim a further trip of one's own on an open claim: its allowance, its costs, its advance.

    A draft of that trip is given up, and what is on it comes here. Raises ``Refusal``, ``Stale``.
    """
    claim = mine(member, claim_id)
    trip = (
        Trip.objects.select_for_update(of=("self",), no_key=True)
        .visible_to(member)
        .select_related("firm")
        .get(pk=trip_id)
    )
    if trip.traveller_id != member.pk:
        raise NotAllowed(say("Only your own trips are claimed here."))
    if trip.pk in {each.pk for each in claim.trips}:
        raise Refusal(say("{trip_code} is claimed here already.", trip_code=trip.code))
    if claim.supplements_id is not None:
        raise Refusal(say("A supplement adds to one trip alone."))
    if trip.is_move or any(each.is_move for each in claim.trips):
        raise Refusal(say("Each party of a move has a claim of its own."))
    if len(claim.trips) >= MOST_TRIPS:
        raise Refusal(say("A claim has at most {most_trips} trips.", most_trips=MOST_TRIPS))
    if trip.state not in ("Authorised", "Under way", "Back") and not (trip.state == "Called off" and trip.authorised):
        raise Refusal(
            say(
                "{trip_code} stands at {state}: it is claimed once it is authorised.",
                trip_code=trip.code,
                state=trip.state,
            )
        )
    for other in Claim.objects.live().of_trip(trip.pk).exclude(pk=claim.pk):
        if not other.editable or other.also.exists() or other.trip_id != trip.pk:
            raise Refusal(
                say(
                    "{trip_code} stands on {other_code} already, {state}. What comes later is a supplement.",
                    trip_code=trip.code,
                    other_code=other.code,
                    state=other.state,
                )
            )
        Expense.objects.filter(claim=other).update(claim=claim)
        withdraw(member, other.pk, other.version)
    if claim.trip is None:
        claim.trip = trip
    else:
        claim.also.add(trip)
        _take(claim, trip)
    claim.__dict__.pop("trips", None)
    loose = Expense.objects.filter(owner=member, claim__isnull=True, turned_down_in__isnull=True)
    spans = spans_of(member, trip.pk)
    own = [pk for pk, day in loose.values_list("pk", "date") if str(trip.pk) in may_belong_to(day, spans)]
    loose.filter(pk__in=own).update(claim=claim)
    changed(member, claim, say("added a trip"), None, {"trip": trip.code, "expenses": own})
    follow_meals(claim.pk)
    fill_of(member, claim, trip, first=True)
    return claim


@transaction.atomic
def take_trip_off(member: Membership, claim_id: int, trip_id: int) -> Claim:
    """Claim a further trip elsewhere: its advance is free again, its costs go back to the tray. Raises ``Stale``."""
    claim = mine(member, claim_id)
    trip = claim.also.filter(pk=trip_id).first()
    if trip is None:
        raise Stale(say("That trip is not claimed here any more."))
    claim.also.remove(trip)
    claim.__dict__.pop("trips", None)
    claim.advances_taken.filter(trip=trip).delete()
    gone = [e.pk for e in claim.expenses.select_related("booking") if _of(e, trip, claim)]
    Expense.objects.filter(pk__in=gone).update(claim=None)
    changed(member, claim, say("took a trip off"), {"trip": trip.code, "expenses": gone}, None)
    follow_meals(claim.pk)
    return claim


def _of(expense: Expense, trip: Trip, claim: Claim) -> bool:
    """Whether a cost is of a trip and of none of those that stay."""
    if expense.booking is not None:
        return expense.booking.trip_id == trip.pk
    return _on(trip, expense.date) and not any(_on(each, expense.date) for each in claim.trips)


def _on(trip: Trip, day: date) -> bool:
    return bool(trip.starts and trip.ends and trip.starts <= day <= trip.ends)


@transaction.atomic
def set_advance(member: Membership, claim_id: int, trip_id: int) -> Claim:
    """Set the paid advance of a trip that no claim takes against a claim, until it is decided.

    The claimant does, or finance while it checks. Once the claim was sent it is the statement's next version. Raises ``Stale``.
    """
    claim = _undecided(member, claim_id)
    trip = (
        free_advances(claim.claimant_id, claim.currency)
        .select_for_update(of=("self",), no_key=True)
        .filter(pk=trip_id)
        .first()
    )
    if trip is None:
        raise Stale(say("That advance is set against a claim already."))
    _take(claim, trip)
    what, after = say("set an advance against it"), {"trip": trip.code, "amount": str(trip.advance_out)}
    if claim.editable:
        changed(member, claim, what, None, after)
    else:
        done = read(claim.statement, claim.currency)
        amend(claim, member, what, done.with_advance(done.advance + trip.advance_out), after)
    if member.pk != claim.claimant_id:
        tell(
            claim.claimant,
            say(
                "The advance of {trip_title}, {advance_out}, is set against {claim_title}",
                trip_title=trip.title,
                advance_out=trip.advance_out,
                claim_title=claim.title,
            ),
            link(claim),
        )
    return claim


@transaction.atomic
def take_advance_off(member: Membership, claim_id: int, trip_id: int) -> Claim:
    """Set an advance of another trip against the claim no more, while it is open. Raises ``Stale``."""
    claim = mine(member, claim_id)
    row = claim.advances_taken.select_related("trip").filter(trip_id=trip_id).first()
    if row is None or row.trip in claim.trips:
        raise Stale(say("That advance is not set against this claim any more."))
    before = {"trip": row.trip.code, "amount": row.amount_minor}
    row.delete()
    changed(member, claim, say("set an advance against it no more"), before, None)
    return claim


def _undecided(member: Membership, claim_id: int) -> Claim:
    """Lock a claim that is not decided, for its claimant or for finance."""
    claim = (
        Claim.objects.select_for_update(of=("self",), no_key=True)
        .visible_to(member)
        .select_related("firm", "claimant__person", "claimant__firm", "trip", "statement")
        .get(pk=claim_id)
    )
    if not (member.may["check"] and claim.state == "In finance check" and claim.claimant_id != member.pk):
        must_be_claimant(member, claim)
    if not claim.editable and claim.state not in UNDECIDED:
        raise Stale(say("The claim stands at {state}: it is decided, and pays what it says.", state=claim.state))
    return claim


def _take(claim: Claim, trip: Trip) -> None:
    """Set a trip's advance against a claim where it was paid and nobody has it."""
    if trip.advance_paid and not trip.advance_settled and not AdvanceTaken.objects.filter(trip=trip).exists():
        AdvanceTaken.objects.create(claim=claim, trip=trip, amount_minor=trip.advance_out.minor)


def advances_on(claim: Claim) -> list[tuple[Trip, Money]]:
    """Return the advances of other trips that are set against a claim. One query."""
    rows = claim.advances_taken.select_related("trip").order_by("pk")
    return [(row.trip, Money.from_minor(row.amount_minor, claim.currency)) for row in rows]
