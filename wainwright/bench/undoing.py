"""Undoing what one has just decided: how a thing stood before is kept for some seconds, and put back as it was."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from wainwright import clock
from wainwright.accounts.models import BudgetUse
from wainwright.bench.models import Undoable
from wainwright.bench.things import kind_of, owner_of, subject_of
from wainwright.claims.beside import beside
from wainwright.claims.models import AdvanceTaken, Claim, Statement, TakenOff
from wainwright.claims.services.road import renew
from wainwright.claims.services.statements import amend
from wainwright.claims.statements import read
from wainwright.core.said import say
from wainwright.core.states import CLAIM, TRIP
from wainwright.errors import Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services.editing import follow_meals
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.signoff.models import Remark, SignOff
from wainwright.trail.services import record
from wainwright.trips.models import Trip

# Ten seconds, and what a slow network takes.
UNDONE_WITHIN = timedelta(seconds=15)
# From further on than these there is more to put back than a decision: what the ledger refused, what was cleared long ago.
UNDONE_FROM = ("Awaiting sign-off", "In sign-off", "In finance check")
LATE = say("It is too late to undo that: what was decided stands. Ask whoever has it now.")


@contextmanager
def kept(member: Membership, thing: Trip | Claim, act: str) -> Iterator[None]:
    """Keep how a thing stood before what is decided inside, so that ``member`` can undo it; ``act`` says what is decided.

    Inside the caller's transaction, with the thing locked. A change of an authorised plan is not kept: ending it puts
    back a whole plan of its own.
    """
    was = _standing(thing) if thing.state in UNDONE_FROM and not getattr(thing, "standing", None) else None
    yield
    Undoable.objects.filter(member_id=member.pk).delete()
    if was is not None:
        version = type(thing).objects.values_list("version", flat=True).get(pk=thing.pk)
        Undoable.objects.create(
            member_id=member.pk,
            kind=kind_of(thing),
            object_id=thing.pk,
            act=act,
            version=version,
            time=clock.now(),
            was=was,
        )


def _standing(thing: Trip | Claim) -> dict[str, Any]:
    """Everything that a decision may change of a thing, as plain values."""
    last = next(iter(_last_remark(thing.subject)), None)
    was: dict[str, Any] = {
        "state": thing.state,
        "asked": _still_asked(thing.subject),
        "last remark": last or 0,
    }
    if isinstance(thing, Claim):
        was |= {
            "objection": thing.objection, "statement": thing.statement_id,
            "expenses": list(thing.expenses.values_list("pk", "turned_down_in", "turned_down_why")),
            "taken off": list(thing.taken_off.values_list("owed", "amount_minor")),
            "advances": list(thing.advances_taken.values_list("trip", "amount_minor")),
            "permitted": list(thing.permitted.values_list("key", "amount_minor")),
            "budgets": list(_budgets(thing).values_list("budget", "subject", "committed_minor", "actual_minor")),
        }  # fmt: skip
    return was


@prepared
def _still_asked(subject: str) -> QuerySet:
    return SignOff.objects.filter(subject=subject, state=SignOff.State.WAITING).values_list("pk", "turn")


@prepared
def _last_remark(subject: str) -> QuerySet:
    return Remark.objects.filter(subject=subject).order_by("-pk").values_list("pk", flat=True)[:1]


def _budgets(claim: Claim):
    return BudgetUse.objects.filter(subject__in=[trip.subject for trip in claim.trips])


def undoable(member: Membership) -> Undoable | None:
    """Return what a person has just decided and can still undo. One query."""
    found = Undoable.objects.filter(member_id=member.pk).first()
    return found if found is not None and clock.now() - found.time <= UNDONE_WITHIN else None


@transaction.atomic
def undo(member: Membership, kind: str, object_id: int) -> Undoable:
    """Undo one's own decision of just before: the thing stands as it stood. Returns what was undone.

    Raises ``Stale`` saying why not: it is too late, or something came of it already.
    """
    thing = subject_of(member, kind, object_id)
    last = undoable(member)
    if last is None or (last.kind, last.object_id) != (kind, object_id):
        raise Stale(LATE)
    since = SignOff.objects.filter(subject=thing.subject, decided__gt=last.time)
    if thing.version != last.version or since.exists():
        raise Stale(say("Somebody has gone on from what you decided: it cannot be undone."))
    before, was = thing.state, last.was
    if isinstance(thing, Trip):
        _trip_back(thing, was["state"])
    else:
        _claim_back(member, thing, was)
    _asked_again(member, thing, was, last.act)
    # What was said with the decision goes with it; the trail keeps it.
    Remark.objects.filter(
        subject=thing.subject, pk__gt=was["last remark"], time__lte=last.time, by=member.doer
    ).delete()
    thing.version += 1
    thing.save()
    last.delete()
    record(
        member, say("undid: {act}", act=last.act), thing.subject, before={"state": before}, after={"state": thing.state}
    )  # fmt: skip
    tell(
        owner_of(thing),
        say("{member} undid on {thing_title}: {act}", member=member.person.name, thing_title=thing.title, act=last.act),
        _at(thing),
    )
    return last


def _at(thing: Trip | Claim) -> str:
    return f"/trips/{thing.pk}/" if isinstance(thing, Trip) else f"/claims/{thing.pk}/"


def _trip_back(trip: Trip, state: str) -> None:
    if trip.state == "Authorised":
        if any(b.state in ("Held", "Confirmed", "Ticketed") and not b.by_hand for b in trip.bookings.all()):
            raise Stale(say("What it holds is being ticketed: it cannot be undone."))
        if trip.versions.filter(number__gt=1).exists():
            raise Stale(
                say("It was authorised before: what stood then would be lost. Ask for the change to be sent back.")
            )
        trip.authorised = None
        BudgetUse.objects.filter(subject=trip.subject).delete()
    while trip.state != state:
        trip.state = TRIP.after(trip.state, "undo")


def _claim_back(member: Membership, claim: Claim, was: dict[str, Any]) -> None:
    ended = claim.state in ("Sent back", "Turned down")
    while claim.state != was["state"]:
        # What cleared by itself goes back by the check that it passed over.
        claim.state = CLAIM.after(claim.state, "recheck" if ended and was["state"] == "In finance check" else "undo")
    claim.cleared_by, claim.objection = None, was["objection"]
    _costs_back(claim, was["expenses"])
    _sums_back(claim, was)
    if claim.statement_id != was["statement"]:
        _permitted_back(claim, dict(was["permitted"]))
        earlier = Statement.objects.get(pk=was["statement"])
        done = read(earlier, claim.currency)
        amend(claim, member, say("put back what was decided on a line"), done, {"as in statement": earlier.number})
        renew(claim, done)


def _permitted_back(claim: Claim, was: dict[str, int]) -> None:
    for row in claim.permitted.all():
        if row.key in was:
            row.amount_minor = was[row.key]
            row.save(update_fields=["amount_minor"])
        else:
            row.delete()


def _costs_back(claim: Claim, was: list) -> None:
    """Put the costs that went to the tray back onto the claim, unless their owner has begun to do something with them."""
    gone = {pk: (down_in, why) for pk, down_in, why in was}
    away = Expense.objects.select_for_update(no_key=True).filter(pk__in=gone).exclude(claim=claim)
    rows = list(away)
    left = len(gone) - Expense.objects.filter(pk__in=gone).count()
    if left or any(row.claim_id is not None or row.turned_down_in_id != claim.pk for row in rows):
        raise Stale(say("The claimant has used what went back to the tray already: it cannot be undone."))
    for row in rows:
        row.claim, (row.turned_down_in_id, row.turned_down_why) = claim, gone[row.pk]
        row.save(update_fields=["claim", "turned_down_in", "turned_down_why"])
    if rows:
        follow_meals(claim.pk)


def _sums_back(claim: Claim, was: dict[str, Any]) -> None:
    """Take again what the claim had taken: earlier claims below zero, advances of other trips, budgets of its trips."""
    had = set(claim.taken_off.values_list("owed", flat=True))
    missing = [(owed, minor) for owed, minor in was["taken off"] if owed not in had]
    free = {each.claim.pk: each.left.minor for each in beside(claim).owed} if missing else {}
    held = set(claim.advances_taken.values_list("trip", flat=True))
    advances = [(trip, minor) for trip, minor in was["advances"] if trip not in held]
    elsewhere = AdvanceTaken.objects.filter(trip__in=[trip for trip, _ in advances]).exists()
    if elsewhere or any(free.get(owed, 0) < minor for owed, minor in missing):
        raise Stale(say("Another claim has taken what this one had set off: it cannot be undone."))
    TakenOff.objects.bulk_create(TakenOff(claim=claim, owed_id=owed, amount_minor=minor) for owed, minor in missing)
    AdvanceTaken.objects.bulk_create(
        AdvanceTaken(claim=claim, trip_id=trip, amount_minor=minor) for trip, minor in advances
    )
    known = set(_budgets(claim).values_list("budget", "subject"))
    BudgetUse.objects.bulk_create(
        BudgetUse(budget_id=budget, subject=subject, committed_minor=committed, actual_minor=actual)
        for budget, subject, committed, actual in was["budgets"]
        if (budget, subject) not in known
    )


def _asked_again(member: Membership, thing: Trip | Claim, was: dict[str, Any], act: str) -> None:
    """Those who were asked before are asked again, whoever was asked since is not."""
    turns = dict(was["asked"])
    later = SignOff.objects.filter(subject=thing.subject, state=SignOff.State.WAITING).exclude(pk__in=turns)
    for row in later.select_related("signer__person", "signer__firm"):
        tell(
            row.signer,
            say(
                "{title} does not wait for you any more: {member} undid “{act}”",
                title=row.title,
                member=member.person.name,
                act=act,
            ),
            row.lies_at,
        )
    later.update(state=SignOff.State.DROPPED, turn=False)
    for row in SignOff.objects.select_for_update(no_key=True).filter(pk__in=turns):
        row.state, row.turn, row.decided, row.comment = SignOff.State.WAITING, turns[row.pk], None, ""
        if not row.turn:
            row.due = row.since = None
        row.save(update_fields=["state", "turn", "decided", "comment", "due", "since"])
