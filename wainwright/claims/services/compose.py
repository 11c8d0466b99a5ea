"""Making a claim and putting expenses in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.claims.models import Claim
from wainwright.claims.profile import copy_for
from wainwright.core.belonging import Span, may_belong_to
from wainwright.core.business_time import due_by
from wainwright.core.coding import Coding, check_coding
from wainwright.core.rules import Finding
from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services.editing import follow_meals
from wainwright.expenses.services.sorting import Thing, take_many
from wainwright.people.models import Membership
from wainwright.people.numbering import next_number
from wainwright.prepared import padded, prepared
from wainwright.rulebook import services as reasons
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.selectors import WHOLE
from wainwright.visible import visible_row


def mine(member: Membership, claim_id: int, version: int | None = None, editable: bool = True) -> Claim:
    """Lock and return one's own claim. Raises ``Claim.DoesNotExist``, ``NotAllowed``, ``Stale``."""
    own = _own(claim_id, member.firm_id, member.pk)
    # Who may see it is told why they may not; to anybody else it is not there.
    claim = own[0] if own else Claim.objects.visible_to(member).get(pk=claim_id)
    must_be_claimant(member, claim)
    if version is not None and version != claim.version:
        raise Stale(
            say("The claim was changed on another page since you opened this one. Look at it again, then decide.")
        )
    if editable:
        must_be_open(claim)
    return claim


@prepared
def _own(claim: int, firm: int, claimant: int) -> QuerySet[Claim]:
    """One's own claim, locked; worded once, since every act on a claim begins with it."""
    rows = Claim.objects.select_for_update(of=("self",), no_key=True)
    around = ("firm", "claimant__person", "claimant__firm", "trip__signed", "statement")
    rows = rows.select_related(*around).defer(*(f"trip__{name}" for name in WHOLE))
    return rows.filter(pk=claim, firm_id=firm, claimant_id=claimant)


def must_be_claimant(member: Membership, claim: Claim) -> None:
    """Raise ``NotAllowed`` unless it is one's own claim."""
    if claim.claimant_id != member.pk:
        raise NotAllowed(say("Only the claimant does this."))


def must_be_open(claim: Claim) -> None:
    """Raise ``Stale`` unless the claim can be changed."""
    if not claim.editable:
        raise Stale(say("The claim stands at {state}: it cannot be changed now.", state=claim.state))


@transaction.atomic
def bare_claim(member: Membership, trip_id: int) -> Claim:
    """Make the claim of a trip: its coding, and every loose expense of its days.

    A second call gives the same claim while it is open; once it was sent, what comes later makes a supplement to it.
    Raises ``NotAllowed``, ``Stale``.
    """
    trip = _locked_trip(member, trip_id)
    if trip is None:
        raise Trip.DoesNotExist
    if trip.traveller_id != member.pk:
        raise NotAllowed(say("Only the traveller claims this trip."))
    return make_claim(member, trip, member)


@prepared
def _live_of(trip: int) -> QuerySet[Claim]:
    return Claim.objects.live().of_trip(trip).order_by("pk")


@visible_row
def _locked_trip(who: Any) -> QuerySet[Trip]:
    return Trip.objects.select_for_update(of=("self",), no_key=True).visible_to(who).select_related("firm")


def make_claim(member: Membership, trip: Trip, by: Membership | None) -> Claim:
    """Make the claim, or the supplement, of a trip that is locked; nobody in ``by`` means that it was drafted. Raises ``Stale``."""
    live = _live_of(trip.pk)
    known = next((claim for claim in reversed(live) if claim.editable), None)
    if known:
        return known
    sent = live[0] if live else None
    off = trip.state == "Called off" and trip.authorised is not None
    if trip.state not in ("Back", "Under way", "Authorised") and not off and sent is None:
        raise Stale(say("The trip stands at {state}. A claim is made once it is authorised.", state=trip.state))
    days = rulebook(trip.firm).policy.claim_days
    due = due_by(trip.ends, days, trip.firm.zone).date() if trip.ends and not sent and not off else None
    title = say("{trip_title}, supplement", trip_title=trip.title) if sent else trip.title
    claim = _new(member, title, trip.coding, trip, due, by, sent)
    loose = Expense.objects.filter(owner=member, claim__isnull=True, turned_down_in__isnull=True)
    spans = spans_of(member, trip.pk)
    # Whoever asks for the claim of a trip means it where two are possible; a draft takes only what is sure.
    may = {pk: may_belong_to(day, spans) for pk, day in loose.values_list("pk", "date")}
    own = [pk for pk, keys in may.items() if str(trip.pk) in keys and (by is not None or len(keys) == 1)]
    loose.filter(pk__in=own).update(claim=claim)
    follow_meals(claim.pk)
    return claim


def spans_of(member: Membership, *of: int) -> list[Span]:
    """Return the journeys that a person's costs may belong to: planned for good, under way, back; and the trips ``of`` which it is asked.

    One that was called off is meant only where it is asked for itself.
    """
    return [Span(str(pk), starts, ends) for pk, starts, ends in _journeys(member.pk, *padded(of))]


@prepared
def _journeys(traveller: int, *of: int) -> QuerySet:
    gone = Q(state__in=["Authorised", "Under way", "Back", "Closed"]) | Q(pk__in=of)
    rows = Trip.objects.filter(gone, traveller_id=traveller, starts__isnull=False, ends__isnull=False)
    return rows.values_list("pk", "starts", "ends")


@transaction.atomic
def claim_loose(member: Membership, title: str) -> Claim:
    """Make a claim without a trip, of everything loose. Raises ``Refusal`` without a title."""
    if len(title.strip()) < 3:
        raise Refusal(say("Give the claim a title."), "title")
    claim = _new(member, title.strip(), member.coding, None, None, member)
    Expense.objects.filter(owner=member, claim__isnull=True, turned_down_in__isnull=True).update(claim=claim)
    return claim


def _new(
    member: Membership, title: str, coding: Coding, trip: Trip | None, due: date | None, by: Membership | None,
    supplements: Claim | None = None,
) -> Claim:  # fmt: skip
    number = next_number(Claim, member.firm)
    claim = Claim(
        firm=member.firm, claimant=member, trip=trip, number=number, title=title[:120], currency=member.firm.currency,
        due=due, created=clock.now(), supplements=supplements,
    )  # fmt: skip
    claim.take_coding(coding)
    claim.profile = copy_for(claim)
    claim.save()
    after = {"title": claim.title, "trip": trip.pk if trip else None}
    if supplements is not None:
        after["supplements"] = supplements.code
    what = say("made the claim") if supplements is None else say("made a supplement to the claim")
    record(
        by,
        what if by else say("drafted the claim"),
        claim.subject,
        firm_id=claim.firm_id,
        after=after,
        for_whom="" if by else member.person.name,
    )
    return claim


@transaction.atomic
def put_in(member: Membership, claim_id: int, expense_ids: list[int]) -> int:
    """Put loose expenses of one's own on the claim; return how many went in."""
    claim = mine(member, claim_id)
    count = Expense.objects.filter(owner=member, pk__in=expense_ids, claim__isnull=True).update(claim=claim)
    if not count:
        raise Stale(say("They are on a claim already."))
    changed(member, claim, say("put expenses in"), None, {"expenses": expense_ids})
    follow_meals(claim.pk)
    return count


@transaction.atomic
def move(member: Membership, claim_id: int, expense_ids: Sequence[int], to: int = 0) -> int:
    """Move expenses to another open claim of one's own, or back to the tray; return how many moved, all or none.

    Raises ``Refusal`` where nothing was chosen, ``Stale`` where one of them is not on this claim any more.
    """
    if not expense_ids:
        raise Refusal(say("Tick the lines first."))
    if to == claim_id:
        raise Refusal(say("They are on this claim already. Choose another."))
    claim = mine(member, claim_id)
    target = mine(member, to) if to else None
    if target is not None and target.currency != claim.currency:
        raise Refusal(
            say(
                "{target_code} is in {currency}, this claim in {currency_2}.",
                target_code=target.code,
                currency=target.currency,
                currency_2=claim.currency,
            )
        )
    wanted = set(expense_ids)
    if Expense.objects.filter(claim=claim, pk__in=wanted).update(claim=target) != len(wanted):
        raise Stale(say("Not all of them are on this claim any more. Look at it again; nothing was moved."))
    where = target.code if target is not None else say("the tray")
    changed(member, claim, say("moved expenses"), {"expenses": sorted(wanted)}, {"to": where})
    follow_meals(claim.pk)
    if target is not None:
        changed(member, target, say("took expenses over"), None, {"expenses": sorted(wanted), "from": claim.code})
        follow_meals(target.pk)
    return len(wanted)


@transaction.atomic
def take_into(member: Membership, rows: Sequence[Thing], claim_id: int = 0, trip_id: int = 0) -> list[Expense]:
    """Make expenses of rows of the tray and put them on a claim, or on the claim of a trip: all or none."""
    if not claim_id:
        claim_id = bare_claim(member, trip_id).pk
    taken = take_many(member, rows)
    put_in(member, claim_id, [expense.pk for expense in taken])
    return taken


@transaction.atomic
def change_coding(member: Membership, claim_id: int, coding: Coding) -> None:
    """Change the coding that counts for every line without one of its own. Raises ``Refusal``."""
    claim = mine(member, claim_id)
    faults = check_coding(coding, books(claim.firm).codes, clock.today(claim.firm.zone))
    if faults:
        raise Refusal(faults[0].text, faults[0].dimension)
    before = str(claim.coding)
    claim.take_coding(coding)
    changed(member, claim, say("changed the coding"), before, str(coding))


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


def changed(member: Membership, claim: Claim, what: str, before: object, after: object) -> None:
    """Keep a change of an open claim with its entry in the trail. Inside the caller's transaction."""
    claim.version += 1
    claim.save()
    record(member, what, claim.subject, before=before, after=after)
