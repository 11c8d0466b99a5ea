"""What the bank answers: carried to payments, claims and advances, in whatever order it comes."""

from __future__ import annotations

from django.db import transaction

from wainwright.accounts import services as accounts
from wainwright.accounts.models import Payment, PayRun, Posting
from wainwright.accounts.selectors import books as ledger_books
from wainwright.accounts.selectors import supplier_of
from wainwright.claims.models import Claim
from wainwright.claims.paying import ADVANCE, ISSUER, all_paid, subject_of
from wainwright.claims.services.closing import link, settled
from wainwright.claims.services.correcting import may_set_off, set_off_advance
from wainwright.core.money import Money
from wainwright.core.posting import advance_journal, payment_journal
from wainwright.core.said import joined, say
from wainwright.errors import Refusal, Stale
from wainwright.formats.apart import apart
from wainwright.formats.pain002 import Answer, Outcome
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.selectors import finance_of
from wainwright.trail.services import record
from wainwright.trips.models import Trip

# From these finance may say what became of a payment: the file went to the bank, whether or not it has answered.
SETTLED_BY_HAND = (PayRun.State.SENT, PayRun.State.WAITING, PayRun.State.ANSWERED)
# What the bank must have said of a payment that is closed.
CLOSED = {Payment.State.PAID: Outcome.PAID, Payment.State.FAILED: Outcome.REFUSED}


def take_answer(member: Membership, run_id: int, content: bytes) -> PayRun:
    """Finance takes in an answer of the bank that came as a file. Raises ``Refusal``, ``Unreadable``."""
    must(member, "pay")
    # A file is opened apart before anything is locked; what comes through the bank's own port is the bank's.
    apart("answer", content)
    with transaction.atomic():
        run = PayRun.objects.select_for_update(no_key=True).get(firm_id=member.firm_id, pk=run_id)
        if not accounts.keep_answer(run, content, member):
            raise Refusal(say("That answer was taken in before."), "answer")
        record(member, say("took in an answer of the bank"), f"payrun:{run.pk}", after={"bytes": len(content)})
    carry_answers(run)
    return PayRun.objects.get(pk=run.pk)


def carry_answers(run: PayRun) -> None:
    """Carry what the bank has said so far to every payment of a run, in whatever order it came.

    What is pending, or said in words that nobody knows, keeps a payment under way. Answers that contradict each other
    move nothing: finance is told.
    """
    reports, blocks = accounts.reports_of(run), accounts.blocks_of(run)
    for payment in Payment.objects.filter(run=run).order_by("id"):
        said = [report.of(payment.end_to_end, blocks.get(payment.end_to_end, "")) for report in reports]
        answers = [answer for answer in said if answer is not None]
        final = {each.outcome: each for each in answers if each.outcome != Outcome.PENDING}
        if payment.by_hand:
            continue
        if len(final) > 1 or (final and payment.state in CLOSED and CLOSED[payment.state] not in final):
            _contradicted(payment.pk)
        elif answers and payment.state == Payment.State.UNDER_WAY:
            _answered(payment.pk, next(iter(final.values()), answers[-1]))
    if reports:
        _stand(run)


def _stand(run: PayRun) -> None:
    """A run that the bank has answered stands at Waiting while any of its payments is open."""
    waiting = Payment.objects.filter(run=run, state__in=Payment.OPEN).exists()
    PayRun.objects.filter(pk=run.pk).update(state=PayRun.State.WAITING if waiting else PayRun.State.ANSWERED)


@transaction.atomic
def _contradicted(payment_id: int) -> None:
    """The bank has said both: nothing moves until finance says what happened, and nothing is paid again meanwhile."""
    payment = Payment.objects.select_for_update(of=("self",), no_key=True).select_related("run").get(pk=payment_id)
    words = say(
        "the bank has said both that it was paid and that it was not: ask the bank, then say here what happened"
    )
    if payment.said == words:
        return
    payment.said = words
    others = Payment.objects.filter(subject=payment.subject).exclude(pk=payment.pk).exclude(state=Payment.State.FAILED)
    if payment.state != Payment.State.PAID and not others.exists():
        payment.state = Payment.State.UNCLEAR
    payment.save(update_fields=["said", "state"])
    record(None, say("answers of the bank contradict each other"), payment.subject, firm_id=payment.run.firm_id)
    _tell_finance(payment, words)


def settle_by_hand(member: Membership, payment_id: int, paid: bool, words: str) -> Payment:
    """Finance says what became of a payment that the bank has not settled, or says both of. Raises ``Refusal``, ``Stale``."""
    must(member, "pay")
    if len(words.strip()) < 3:
        raise Refusal(say("Say how you know, so that others can follow it."), "words")
    with transaction.atomic():
        payment = (
            Payment.objects.select_for_update(of=("self",), no_key=True)
            .select_related("run")
            .filter(pk=payment_id, run__firm_id=member.firm_id, run__state__in=SETTLED_BY_HAND, run__to_release=False)
            .first()
        )
        if payment is None or not payment.open or payment.member_id == member.pk:
            raise Stale(say("That payment is not open any more, or is your own."))
        Payment.objects.filter(pk=payment.pk).update(
            state=Payment.State.UNDER_WAY, failure="", by_hand=words.strip()[:200]
        )
        after = {"paid": paid, "words": words.strip()[:300]}
        record(
            member, say("said what became of a payment"), payment.subject, before={"state": payment.state}, after=after
        )
        _answered(payment.pk, Answer(payment.end_to_end, "ACSC" if paid else "RJCT"))
        _stand(payment.run)
    return Payment.objects.get(pk=payment.pk)


def answered_by_hand(payment_id: int) -> None:
    """Carry on what was paid without a file. Inside the caller's transaction."""
    _answered(payment_id, Answer("", "ACSC"))


def _tell_finance(payment: Payment, words: str) -> None:
    for person in finance_of(payment.run.firm_id):
        tell(person, joined("", (payment.text, ": ", words)), f"/ledger/pay/{payment.run_id}/")


@transaction.atomic
def _answered(payment_id: int, answer: Answer) -> None:
    payment = (
        Payment.objects.select_for_update(of=("self",), no_key=True)
        .select_related("run__firm", "member__person", "member__firm")
        .get(pk=payment_id)
    )
    if payment.state != Payment.State.UNDER_WAY:
        return
    accepted, words = answer.outcome == Outcome.PAID, answer.words
    if answer.status != payment.status or words != payment.said:
        payment.status, payment.said = answer.status[:8], words[:120]
        payment.save(update_fields=["status", "said"])
        if answer.outcome == Outcome.PENDING:
            record(
                None,
                say("the bank has not settled it yet"),
                payment.subject,
                firm_id=payment.run.firm_id,
                after={"status": answer.status, "words": words},
            )
            _tell_finance(payment, say("not settled yet, {words}", words=words))
    if answer.outcome == Outcome.PENDING:
        return
    kind, number = subject_of(payment.subject)
    things = Trip.objects if kind == ADVANCE else Claim.objects.select_related("trip", "statement")
    thing = things.select_for_update(of=("self",), no_key=True).select_related("firm").get(pk=number)
    if isinstance(thing, Trip) and accepted and not may_set_off(thing):
        # The journal of its claim is on the way: the answer is taken up when that is entered or refused.
        return
    where = f"/trips/{thing.pk}/" if kind == ADVANCE else link(thing)
    if not accepted:
        payment.state, payment.failure = Payment.State.FAILED, words[:120]
        payment.save(update_fields=["state", "failure"])
        record(None, say("payment failed"), payment.subject, firm_id=thing.firm_id, after={"why": words})
        tell(
            payment.member,
            say("The payment of {payment_text} failed: {words}", payment_text=payment.text, words=words),
            where,
            say("Check your account for repayment in your profile. Finance pays it again."),
        )
        _tell_finance(
            payment,
            say(
                "the payment to {member} failed, {words}. It can be paid again.",
                member=payment.member.person.name,
                words=words,
            ),
        )
        return
    payment.state = Payment.State.PAID
    payment.save(update_fields=["state"])
    books = ledger_books(thing.firm).accounts
    make = advance_journal if kind == ADVANCE else payment_journal
    journal = make(f"payment:{payment.end_to_end}", payment.amount, books, payment.text)
    journal = journal.naming(supplier_of(payment.member), (*books.of_staff, books.advances))
    posting = accounts.prepare_posting(
        thing.firm, journal, payment.subject, say("Payment {payment_text}", payment_text=payment.text), payment.run.date
    )
    if isinstance(thing, Trip):
        _paid_out(thing, payment.amount)
        record(None, say("advance paid"), thing.subject, firm_id=thing.firm_id, after={"amount": payment.amount_minor})
        correction = set_off_advance(thing, payment.amount)
        if correction is not None:
            transaction.on_commit(lambda: accounts.send_posting(correction, None))
            _settle_if_even(correction)
    elif all_paid(thing):
        settled(thing)
    tell(
        payment.member,
        (
            say(
                "{payment_amount} {currency} for {payment_text} is on its way to the issuer of your card",
                payment_amount=payment.amount,
                currency=thing.firm.currency,
                payment_text=payment.text,
            )
            if kind == ISSUER
            else say(
                "{payment_amount} {currency} for {payment_text} is on its way to your account",
                payment_amount=payment.amount,
                currency=thing.firm.currency,
                payment_text=payment.text,
            )
        ),
        where,
    )
    transaction.on_commit(lambda: accounts.send_posting(posting, None))


def _paid_out(trip: Trip, amount: Money) -> None:
    """Keep that an advance, or what it was raised by, was paid. Inside the caller's transaction."""
    if trip.advance_paid:
        if trip.advance_settled:
            # A claim has taken what was paid before: what the traveller holds is the rest alone.
            trip.advance_back_minor = trip.advance_paid_out.minor
            trip.advance_settled = False
        trip.advance_unpaid_minor = max(0, trip.advance_unpaid_minor - amount.minor)
    trip.advance_paid = True
    trip.save(update_fields=["advance_paid", "advance_settled", "advance_unpaid_minor", "advance_back_minor"])


def _settle_if_even(correction: Posting) -> None:
    """Close the posted claim whose advance covered everything. Inside the caller's transaction."""
    claim = Claim.objects.select_related("trip", "statement").get(pk=int(correction.subject.partition(":")[2]))
    if claim.statement is not None and claim.statement.due_minor == 0:
        settled(claim)
