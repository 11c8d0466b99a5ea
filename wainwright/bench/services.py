"""Deciding: the one place where a sign-off meets the trip or claim it is about."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

from django.db import transaction

from wainwright import clock
from wainwright.accounts.services import give_back
from wainwright.bench.models import KeptView
from wainwright.bench.moving import owner_of
from wainwright.claims.models import Claim
from wainwright.claims.services import road as claim_road
from wainwright.core.states import CLAIM, TRIP
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.people.selectors import below
from wainwright.signoff import services as signoff
from wainwright.signoff.models import SignOff
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.services import road as trip_road

MOST_KEPT = 20
# Ten seconds, and what a slow network takes.
UNDONE_WITHIN = timedelta(seconds=15)
ENDS = {"send_back": SignOff.State.SENT_BACK, "turn_down": SignOff.State.TURNED_DOWN}


def _subject(member: Membership, kind: str, object_id: int) -> Trip | Claim:
    """Lock and return what is decided on. Raises ``DoesNotExist`` for what the person may not see."""
    if kind == "trip":
        found = Trip.objects.select_for_update(of=("self",)).visible_to(member)
        return found.select_related("firm", "traveller__person", "traveller__firm").get(pk=object_id)
    found = Claim.objects.select_for_update(of=("self",)).visible_to(member)
    return found.select_related("firm", "claimant__person", "claimant__firm", "trip").get(pk=object_id)


def _owner(thing: Trip | Claim) -> Membership:
    return thing.traveller if isinstance(thing, Trip) else thing.claimant


def _must_decide(member: Membership) -> None:
    """Raise ``NotAllowed`` for who had the role when the page was opened and has it no more."""
    if not (member.approver or member.finance):
        raise NotAllowed(
            "You do not decide for the firm any more, so nothing was decided. An administrator can say who does."
        )


def _as_shown(thing: Trip | Claim, version: int | None) -> None:
    """Raise ``Stale`` where the thing is not what the page showed: it was taken back, changed, or sent again since."""
    if version is not None and version != thing.version:
        raise Stale(
            "It was changed since you opened this page. Look at it again, then decide: what differs stands on it."
        )


def _road(kind: str):
    return trip_road if kind == "trip" else claim_road


@transaction.atomic
def approve(member: Membership, kind: str, object_id: int, comment: str = "", version: int | None = None) -> bool:
    """Sign; when the route is through, the trip is authorised or the claim goes to finance. Returns whether it is through.

    ``version`` is the one that was shown; another is refused with ``Stale``, as on every decision here.
    """
    _must_decide(member)
    thing, road = _subject(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    owner = _owner(thing)
    given, through = signoff.give(
        member, thing.subject, comment, road.title(thing), f"/bench/{kind}/{object_id}/", owner
    )
    what = f"approved the {kind}"
    record(member, what, thing.subject, after={"comment": comment, "why": given.why}, for_whom=given.covers)
    if through:
        road.signed(member, thing, given.covers)
    return through


@transaction.atomic
def keep_view(member: Membership, name: str, query: str) -> KeptView:
    """Keep a part of the queue under a name, for oneself; the same name is kept anew. Raises ``Refusal``."""
    name = " ".join(name.split())[:40]
    if len(name) < 2:
        raise Refusal("Give it a name of two letters or more.", "name")
    if not query:
        raise Refusal("That is the queue as it opens anyway. Narrow or sort it first.", "name")
    if member.kept_views.exclude(name=name).count() >= MOST_KEPT:
        raise Refusal(f"{MOST_KEPT} are enough. Drop one first.", "name")
    return KeptView.objects.update_or_create(member_id=member.pk, name=name, defaults={"query": query[:200]})[0]


def drop_view(member: Membership, kept_id: int) -> None:
    """Drop a kept part of the queue. Raises ``Stale``."""
    if not member.kept_views.filter(pk=kept_id).delete()[0]:
        raise Stale("That is not kept any more.")


def approve_calm(member: Membership, shown: Sequence[tuple[int, int]]) -> tuple[int, list[str]]:
    """Approve many that have nothing out of line, each as (sign-off, version) and an act of its own.

    Returns how many, and of the others why not: what was changed meanwhile, decided, or has something out of line by now.
    """
    rows = SignOff.objects.filter(pk__in=[pk for pk, _ in shown], signer=member).in_bulk()
    done, left = 0, []
    for pk, version in shown:
        row = rows.get(pk)
        if row is None:
            continue
        if any(level != "note" for level in row.marks):
            left.append(f"{row.title}: something is out of line. Look at it by itself.")
            continue
        try:
            approve(member, row.kind, row.object_id, "", version)
            done += 1
        except Refusal as refusal:
            left.append(f"{row.title}: {refusal.message}")
    return done, left


@transaction.atomic
def take_over(member: Membership, signoff_id: int) -> SignOff:
    """Take a decision over that waits for a colleague below one: both are told, and whose it is. Raises ``NotAllowed``, ``Refusal``.

    Who may: an approver above the colleague, within the own limit, who is neither its owner nor asked already.
    """
    row = (
        SignOff.objects.select_for_update(of=("self",))
        .filter(pk=signoff_id, firm_id=member.firm_id)
        .select_related("signer__person", "signer__firm")
        .first()
    )
    if row is None or row.state != SignOff.State.WAITING or not row.turn:
        raise Stale("It does not wait any more: it was decided, or taken back.")
    if not member.approver or row.signer_id not in below(member):
        raise NotAllowed("Only an approver above them takes a decision over.")
    owner = owner_of(row)
    if owner.pk == member.pk:
        raise NotAllowed("Nobody decides on their own.")
    if member.limit is not None and row.amount > member.limit:
        raise Refusal(f"You sign up to {member.limit}, this comes to {row.amount}.")
    if SignOff.objects.filter(subject=row.subject, signer=member, state=SignOff.State.WAITING).exists():
        raise Refusal("You are on its route already.")
    was = row.signer
    new = signoff.hand_on(row, member, "", f"{row.why}; taken over from {was.person.name}", row.decided_at)
    record(
        member, "took a decision over", row.subject, before={"waited for": was.person.name}, after={"waits for": member.person.name}
    )  # fmt: skip
    tell(was, f"{member.person.name} took {row.title} over: it does not wait for you any more", "/bench/")
    tell(
        owner,
        f"{row.title}: {member.person.name} decides in place of {was.person.name}",
        row.lies_at,
    )
    return new


@transaction.atomic
def undo(member: Membership, kind: str, object_id: int) -> None:
    """Undo one's own approval of just before, where nothing came of it yet. Raises ``Stale`` saying what did."""
    thing = _subject(member, kind, object_id)
    rows = list(SignOff.objects.select_for_update().filter(subject=thing.subject).order_by("-decided", "-pk"))
    mine = next((row for row in rows if row.signer_id == member.pk and row.state == SignOff.State.GIVEN), None)
    if mine is None or mine.decided is None or clock.now() - mine.decided > UNDONE_WITHIN:
        raise Stale("It is too late to undo that: ask for it to be sent back.")
    if any(row.decided and row.decided > mine.decided for row in rows if row.pk != mine.pk):
        raise Stale("Somebody has decided after you: it cannot be undone.")
    before = thing.state
    if isinstance(thing, Trip):
        _undo_trip(thing)
    elif thing.state == "In finance check" or (thing.state == "Cleared" and thing.cleared_by_id is None):
        # What cleared by itself goes the same way back, by the check that it passed over.
        while thing.state != "In sign-off":
            thing.state = CLAIM.after(thing.state, "undo")
    elif thing.state != "In sign-off":
        raise Stale(f"It stands at {thing.state} by now: it cannot be undone.")
    mine.state, mine.turn, mine.decided, mine.comment = SignOff.State.WAITING, True, None, ""
    mine.save(update_fields=["state", "turn", "decided", "comment"])
    later = [
        row.pk
        for row in rows
        if row.state == SignOff.State.WAITING and row.round == mine.round and row.order > mine.order
    ]
    SignOff.objects.filter(pk__in=later).update(turn=False, due=None, since=None)
    thing.version += 1
    thing.save()
    record(
        member,
        f"undid the approval of the {kind}",
        thing.subject,
        before={"state": before},
        after={"state": thing.state},
    )
    owner = _owner(thing)
    tell(
        owner,
        f"{member.person.name} took the approval of {thing.title} back",
        mine.lies_at,
    )


def _undo_trip(trip: Trip) -> None:
    if trip.state == "Authorised":
        if any(b.state in ("Held", "Confirmed", "Ticketed") and not b.by_hand for b in trip.bookings.all()):
            raise Stale("What it holds is being ticketed: it cannot be undone.")
        if trip.versions.filter(number__gt=1).exists():
            raise Stale("It was authorised before: what stood then would be lost. Ask for the change to be sent back.")
        trip.state, trip.authorised = TRIP.after(trip.state, "undo"), None
        give_back(trip.subject)
    elif trip.state != "Awaiting sign-off":
        raise Stale(f"It stands at {trip.state} by now: it cannot be undone.")


@transaction.atomic
def end(
    member: Membership, kind: str, object_id: int, act: str, comment: str, lines: dict[str, str] | None = None,
    version: int | None = None,
) -> None:  # fmt: skip
    """Send back or turn down, with a comment and remarks on single lines."""
    said = {line: text for line, text in (lines or {}).items() if text.strip()}
    _must_decide(member)
    thing, road = _subject(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    words = comment.strip() or ("See the remarks on the lines." if said else "")
    given = signoff.end(member, thing.subject, ENDS[act], words)
    # What has to be mended stands on the thing itself, where its owner mends it.
    if comment.strip():
        signoff.remark(member, thing.subject, comment)
    for line, text in said.items():
        signoff.remark(member, thing.subject, text, line)
    road.ended(member, thing, act, words, given.covers)


@transaction.atomic
def pass_on(
    member: Membership, kind: str, object_id: int, to_id: int, comment: str, version: int | None = None
) -> Membership:
    """Hand the decision to somebody else of the firm."""
    thing, road = _subject(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    to = Membership.objects.select_related("person", "firm").filter(firm_id=member.firm_id, pk=to_id).first()
    if to is None or to.pk == _owner(thing).pk:
        raise Refusal("Choose another approver of the firm.", "to")
    signoff.pass_on(member, thing.subject, to, comment, road.title(thing), f"/bench/{kind}/{object_id}/")
    record(member, f"passed the {kind} on", thing.subject, after={"to": to.person.name, "comment": comment})
    return to


@transaction.atomic
def say(member: Membership, kind: str, object_id: int, text: str, line: str = "") -> None:
    """Say something on a trip or claim, or on one of its lines."""
    thing = _subject(member, kind, object_id)
    if isinstance(thing, Claim):
        claim_road.say(member, thing.pk, text, line)
    else:
        trip_road.say(member, thing.pk, text, line)
