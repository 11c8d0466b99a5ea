"""Paying besides a run that goes at once: by hand, released by a second person, taken back before; owed back reminded and written off."""

from __future__ import annotations

from datetime import date

from django.db import transaction

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Payment, PayRun, Posting
from wainwright.accounts.selectors import books, supplier_of
from wainwright.claims.models import Claim
from wainwright.claims.paying import at_bank, parts_of, payable
from wainwright.claims.services.answers import answered_by_hand
from wainwright.claims.services.books import finish_pay_run, not_by, payables_of
from wainwright.claims.services.closing import link, owed_claim, settled
from wainwright.core.posting import written_off_journal
from wainwright.core.said import joined, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.numbering import in_turn
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import record

# How money goes out without a file, where the firm names no ways of its own.
METHODS = ("bank transfer", "cash", "with the salary", "company cheque")


def methods_of(member: Membership) -> tuple[str, ...]:
    """The firm's ways of paying by hand."""
    return tuple(rulebook(member.firm).policy.pay_methods) or METHODS


def said_by_hand(member: Membership, method: str, on: date, reference: str, note: str) -> str:
    """Check how something was paid without a file; return reference and note in words. Raises ``NotAllowed``, ``Refusal``."""
    must(member, "pay")
    reference, note = " ".join(reference.split())[:80], " ".join(note.split())[:60]
    if method not in methods_of(member):
        raise Refusal(say("Choose how it was paid."), "method")
    if len(reference.strip()) < 3:
        raise Refusal(say("Say under which reference it was paid, so that it is found on the statement."), "reference")
    if not date(2000, 1, 1) <= on <= clock.today(member.firm.zone):
        raise Refusal(say("Choose the day on which it was paid: today or before."), "on")
    return joined("", (reference, " (", note, ")")) if note else reference


def pay_by_hand(member: Membership, claim_id: int, method: str, on: date, reference: str, note: str = "") -> PayRun:
    """Finance says that a claim was paid without a file: how, when, under which reference. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    words = said_by_hand(member, method, on, reference, note)
    with transaction.atomic():
        in_turn(member.firm_id)
        claim = (
            payable(member, at_bank(member.firm_id))
            .select_for_update(of=("self",), no_key=True)
            .filter(pk=claim_id)
            .first()
        )
        if claim is None:
            raise Stale(say("It was paid, is with the bank, or was changed meanwhile. Look again."))
        why = not_by(member, claim, rulebook(member.firm).policy.second_payer_minor)
        if why:
            raise NotAllowed(joined("", (claim.code, " ", why, ".")))
        payables = payables_of(parts_of([claim])[claim.pk])
        run, rows = accounts.keep_by_hand(member, payables, on, method, words)
        for row in rows:
            answered_by_hand(row.pk)
    return run


def release(member: Membership, run_id: int) -> PayRun:
    """Release a pay run that waits for a second person: its file goes to the bank. Raises ``NotAllowed``, ``Stale``."""
    must(member, "pay")
    with transaction.atomic():
        run = _waiting(member, run_id)
        if run.made_by_id == member.pk:
            raise NotAllowed(say("Somebody else releases what you have made."))
        if run.payments.filter(member=member).exists():
            raise NotAllowed(say("You are paid by it: somebody else releases it."))
        run.to_release, run.released_by = False, member
        run.save(update_fields=["to_release", "released_by"])
        record(member, say("released a pay run"), f"payrun:{run.pk}", after={"total": run.total_minor})
    finish_pay_run(run)
    return run


@transaction.atomic
def drop(member: Membership, run_id: int, why: str) -> PayRun:
    """Take a pay run back that was not released: what it would have paid is open again. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    must(member, "pay")
    words = " ".join(why.split())[:100]
    if len(words) < 3:
        raise Refusal(say("Say why it is taken back."), "why")
    run = _waiting(member, run_id)
    run.to_release, run.state = False, PayRun.State.ANSWERED
    run.save(update_fields=["to_release", "state"])
    run.payments.update(
        state=Payment.State.FAILED, failure=say("taken back before it was released: {words}", words=words)[:120]
    )
    record(member, say("took a pay run back"), f"payrun:{run.pk}", after={"why": words})
    if run.made_by_id != member.pk:
        tell(
            run.made_by,
            say(
                "{member} took pay run {number} back: {words}",
                member=member.person.name,
                number=run.number,
                words=words,
            ),
            f"/ledger/pay/{run.pk}/",
        )
    return run


def _waiting(member: Membership, run_id: int) -> PayRun:
    rows = PayRun.objects.select_for_update(of=("self",), no_key=True).select_related(
        "firm", "made_by__person", "made_by__firm"
    )
    run = rows.filter(pk=run_id, firm_id=member.firm_id, to_release=True).first()
    if run is None:
        raise Stale(say("It was released or taken back already."))
    return run


@transaction.atomic
def remind_owed_back(member: Membership, claim_id: int) -> Claim:
    """Remind a claimant of what they owe back. Raises ``NotAllowed``, ``Stale``."""
    claim, left = owed_claim(member, claim_id)
    record(member, say("reminded of what is owed back"), claim.subject, after={"amount": str(left)})
    tell(
        claim.claimant,
        say(
            "{left} {currency} is owed back on {claim_title}",
            left=left,
            currency=claim.currency,
            claim_title=claim.title,
        ),
        link(claim),
        say("Pay it back, or let it be taken from your next claim."),
    )
    return claim


def write_off(member: Membership, claim_id: int, account: str, why: str) -> Posting:
    """Give up what a claim is owed back, with a reason: a journal on an account of the firm's, and the claim is settled. Raises ``Refusal``."""
    words = " ".join(why.split())[:200]
    if len(words) < 3:
        raise Refusal(say("Say why it is given up."), "why")
    with transaction.atomic():
        claim, left = owed_claim(member, claim_id)
        ledger = books(claim.firm)
        if ("account", account) not in ledger.codes.codes:
            raise Refusal(say("The ledger has no account {account}.", account=account[:20] or say("(none)")), "account")
        most = rulebook(member.firm).policy.second_payer_minor
        if most is not None and left.minor > most and claim.cleared_by_id == member.pk:
            raise NotAllowed(say("It was cleared by you: somebody else writes so much off."))
        text = say("Written off, {claim_code} {claim_title}", claim_code=claim.code, claim_title=claim.title)
        journal = written_off_journal(
            f"written-off:{claim.firm_id}:{claim.number}", left, ledger.accounts, account, text
        ).naming(supplier_of(claim.claimant), ledger.accounts.of_staff)
        posting = accounts.prepare_posting(claim.firm, journal, claim.subject, text, clock.today(claim.firm.zone))
        record(
            member,
            say("wrote off what was owed back"),
            claim.subject,
            after={"amount": str(left), "account": account, "why": words},
        )
        settled(claim)
        tell(
            claim.claimant,
            say(
                "{left} {currency} on {claim_title} need not be paid back",
                left=left,
                currency=claim.currency,
                claim_title=claim.title,
            ),
            link(claim),
            words,
        )
    return accounts.send_posting(posting, member)
