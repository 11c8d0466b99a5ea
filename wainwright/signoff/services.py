"""Routes at work. The apps that own a subject call these inside their own transaction."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db.models import QuerySet

from wainwright import clock
from wainwright.core.money import Money
from wainwright.core.routing import Route, RouteStep, still_needed
from wainwright.core.said import Said, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.people.selectors import signers
from wainwright.prepared import prepared
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff.models import Remark, SignOff
from wainwright.trail.services import record

WAITING, GIVEN, KEPT = SignOff.State.WAITING, SignOff.State.GIVEN, SignOff.State.KEPT


def fingerprint(parts: Mapping[str, object]) -> str:
    """Return a short hash of what a sign-off covers, so that a change can be told."""
    return hashlib.sha256(json.dumps(parts, sort_keys=True, default=str).encode()).hexdigest()


@dataclass(frozen=True)
class Asked:
    """What is put before people: the subject, how it is called, where it is found, what it comes to, what stands out."""

    subject: str
    title: str
    link: str
    amount: Money
    marks: tuple[str, ...] = ()
    what: str = "claim"
    coding: str = ""
    risk: int = 0


def say_ready(member: Membership, what: Any, noun: str, link: str) -> None:
    """Keep that whoever prepares for ``member`` says a trip or claim of theirs, ``what``, is ready: it waits for one signature.

    Inside the caller's transaction, after ``must_prepare``.
    """
    what.ready_by = member.prepared_by
    what.save(update_fields=["ready_by"])
    record(member, say("said that the {noun} is ready", noun=noun), what.subject)
    tell(
        member,
        say("{what_title} is ready: {doer} prepared it for you", what_title=what.title, doer=member.doer.person.name),
        link,
    )


def start(member: Membership, asked: Asked, route: Route, contents: Mapping[str, str]) -> list[SignOff]:
    """Begin a round: ask everybody on the route, but keep what was signed before and has not changed.

    ``contents`` maps each scope ("all", or a dimension and its code, parted by a colon) to the fingerprint of what it covers.
    """
    earlier = _rounds(asked.subject)
    number = earlier[-1].round + 1 if earlier else 1
    given = [s for s in earlier if s.state in (GIVEN, KEPT)]
    stands = {(s.signer_id, s.scope): s for s in given}
    for passed in (s for s in earlier if s.state == SignOff.State.PASSED_ON):
        # Who passed a decision on is not asked again for what the other has signed in their place.
        for other in given:
            if (other.round, other.order, other.scope) == (passed.round, passed.order, passed.scope):
                stands.setdefault((passed.signer_id, passed.scope), other)
    signoffs = []
    for step in route.steps:
        signoff = _asked_of(step, asked, number, step.order, contents[step.scope], member.firm_id)
        kept = stands.get((signoff.signer_id, signoff.scope))
        if kept is not None and kept.content == signoff.content:
            signoff.state, signoff.decided, signoff.comment = KEPT, kept.decided, kept.comment
        signoff.save()
        signoffs.append(signoff)
    next_turn(asked.subject, asked.title, asked.link)
    return signoffs


@prepared
def _rounds(subject: str) -> QuerySet[SignOff]:
    return SignOff.objects.filter(subject=subject).order_by("round", "id")


def _asked_of(step: RouteStep, asked: Asked, number: int, order: int, content: str, firm_id: int) -> SignOff:
    """A sign-off of a round that is asked of the signer of a step; not saved yet."""
    kind, _, object_id = asked.subject.partition(":")
    return SignOff(
        firm_id=firm_id, subject=asked.subject, kind=kind, object_id=int(object_id), round=number, order=order,
        signer_id=int(step.signer), covers=step.covers, why=step.why[:300], scope=step.scope, content=content,
        title=asked.title[:200], amount_minor=asked.amount.minor, currency=asked.amount.currency, marks=list(asked.marks),
        what=asked.what, coding=asked.coding[:160], risk=asked.risk,
    )  # fmt: skip


def ask_more(member: Membership, asked: Asked, steps: Sequence[RouteStep], contents: Mapping[str, str]) -> None:
    """Begin a round in which those who have signed keep their signature, and ``steps`` alone are asked besides."""
    earlier = _rounds(asked.subject)
    number = earlier[-1].round + 1 if earlier else 1
    last = [row for row in earlier if row.round == number - 1 and row.state in (GIVEN, KEPT)]
    for row in last:
        row.pk, row.round, row.state, row.turn = None, number, KEPT, False
        row.content = contents.get(row.scope, row.content)
        row.save(force_insert=True)
    first = max((row.order for row in last), default=0) + 1
    for step in steps:
        _asked_of(step, asked, number, first, contents.get(step.scope, contents["all"]), member.firm_id).save()
    next_turn(asked.subject, asked.title, asked.link)


def next_turn(subject: str, title: str, link: str) -> bool:
    """Give the turn to the next in order and tell them; return whether everybody has signed."""
    waiting = _waiting(subject)
    if not waiting:
        return True
    first = min(signoff.order for signoff in waiting)
    for signoff in waiting:
        if signoff.order == first and not signoff.turn:
            signoff.turn, signoff.since = True, clock.now()
            days = rulebook(signoff.signer.firm).policy.decide_days
            signoff.due = clock.today(signoff.signer.firm.zone) + timedelta(days=days)
            signoff.save(update_fields=["turn", "since", "due"])
            for_whom = say(" for {covers}", covers=signoff.covers) if signoff.covers else ""
            tell(
                signoff.signer,
                say("{title} waits for your sign-off{for_whom}", title=title, for_whom=for_whom),
                link,
                say("Why you: {why}.", why=signoff.why),
            )
    return False


@prepared
def _waiting(subject: str) -> QuerySet[SignOff]:
    return SignOff.objects.filter(subject=subject, state=WAITING).select_related("signer__person", "signer__firm")


def turn_of(member: Membership, subject: str) -> SignOff:
    """Return the sign-off that ``member`` is asked for now.

    Raises ``Stale`` when they, or somebody with them, have decided meanwhile; ``NotAllowed`` when they were never asked.
    """
    rows = _asked_whether(subject, member.pk)
    mine = next((row for row in rows if row.state == WAITING and row.turn), None)
    if mine is not None:
        return mine
    if any(row.state == WAITING for row in rows):
        raise NotAllowed(say("Others on the route come before you."))
    if rows and rows[0].decided:
        raise Stale(say("You have decided this already: {state}.", state=rows[0].state.lower()))
    if rows:
        raise Stale(say("This no longer waits for you: it was taken back or decided by somebody else."))
    raise NotAllowed(say("You are not on the route of this."))


@prepared
def _asked_whether(subject: str, signer: int) -> QuerySet[SignOff]:
    """What somebody was ever asked of a subject, locked, the latest first: whoever signs it and the same person twice."""
    rows = SignOff.objects.select_for_update(of=("self",), no_key=True).filter(subject=subject, signer_id=signer)
    return rows.select_related("signer__person").order_by("-id")


def give(
    member: Membership, subject: str, comment: str, title: str, link: str, owner: Membership
) -> tuple[SignOff, bool]:  # fmt: skip
    """Sign; return the sign-off and whether the route is through.

    It is through when somebody has signed for the whole who may sign for what it comes to, by the limits of now: a limit
    may have been lowered since it was sent. Else the next above is asked. Raises ``Refusal`` where nobody above may.
    """
    signoff = turn_of(member, subject)
    _decide(signoff, GIVEN, comment)
    if not next_turn(subject, title, link):
        return signoff, False
    return signoff, not _ask_above(member, signoff, title, link, owner)


def _ask_above(member: Membership, last: SignOff, title: str, link: str, owner: Membership) -> bool:
    """Ask whoever must sign besides those who have; say whether anybody is asked."""
    whole = [row for row in _signed_whole(last.subject) if row.round == last.round]
    signed = [str(row.signer_id) for row in whole]
    people = signers(last.firm_id, clock.today(member.firm.zone))
    route = still_needed(last.amount, signed, str(owner.pk), people)
    if route.faults:
        raise Refusal(route.faults[0])
    asked = Asked(last.subject, last.title, link, last.amount, tuple(last.marks), last.what, last.coding, last.risk)
    for step in route.steps:
        _asked_of(step, asked, last.round, last.order + step.order, whole[-1].content, last.firm_id).save()
    return bool(route.steps) and not next_turn(last.subject, title, link)


@prepared
def _signed_whole(subject: str) -> QuerySet[SignOff]:
    rows = SignOff.objects.filter(subject=subject, state__in=[GIVEN, KEPT], scope="all")
    return rows.order_by("order", "id")


def end(member: Membership, subject: str, state: SignOff.State, comment: str) -> SignOff:
    """Send back or turn down: the route ends, what others were still asked is dropped."""
    if len(comment.strip()) < 3:
        raise Refusal(say("Say why, so that the traveller knows what to do."), "comment")
    signoff = turn_of(member, subject)
    _decide(signoff, state, comment)
    drop(subject)
    return signoff


def pass_on(member: Membership, subject: str, to: Membership, comment: str, title: str, link: str) -> SignOff:
    """Hand a decision to somebody else with a message."""
    signoff = turn_of(member, subject)
    if to.pk == member.pk or not to.active or to.firm_id != member.firm_id or not to.may["decide"]:
        raise Refusal(say("Choose another approver of the firm."), "to")
    limit, own = to.limit, member.limit
    if limit is not None and signoff.amount > limit and (own is None or own > limit):
        raise Refusal(
            say(
                "{to} signs up to {limit}, this comes to {signoff_amount}. Choose somebody who may.",
                to=to.person.name,
                limit=limit,
                signoff_amount=signoff.amount,
            ),
            "to",
        )
    if SignOff.objects.filter(subject=subject, signer=to, state=WAITING).exists():
        raise Refusal(say("{to} is on the route already.", to=to.person.name), "to")
    _decide(signoff, SignOff.State.PASSED_ON, comment)
    why = (
        say("passed on by {member}: {comment}", member=member.person.name, comment=comment)
        if comment
        else say("passed on by {member}", member=member.person.name)
    )
    SignOff.objects.create(
        firm=member.firm, subject=subject, kind=signoff.kind, object_id=signoff.object_id, round=signoff.round, order=signoff.order, signer=to, why=why[:300],
        scope=signoff.scope, content=signoff.content, title=signoff.title, amount_minor=signoff.amount_minor,
        currency=signoff.currency, marks=signoff.marks, what=signoff.what, coding=signoff.coding, risk=signoff.risk,
    )  # fmt: skip
    next_turn(subject, title, link)
    return signoff


def hand_on(row: SignOff, to: Membership, covers: str, why: str, link: str) -> SignOff:
    """Let somebody else be asked in the place of a signer who is away or gone. Inside the caller's transaction.

    Where they are asked of the same thing already, they are asked once, for both.
    """
    row.state, row.turn, had_turn = SignOff.State.DROPPED, False, row.turn
    row.save(update_fields=["state", "turn"])
    other = SignOff.objects.filter(subject=row.subject, signer=to, state=WAITING).first()
    if other is not None:
        if other.scope != row.scope:
            whole = row if row.scope == "all" else other
            other.scope, other.content = "all", whole.content
        other.why = f"{other.why}; {why}"[:300]
        other.save(update_fields=["scope", "content", "why"])
    else:
        other = SignOff.objects.create(
            firm_id=row.firm_id, subject=row.subject, kind=row.kind, object_id=row.object_id, round=row.round,
            order=row.order, signer=to, covers=covers, why=why[:300], scope=row.scope, content=row.content,
            title=row.title, amount_minor=row.amount_minor, currency=row.currency, marks=row.marks,
            what=row.what, coding=row.coding, risk=row.risk,
        )  # fmt: skip
    if had_turn:
        next_turn(row.subject, row.title, link)
    return other


def renew(subject: str, amount: Money, contents: Mapping[str, str], risk: int) -> None:
    """Put what has changed by an act on the route before those who have not signed yet; who signed has signed what it was."""
    for row in SignOff.objects.filter(subject=subject, state=WAITING):
        row.content, row.amount_minor, row.risk = contents.get(row.scope, row.content), amount.minor, risk
        row.save(update_fields=["content", "amount_minor", "risk"])


def drop(subject: str) -> None:
    """Drop everything still asked of anybody."""
    SignOff.objects.filter(subject=subject, state=WAITING).update(state=SignOff.State.DROPPED, turn=False)


def anyone_decided(subject: str) -> bool:
    """Say whether somebody has decided in the round that is under way."""
    last = SignOff.objects.filter(subject=subject).order_by("-round").first()
    return last is not None and SignOff.objects.filter(subject=subject, round=last.round, state=GIVEN).exists()


def anyone_waits(subject: str) -> bool:
    """Say whether somebody still has to sign."""
    return SignOff.objects.filter(subject=subject, state=WAITING).exists()


def asked_now(subject: str) -> list[SignOff]:
    """Return those who are asked now or have signed in the round that is under way, to be told of things."""
    rows = list(SignOff.objects.filter(subject=subject).select_related("signer__person", "signer__firm"))
    last = max((row.round for row in rows), default=0)
    return [row for row in rows if row.round == last and (row.turn or row.state in (GIVEN, KEPT))]


def remark(member: Membership, subject: str, text: str, line: str = "") -> Remark:
    """Say something on a subject or a line."""
    if not text.strip():
        raise Refusal(say("Write what you want to say."), "text")
    return Remark.objects.create(
        firm=member.firm,
        subject=subject,
        line=line,
        by=member.doer,
        text=text.strip()[:1000],
        composed=isinstance(text, Said),
        time=clock.now(),
    )


def _decide(signoff: SignOff, state: SignOff.State, comment: str) -> None:
    signoff.state, signoff.decided, signoff.comment, signoff.turn = state, clock.now(), comment.strip()[:1000], False
    signoff.save(update_fields=["state", "decided", "comment", "turn"])
