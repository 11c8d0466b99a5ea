"""Deciding on one line of a claim that was sent: approved in part, sent back or turned down alone; corrected or added by finance."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from django.db import transaction

from wainwright import clock
from wainwright.claims.models import Claim, Correction
from wainwright.claims.selectors import live_file
from wainwright.claims.services.closing import link
from wainwright.claims.services.compose import must_be_claimant
from wainwright.claims.services.correcting import ask_again, ask_owners, deciders
from wainwright.claims.services.road import finance_claim, renew
from wainwright.claims.services.statements import amend
from wainwright.claims.statements import read
from wainwright.core.cutting import in_part
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.splits import SplitPart
from wainwright.core.statement import Line, Statement, between
from wainwright.core.versions import Change
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services.editing import PartTyped, correct_cost, correct_parts, correct_split, follow_meals
from wainwright.expenses.services.receipts import attach, take_in
from wainwright.expenses.services.taking import fill_cost
from wainwright.news.services import tell
from wainwright.people.acting import acting_for
from wainwright.people.models import Membership
from wainwright.people.selectors import finance_of
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff import services as signoff
from wainwright.trail.services import record

CORRECTABLE = ("In finance check", "Posting refused", "Cleared")


@transaction.atomic
def approve_in_part(
    member: Membership, claim_id: int, version: int, key: str, amount: Decimal, why: str
) -> Claim:  # fmt: skip
    """Approve less of a line than is claimed, with a reason; the claimant is told and may object. Raises ``Refusal``, ``Stale``."""
    claim = deciders(member, claim_id, version)
    was = read(claim.statement, claim.currency)
    line = _line(was, key)
    words = _why(why, say("Say why less is approved."))
    try:
        cut = in_part(line, Money.rounded(amount, claim.currency), words)
    except ValueError as error:
        raise Refusal(
            say(
                "In part is {error}. To pay nothing of it turn the line down; to pay all of it approve the claim.",
                error=error,
            ),
            "amount",
        ) from error
    done = was.with_line(cut)
    _amended(
        member,
        claim,
        say("approved a line in part"),
        done,
        key,
        say("{paid} of {paid_2} approved: {words}", paid=cut.paid, paid_2=line.paid, words=words),
    )
    words_ = say(
        "{paid} of {paid_2} is approved for {line_label} on {claim_title}",
        paid=cut.paid,
        paid_2=line.paid,
        line_label=line.label,
        claim_title=claim.title,
    )
    tell(
        claim.claimant,
        words_,
        link(claim),
        say("{words} You can object on the claim's page while it is not paid.", words=words),
    )
    return claim


@transaction.atomic
def take_line_out(
    member: Membership, claim_id: int, version: int, key: str, why: str, down: bool
) -> Claim:  # fmt: skip
    """Send one line back alone, or turn it down: it leaves the claim to the tray with why, and the rest goes on.

    Raises ``Refusal`` for the only line, and for what is no cost; ``Stale``.
    """
    claim = deciders(member, claim_id, version)
    was = read(claim.statement, claim.currency)
    line = _line(was, key)
    words = _why(why, say("Say why, so that the claimant knows what to do."))
    expense = Expense.objects.select_for_update(of=("self",), no_key=True).filter(pk=line.expense, claim=claim).first()
    if expense is None:
        raise Refusal(say("Only a cost leaves a claim alone. Correct it, or send the whole claim back."))
    if len(was.lines) == 1:
        raise Refusal(say("It is the only line. Send the whole claim back, or turn it down."))
    act = say("Turned down") if down else say("Sent back")
    expense.claim, expense.turned_down_in = None, claim
    expense.turned_down_why = say("{act} by {member}: {words}", act=act, member=member.person.name, words=words)[:300]
    expense.save(update_fields=["claim", "turned_down_in", "turned_down_why"])
    _amended(
        member,
        claim,
        say("turned down one line") if down else say("sent back one line"),
        was.without(key),
        key,
        joined(": ", (act, words)),
    )
    follow_meals(claim.pk)
    tell(
        claim.claimant,
        say("{line}, {says}, was turned down alone: it lies in your tray", line=line.label, says=line.says)
        if down
        else say("{line}, {says}, was sent back alone: it lies in your tray", line=line.label, says=line.says),
        "/tray/",
        words,
    )
    return claim


@transaction.atomic
def correct_line(
    member: Membership, claim_id: int, version: int, expense_id: int, why: str, **values: Any
) -> list[Change]:  # fmt: skip
    """Finance corrects one cost of a claim, as ``fill_cost`` takes it; the settlement follows. Returns what changed.

    Before and after stand side by side for the claimant, who is told and may object. What raises the claim is signed again
    where the firm says so. Raises ``Refusal``, ``Stale``.
    """
    claim, earned = _to_correct(member, claim_id, version)
    words, expense = _why(why, say("Say why it is corrected.")), _expense(claim, expense_id)
    correct_cost(member, expense, **values)
    return _corrected(member, claim, expense.key, words, say("corrected a line"), earned)


@transaction.atomic
def split_line(
    member: Membership, claim_id: int, version: int, expense_id: int, why: str, parts: Sequence[SplitPart]
) -> list[Change]:  # fmt: skip
    """Finance splits one cost of a claim over codings; no parts take its split off. Returns what changed. Raises ``Refusal``, ``Stale``."""
    claim, earned = _to_correct(member, claim_id, version)
    words, expense = _why(why, say("Say why it is corrected.")), _expense(claim, expense_id)
    correct_split(member, expense, parts)
    return _corrected(member, claim, expense.key, words, say("split a line"), earned)


@transaction.atomic
def break_line_down(
    member: Membership, claim_id: int, version: int, expense_id: int, why: str, parts: list[PartTyped]
) -> list[Change]:  # fmt: skip
    """Finance breaks one bill of a claim down anew: the daily allowance follows which meals it pays. Raises ``Refusal``, ``Stale``."""
    claim, earned = _to_correct(member, claim_id, version)
    words, expense = _why(why, say("Say why it is corrected.")), _expense(claim, expense_id)
    correct_parts(member, expense, parts)
    return _corrected(member, claim, expense.key, words, say("broke a bill down"), earned)


def _expense(claim: Claim, expense_id: int) -> Expense:
    rows = Expense.objects.select_for_update(of=("self",), no_key=True).select_related(
        "firm", "owner__person", "owner__firm", "claim"
    )
    expense = rows.filter(pk=expense_id, claim=claim).first()
    if expense is None:
        raise Stale(say("That line is not on the claim any more."))
    return expense


@transaction.atomic
def add_line(
    member: Membership, claim_id: int, version: int, why: str, name: str, content: bytes, **values: Any
) -> list[Change]:  # fmt: skip
    """Finance adds a line that is missing, with its paper. Raises ``Refusal``, ``Stale``, ``Unreadable``."""
    claim, earned = _to_correct(member, claim_id, version)
    words = _why(why, say("Say why it is added."))
    if not content:
        raise Refusal(say("A line that is added has its paper. Choose the file."), "file")
    # The file is the claimant's, the hand is finance's: the trail says both.
    owner = acting_for(member, Membership.objects.select_related("person").get(pk=claim.claimant_id))
    expense = Expense(firm=claim.firm, owner_id=owner.pk, currency=claim.currency, created=clock.now())
    expense.claim = claim
    fill_cost(expense, **values, by_finance=True)
    expense.claim = None
    expense.save()
    taken = take_in(owner, name, content)
    if taken.receipt is None:
        raise Refusal(taken.problem or say("That file is no paper of a cost."), "file")
    attach(owner, taken.receipt.pk, expense)
    Expense.objects.filter(pk=expense.pk).update(claim=claim)
    record(
        member, say("added a cost to a claim"), expense.key, after={"amount": expense.amount_minor, "paper": name[:80]}
    )
    return _corrected(member, claim, expense.key, words, say("added a line"), earned)


def _live(claim: Claim) -> tuple[Line, ...]:
    """The lines as they would be now, read afresh."""
    rows = Claim.objects.select_related("firm", "claimant__person", "claimant__firm", "trip__signed", "statement")
    return live_file(rows.get(pk=claim.pk)).figures.lines


def _earned(lines: Sequence[Line]) -> dict[str, Line]:
    return {line.key: line for line in lines if line.kind == "allowance"}


def _corrected(
    member: Membership, claim: Claim, key: str, why: str, act: str, earned: dict[str, Line]
) -> list[Change]:  # fmt: skip
    was = read(claim.statement, claim.currency)
    now = _live(claim)
    line = next(each for each in now if each.key == key)
    # A meal that a bill pays for is not paid twice: the daily allowance moves by what the correction moves, and no more.
    done = was.with_line(line).following(earned, _earned(now))
    changes = between(was, done)
    if not changes:
        raise Refusal(say("Nothing is another than before."))
    amend(claim, member, act, done, {"line": key, "why": why})
    Correction.objects.create(
        claim=claim, statement=claim.statement, by=member, key=key, label=line.label[:200], category=line.category, why=why, time=clock.now(),
        changes=[[c.section, c.label, c.before, c.after] for c in changes],
    )  # fmt: skip
    raised = done.total > was.total
    if raised and rulebook(claim.firm).policy.raise_asks:
        ask_again(member, claim, done)
    else:
        ask_owners(member, claim, done)
    told = joined(
        "; ",
        (
            say(
                "{c_label}: {before}, now {after}",
                c_label=c.label,
                before=c.before or say("not there"),
                after=c.after or say("not there"),
            )
            for c in changes[:4]
        ),
    )
    tell(
        claim.claimant, say("Finance on {claim_title}, {line_label}: {act}", act=act, claim_title=claim.title, line_label=line.label), link(claim),
        say("{why} {told}. You can object on the claim's page while it is not paid.", why=why, told=told),
    )  # fmt: skip
    return changes


def must_be_correctable(claim: Claim) -> None:
    """Raise ``Stale`` where a claim was posted, or is not with finance."""
    if claim.state not in CORRECTABLE:
        raise Stale(say("The claim stands at {state}: nothing is corrected on it now.", state=claim.state))


def _to_correct(member: Membership, claim_id: int, version: int) -> tuple[Claim, dict[str, Line]]:
    """The claim, locked, and what its trips earn before it is corrected."""
    claim = finance_claim(member, claim_id, version)
    must_be_correctable(claim)
    return claim, _earned(_live(claim))


def _line(done: Statement, key: str) -> Line:
    line = next((each for each in done.lines if each.key == key), None)
    if line is None:
        raise Stale(say("That line is not on the claim any more."))
    return line


def _why(words: str, ask: str) -> str:
    words = " ".join(words.split())[:250]
    if len(words) < 3:
        raise Refusal(ask, "why")
    return words


def _amended(member: Membership, claim: Claim, act: str, done: Statement, key: str, remark: str) -> None:
    """Write the next version, with a remark on the line, and put it before those who have not signed yet."""
    amend(claim, member, act, done, {"line": key, "why": remark})
    signoff.remark(member, claim.subject, remark, key)
    renew(claim, done)


@transaction.atomic
def object_to(member: Membership, claim_id: int, words: str) -> Claim:
    """The claimant objects to what was changed after sending, while it is not paid: nothing is paid until finance has answered.

    Raises ``Refusal``, ``Stale``.
    """
    claim = (
        Claim.objects.select_for_update(of=("self",), no_key=True)
        .visible_to(member)
        .select_related("firm", "claimant__person", "claimant__firm", "statement")
        .get(pk=claim_id)
    )
    must_be_claimant(member, claim)
    if (
        claim.statement is None
        or claim.statement.number < 2
        or claim.editable
        or claim.state in (*Claim.OVER, "Settled")
    ):
        raise Stale(say("The claim stands at {state}: there is nothing to object to on it now.", state=claim.state))
    words = _why(words, say("Say what is wrong about it."))
    claim.objection = words
    claim.version += 1
    claim.save(update_fields=["objection", "version"])
    signoff.remark(member, claim.subject, say("Objects: {words}", words=words))
    record(member, say("objected"), claim.subject, after={"words": words})
    for person in finance_of(claim.firm_id):
        tell(
            person,
            say(
                "{member} objects on {claim_title}: {words}",
                member=member.person.name,
                claim_title=claim.title,
                words=words[:120],
            ),
            f"/bench/claim/{claim.pk}/",
        )
    return claim


@transaction.atomic
def answer_objection(member: Membership, claim_id: int, version: int, words: str) -> Claim:
    """Finance answers an objection: what it corrected since stands, and the claim can be paid. Raises ``Refusal``, ``Stale``."""
    claim = finance_claim(member, claim_id, version)
    if not claim.objection:
        raise Stale(say("There is no objection to answer any more."))
    words = _why(words, say("Say what comes of it."))
    before, claim.objection = claim.objection, ""
    claim.version += 1
    claim.save(update_fields=["objection", "version"])
    signoff.remark(member, claim.subject, say("On the objection: {words}", words=words))
    record(member, say("answered an objection"), claim.subject, before={"words": before}, after={"words": words})
    tell(
        claim.claimant,
        say(
            "{member} on your objection to {claim_title}: {words}",
            member=member.person.name,
            claim_title=claim.title,
            words=words[:120],
        ),
        link(claim),
    )
    return claim
