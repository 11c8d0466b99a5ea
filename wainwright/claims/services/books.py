"""Posting and paying claims. What goes outside goes out under a key, so that a broken-off act is finished, never repeated."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

from django.db import transaction

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Payment, PayRun, Posting
from wainwright.accounts.selectors import books as ledger_books
from wainwright.accounts.selectors import refusal_words
from wainwright.claims.models import Claim
from wainwright.claims.selectors import advances_to_pay, journal_for, payable
from wainwright.claims.services.correcting import may_set_off, set_off_advance
from wainwright.claims.services.road import finance_claim, link
from wainwright.claims.statements import read
from wainwright.core.posting import advance_journal, payment_journal
from wainwright.core.states import CHARGE, CLAIM, TRIP
from wainwright.errors import NotAllowed, Stale
from wainwright.expenses.models import Charge
from wainwright.formats.pain002 import StatusReport
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.trail.services import record
from wainwright.trips.models import Trip


def post(member: Membership, claim_id: int, version: int, on: date | None = None) -> Claim:
    """Post a cleared claim: keep its journal, send it, keep the answer. Raises ``Stale`` when it is posted already."""
    with transaction.atomic():
        claim = finance_claim(member, claim_id, version)
        CLAIM.after(claim.state, "post")
        day = on or clock.today(claim.firm.zone)
        journal = journal_for(claim, read(claim.statement, claim.currency), ledger_books(claim.firm))
        posting = accounts.prepare_posting(claim.firm, journal, claim.subject, f"{claim.code} {claim.title}", day)
        record(member, "sent the journal", claim.subject, after={"key": posting.key, "try": posting.tries})
    return finish_posting(posting, member)


def finish_posting(posting: Posting, member: Membership | None) -> Claim:
    """Send a kept journal and carry its answer to the claim; safe to call again after it was broken off."""
    posting = accounts.send_posting(posting, member)
    with transaction.atomic():
        claim = (
            Claim.objects.select_for_update(of=("self",))
            .select_related(
                "firm",
                "claimant__person",
                "claimant__firm",
                "trip",
                "cleared_by__person",
                "cleared_by__firm",
                "statement",
            )
            .get(pk=int(posting.subject.partition(":")[2]))
        )
        entered = posting.state == Posting.State.ENTERED
        act = "post" if entered else "refuse"
        if not CLAIM.can(claim.state, act):
            return claim
        claim.state = CLAIM.after(claim.state, act)
        claim.version += 1
        claim.save()
        if entered:
            _posted(claim)
        else:
            words = refusal_words(posting)
            people = {person.pk: person for person in (claim.claimant, claim.cleared_by) if person}
            for person in people.values():
                tell(person, f"The ledger refused {claim.title}", link(claim), words)
    return claim


def _posted(claim: Claim) -> None:
    """What posting brings with it: charges are posted, commitment becomes actual, an even claim is settled."""
    for charge in Charge.objects.filter(expense__claim=claim):
        if CHARGE.can(charge.state, "post"):
            charge.state = CHARGE.after(charge.state, "post")
            charge.save(update_fields=["state"])
    done, row = read(claim.statement, claim.currency), claim.statement
    instead = claim.trip.subject if claim.trip else ""
    accounts.use_budgets(claim.firm, row.budget_day.year, claim.subject, done.by_code, actual=True, instead_of=instead)
    if row.advance_minor:
        Trip.objects.filter(pk=claim.trip_id, advance_paid=True).update(advance_settled=True)
    if row.due_minor == 0:
        settled(claim)


def _settle_if_even(trip: Trip) -> None:
    """Close the posted claim of a trip whose advance covered everything. Inside the caller's transaction."""
    claim = Claim.objects.select_related("trip", "statement").get(trip=trip)
    if claim.statement is not None and claim.statement.due_minor == 0:
        settled(claim)


def settled(claim: Claim) -> None:
    """Nothing is owed any more: the claim is settled and its trip closed. Inside the caller's transaction."""
    before = claim.state
    claim.state = CLAIM.after(claim.state, "settle")
    claim.version += 1
    claim.save()
    record(
        None,
        "claim settled",
        claim.subject,
        firm_id=claim.firm_id,
        before={"state": before},
        after={"state": claim.state},
    )
    if claim.trip and TRIP.can(claim.trip.state, "close"):
        claim.trip.state = TRIP.after(claim.trip.state, "close")
        claim.trip.save(update_fields=["state"])
        record(None, "trip closed", claim.trip.subject, firm_id=claim.firm_id)


def pay(member: Membership, claim_ids: Sequence[int], on: date, advance_ids: Sequence[int] = ()) -> PayRun:
    """Pay posted claims and advances of authorised trips in one run: make the file, send it, read the answer.

    Only finance. Raises ``Refusal``, and ``Stale`` where one of them was paid or changed meanwhile.
    """
    if not member.finance:
        raise NotAllowed("Only finance pays.")
    with transaction.atomic():
        chosen = list(payable(member).select_for_update(of=("self",)).filter(pk__in=claim_ids))
        trips = list(advances_to_pay(member).select_for_update(of=("self",)).filter(pk__in=advance_ids))
        if len(chosen) != len(set(claim_ids)) or len(trips) != len(set(advance_ids)):
            raise Stale("One of these was paid or changed meanwhile. Open the page again to see what is left.")
        payables = [accounts.Payable(c.subject, c.claimant, c.owed, f"{c.code} {c.title}") for c in chosen]
        payables += [
            accounts.Payable(t.advance_subject, t.traveller, t.advance, f"Advance {t.code} {t.title}") for t in trips
        ]
        run = accounts.prepare_pay_run(member, payables, on)
    finish_pay_run(run)
    return run


def finish_pay_run(run: PayRun) -> StatusReport:
    """Send a run and carry the bank's answer to every claim; safe to call again after it was broken off."""
    report = accounts.send_pay_run(run)
    answers = {answer.end_to_end: answer for answer in report.answers}
    for payment in Payment.objects.filter(run=run, state=Payment.State.UNDER_WAY).order_by("id"):
        answer = answers.get(payment.end_to_end)
        if answer is not None:
            _answered(payment.pk, answer.accepted, answer.words)
    if not Payment.objects.filter(run=run, state=Payment.State.UNDER_WAY).exists():
        PayRun.objects.filter(pk=run.pk).update(state=PayRun.State.ANSWERED)
    return report


@transaction.atomic
def _answered(payment_id: int, accepted: bool, words: str) -> None:
    payment = (
        Payment.objects.select_for_update(of=("self",))
        .select_related("run__firm", "member__person", "member__firm")
        .get(pk=payment_id)
    )
    if payment.state != Payment.State.UNDER_WAY:
        return
    kind, _, number = payment.subject.partition(":")
    things = Trip.objects if kind == "advance" else Claim.objects.select_related("trip")
    thing = things.select_for_update(of=("self",)).select_related("firm").get(pk=int(number))
    if isinstance(thing, Trip) and accepted and not may_set_off(thing):
        # The journal of its claim is on the way: the answer is taken up when that is entered or refused.
        return
    where = f"/trips/{thing.pk}/" if kind == "advance" else link(thing)
    if not accepted:
        payment.state, payment.failure = Payment.State.FAILED, words[:120]
        payment.save(update_fields=["state", "failure"])
        record(None, "payment failed", payment.subject, firm_id=thing.firm_id, after={"why": words})
        tell(
            payment.member,
            f"The payment of {payment.text} failed: {words}",
            where,
            "Check your bank account with finance.",
        )
        return
    payment.state = Payment.State.PAID
    payment.save(update_fields=["state"])
    books = ledger_books(thing.firm).accounts
    make = advance_journal if kind == "advance" else payment_journal
    journal = make(f"payment:{payment.end_to_end}", payment.amount, books, payment.text)
    posting = accounts.prepare_posting(
        thing.firm, journal, payment.subject, f"Payment {payment.text}", payment.run.date
    )
    if isinstance(thing, Trip):
        thing.advance_paid = True
        thing.save(update_fields=["advance_paid"])
        record(None, "advance paid", thing.subject, firm_id=thing.firm_id, after={"amount": payment.amount_minor})
        correction = set_off_advance(thing, payment.amount)
        if correction is not None:
            transaction.on_commit(lambda: accounts.send_posting(correction, None))
            _settle_if_even(thing)
    else:
        settled(thing)
    tell(
        payment.member,
        f"{payment.amount} {thing.firm.currency} for {payment.text} is on its way to your account",
        where,
    )
    transaction.on_commit(lambda: accounts.send_posting(posting, None))


def finish_what_broke_off(patience: timedelta = timedelta(minutes=2)) -> int:
    """Finish every posting and pay run that was broken off ``patience`` ago; return how many."""
    count = 0
    # What is younger may still be under way in another process.
    before = clock.now() - patience
    for posting in Posting.objects.filter(state=Posting.State.SENDING, time__lte=before).select_related("firm"):
        if posting.key.startswith("claim:"):
            finish_posting(posting, None)
        else:
            accounts.send_posting(posting, None)
        count += 1
    for run in PayRun.objects.exclude(state=PayRun.State.ANSWERED).filter(time__lte=before):
        finish_pay_run(run)
        count += 1
    return count
