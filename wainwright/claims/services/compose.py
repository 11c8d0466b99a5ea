"""Making a claim and putting expenses in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import timedelta

from django.db import transaction
from django.db.models import Max

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.claims.models import Claim
from wainwright.core.business_time import due_by
from wainwright.core.coding import Coding, check_coding
from wainwright.core.rules import Finding
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services.editing import follow_meals
from wainwright.expenses.services.sorting import Thing, take_many
from wainwright.people.models import Membership
from wainwright.rulebook import services as reasons
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.selectors import WHOLE

SLACK = timedelta(days=3)


def mine(member: Membership, claim_id: int, version: int | None = None, editable: bool = True) -> Claim:
    """Lock and return one's own claim. Raises ``Claim.DoesNotExist``, ``NotAllowed``, ``Stale``."""
    claim = (
        Claim.objects.select_for_update(of=("self",))
        .visible_to(member)
        .select_related("firm", "claimant__person", "claimant__firm", "trip__signed", "statement")
        .defer(*(f"trip__{name}" for name in WHOLE))
        .get(pk=claim_id)
    )
    if claim.claimant_id != member.pk:
        raise NotAllowed("Only the claimant does this.")
    if version is not None and version != claim.version:
        raise Stale("The claim was changed on another page since you opened this one. Look at it again, then decide.")
    if editable and not claim.editable:
        raise Stale(f"The claim stands at {claim.state}: it cannot be changed now.")
    return claim


@transaction.atomic
def claim_trip(member: Membership, trip_id: int) -> Claim:
    """Make the claim of a trip: its coding, and every loose expense of its days. A second call gives the same claim."""
    trip = Trip.objects.select_for_update(of=("self",)).visible_to(member).select_related("firm").get(pk=trip_id)
    if trip.traveller_id != member.pk:
        raise NotAllowed("Only the traveller claims this trip.")
    known = Claim.objects.filter(trip=trip).first()
    if known:
        return known
    if trip.state not in ("Back", "Under way", "Authorised"):
        raise Stale(f"The trip stands at {trip.state}. A claim is made once it is authorised.")
    zone = trip.firm.zone
    due = due_by(trip.ends, rulebook(trip.firm).policy.claim_days, zone).date() if trip.ends else None
    claim = _new(member, trip.title, trip.coding, trip, due)
    loose = (
        Expense.objects.filter(
            owner=member, claim__isnull=True, date__gte=trip.starts - SLACK, date__lte=trip.ends + SLACK
        )
        if trip.starts and trip.ends
        else Expense.objects.none()
    )
    loose.update(claim=claim)
    follow_meals(claim.pk)
    return claim


@transaction.atomic
def claim_loose(member: Membership, title: str) -> Claim:
    """Make a claim without a trip, of everything loose. Raises ``Refusal`` without a title."""
    if len(title.strip()) < 3:
        raise Refusal("Give the claim a title.", "title")
    claim = _new(member, title.strip(), member.coding, None, None)
    Expense.objects.filter(owner=member, claim__isnull=True).update(claim=claim)
    return claim


def _new(member: Membership, title: str, coding: Coding, trip: Trip | None, due: object) -> Claim:
    number = (Claim.objects.filter(firm=member.firm).aggregate(last=Max("number"))["last"] or 0) + 1
    claim = Claim(
        firm=member.firm, claimant=member, trip=trip, number=number, title=title[:120], currency=member.firm.currency,
        due=due, created=clock.now(),
    )  # fmt: skip
    claim.take_coding(coding)
    claim.save()
    record(member, "made the claim", claim.subject, after={"title": claim.title, "trip": trip.pk if trip else None})
    return claim


@transaction.atomic
def put_in(member: Membership, claim_id: int, expense_ids: list[int]) -> int:
    """Put loose expenses of one's own on the claim; return how many went in."""
    claim = mine(member, claim_id)
    count = Expense.objects.filter(owner=member, pk__in=expense_ids, claim__isnull=True).update(claim=claim)
    if not count:
        raise Stale("They are on a claim already.")
    _changed(member, claim, "put expenses in", None, {"expenses": expense_ids})
    follow_meals(claim.pk)
    return count


@transaction.atomic
def take_into(member: Membership, rows: Sequence[Thing], claim_id: int = 0, trip_id: int = 0) -> list[Expense]:
    """Make expenses of rows of the tray and put them on a claim, or on the claim of a trip: all or none."""
    if not claim_id:
        claim_id = claim_trip(member, trip_id).pk
    taken = take_many(member, rows)
    put_in(member, claim_id, [expense.pk for expense in taken])
    return taken


@transaction.atomic
def take_out(member: Membership, claim_id: int, expense_id: int) -> None:
    """Take an expense out; it is loose again."""
    claim = mine(member, claim_id)
    if not Expense.objects.filter(pk=expense_id, claim=claim).update(claim=None):
        raise Stale("It is not on this claim any more.")
    _changed(member, claim, "took an expense out", {"expense": expense_id}, None)
    follow_meals(claim.pk)


@transaction.atomic
def change_coding(member: Membership, claim_id: int, coding: Coding) -> None:
    """Change the coding that counts for every line without one of its own. Raises ``Refusal``."""
    claim = mine(member, claim_id)
    faults = check_coding(coding, books(claim.firm).codes, clock.today(claim.firm.zone))
    if faults:
        raise Refusal(faults[0].text, faults[0].dimension)
    before = str(claim.coding)
    claim.take_coding(coding)
    _changed(member, claim, "changed the coding", before, str(coding))


@transaction.atomic
def explain(
    member: Membership,
    claim_id: int,
    findings: list[Finding],
    identities: list[str],
    reason: str | Mapping[str, str],
    words: str,
) -> None:
    """Give a reason to findings of the claim."""
    claim = mine(member, claim_id)
    reasons.explain(member, claim.subject, findings, identities, reason, words)


def _changed(member: Membership, claim: Claim, what: str, before: object, after: object) -> None:
    claim.version += 1
    claim.save()
    record(member, what, claim.subject, before=before, after=after)
