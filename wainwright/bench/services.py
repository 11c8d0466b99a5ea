"""Deciding: the one place where a sign-off meets the trip or claim it is about."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from django.db import transaction

from wainwright.bench.models import KeptView
from wainwright.bench.moving import asker_of
from wainwright.bench.things import owner_of, subject_of
from wainwright.bench.undoing import kept
from wainwright.claims.models import Claim
from wainwright.claims.services import correcting, lines
from wainwright.claims.services import road as claim_road
from wainwright.core.said import joined, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.selectors import below
from wainwright.signoff import services as signoff
from wainwright.signoff.models import SignOff
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.services import road as trip_road

MOST_KEPT = 20
DONE = {"send_back": say("sent it back"), "turn_down": say("turned it down")}
_APPROVED = {"trip": say("approved the trip"), "claim": say("approved the claim")}
_PASSED_ON = {"trip": say("passed the trip on"), "claim": say("passed the claim on")}
ENDS = {"send_back": SignOff.State.SENT_BACK, "turn_down": SignOff.State.TURNED_DOWN}


def _as_shown(thing: Trip | Claim, version: int | None) -> None:
    """Raise ``Stale`` where the thing is not what the page showed: it was taken back, changed, or sent again since."""
    if version is not None and version != thing.version:
        raise Stale(
            say("It was changed since you opened this page. Look at it again, then decide: what differs stands on it.")
        )


def _road(kind: str):
    return trip_road if kind == "trip" else claim_road


@transaction.atomic
def approve(member: Membership, kind: str, object_id: int, comment: str = "", version: int | None = None) -> bool:
    """Sign; when the route is through, the trip is authorised or the claim goes to finance. Returns whether it is through.

    ``version`` is the one that was shown; another is refused with ``Stale``, as on every decision here.
    """
    must(member, "decide")
    thing, road = subject_of(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    owner = owner_of(thing)
    with kept(member, thing, _APPROVED[kind]):
        given, through = signoff.give(
            member, thing.subject, comment, road.title(thing), f"/bench/{kind}/{object_id}/", owner
        )
        what = _APPROVED[kind]
        record(member, what, thing.subject, after={"comment": comment, "why": given.why}, for_whom=given.covers)
        if through:
            road.signed(member, thing, given.covers)
    return through


@transaction.atomic
def keep_view(member: Membership, name: str, query: str) -> KeptView:
    """Keep a part of the queue under a name, for oneself; the same name is kept anew. Raises ``Refusal``."""
    name = " ".join(name.split())[:40]
    if len(name) < 2:
        raise Refusal(say("Give it a name of two letters or more."), "name")
    if not query:
        raise Refusal(say("That is the queue as it opens anyway. Narrow or sort it first."), "name")
    if member.kept_views.exclude(name=name).count() >= MOST_KEPT:
        raise Refusal(say("{most_kept} are enough. Drop one first.", most_kept=MOST_KEPT), "name")
    return KeptView.objects.update_or_create(member_id=member.pk, name=name, defaults={"query": query[:200]})[0]


def drop_view(member: Membership, kept_id: int) -> None:
    """Drop a kept part of the queue. Raises ``Stale``."""
    if not member.kept_views.filter(pk=kept_id).delete()[0]:
        raise Stale(say("That is not kept any more."))


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
            left.append(say("{title}: something is out of line. Look at it by itself.", title=row.title))
            continue
        try:
            approve(member, row.kind, row.object_id, "", version)
            done += 1
        except Refusal as refusal:
            left.append(joined("", (row.title, ": ", refusal.message)))
    return done, left


@transaction.atomic
def take_over(member: Membership, signoff_id: int) -> SignOff:
    """Take a decision over that waits for a colleague below one: both are told, and whose it is. Raises ``NotAllowed``, ``Refusal``.

    Who may: an approver above the colleague, within the own limit, who is neither its owner nor asked already.
    """
    row = (
        SignOff.objects.select_for_update(of=("self",), no_key=True)
        .filter(pk=signoff_id, firm_id=member.firm_id)
        .select_related("signer__person", "signer__firm")
        .first()
    )
    if row is None or row.state != SignOff.State.WAITING or not row.turn:
        raise Stale(say("It does not wait any more: it was decided, or taken back."))
    if not member.may["take_over"] or row.signer_id not in below(member):
        raise NotAllowed(say("Only an approver above them takes a decision over."))
    owner = asker_of(row)
    if owner.pk == member.pk:
        raise NotAllowed(say("Nobody decides on their own."))
    if member.limit is not None and row.amount > member.limit:
        raise Refusal(say("You sign up to {limit}, this comes to {amount}.", limit=member.limit, amount=row.amount))
    if SignOff.objects.filter(subject=row.subject, signer=member, state=SignOff.State.WAITING).exists():
        raise Refusal(say("You are on its route already."))
    was = row.signer
    new = signoff.hand_on(
        row, member, "", say("{why}; taken over from {was}", why=row.why, was=was.person.name), row.decided_at
    )
    record(
        member, say("took a decision over"), row.subject, before={"waited for": was.person.name}, after={"waits for": member.person.name}
    )  # fmt: skip
    tell(
        was,
        say(
            "{member} took {title} over: it does not wait for you any more", member=member.person.name, title=row.title
        ),
        "/bench/",
    )
    tell(
        owner,
        say(
            "{title}: {member} decides in place of {was}",
            title=row.title,
            member=member.person.name,
            was=was.person.name,
        ),
        row.lies_at,
    )
    return new


@transaction.atomic
def end(
    member: Membership, kind: str, object_id: int, act: str, comment: str, lines: dict[str, str] | None = None,
    version: int | None = None,
) -> None:  # fmt: skip
    """Send back or turn down, with a comment and remarks on single lines."""
    said = {line: text for line, text in (lines or {}).items() if text.strip()}
    must(member, "decide")
    thing, road = subject_of(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    words = comment.strip() or (say("See the remarks on the lines.") if said else "")
    with kept(member, thing, DONE[act]):
        given = signoff.end(member, thing.subject, ENDS[act], words)
        # What has to be mended stands on the thing itself, where its owner mends it.
        if comment.strip():
            signoff.remark(member, thing.subject, comment)
        for line, text in said.items():
            signoff.remark(member, thing.subject, text, line)
        road.ended(member, thing, act, words, given.covers)


def _to_decide(member: Membership, claim_id: int) -> Claim:
    thing = subject_of(member, "claim", claim_id)
    if not isinstance(thing, Claim):
        raise TypeError("a claim is decided on here")
    return thing


@transaction.atomic
def clear(member: Membership, claim_id: int, version: int) -> Claim:
    """Finance clears a claim; it can be undone like a decision."""
    with kept(member, _to_decide(member, claim_id), say("cleared the claim")):
        return claim_road.clear(member, claim_id, version)


@transaction.atomic
def finance_end(member: Membership, claim_id: int, version: int, act: str, comment: str) -> Claim:
    """Finance sends a claim back or turns it down, with a reason."""
    with kept(member, _to_decide(member, claim_id), DONE[act]):
        return claim_road.finance_end(member, claim_id, version, act, comment)


@transaction.atomic
def approve_in_part(member: Membership, claim_id: int, version: int, key: str, amount: Decimal, why: str) -> Claim:
    """Approve less of a line than is claimed, with a reason."""
    with kept(member, _to_decide(member, claim_id), say("approved a line in part")):
        return lines.approve_in_part(member, claim_id, version, key, amount, why)


@transaction.atomic
def take_line_out(member: Membership, claim_id: int, version: int, key: str, why: str, down: bool) -> Claim:
    """Send one line back alone, or turn it down."""
    with kept(member, _to_decide(member, claim_id), say("turned one line down") if down else say("sent one line back")):
        return lines.take_line_out(member, claim_id, version, key, why, down)


@transaction.atomic
def allow_over(member: Membership, claim_id: int, version: int, key: str, comment: str) -> Claim:
    """Permit to pay what a line is over its ceiling."""
    with kept(member, _to_decide(member, claim_id), say("permitted what is over the ceiling")):
        return correcting.allow_over(member, claim_id, version, key, comment)


@transaction.atomic
def pass_on(
    member: Membership, kind: str, object_id: int, to_id: int, comment: str, version: int | None = None
) -> Membership:
    """Hand the decision to somebody else of the firm."""
    thing, road = subject_of(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    to = Membership.objects.select_related("person", "firm").filter(firm_id=member.firm_id, pk=to_id).first()
    if to is None or to.pk == owner_of(thing).pk:
        raise Refusal(say("Choose another approver of the firm."), "to")
    with kept(member, thing, _PASSED_ON[kind]):
        signoff.pass_on(member, thing.subject, to, comment, road.title(thing), f"/bench/{kind}/{object_id}/")
    record(member, _PASSED_ON[kind], thing.subject, after={"to": to.person.name, "comment": comment})
    return to


@transaction.atomic
def remark_on(member: Membership, kind: str, object_id: int, text: str, line: str = "") -> None:
    """Say something on a trip or claim, or on one of its lines."""
    thing = subject_of(member, kind, object_id)
    if isinstance(thing, Claim):
        claim_road.remark(member, thing.pk, text, line)
    else:
        trip_road.remark(member, thing.pk, text, line)
