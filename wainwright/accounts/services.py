"""Acts on budgets, journals and payments. What is sent outside goes out under a key, so that it can be sent again."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from django.db import IntegrityError, transaction
from django.db.models import QuerySet

from wainwright import clock
from wainwright.accounts.connection import ask
from wainwright.accounts.models import (
    BankAnswer,
    Budget,
    BudgetUse,
    CodingKept,
    CodingPart,
    Payment,
    PayRun,
    Posting,
    PostingLine,
)
from wainwright.accounts.periods import open_day
from wainwright.accounts.selectors import journal_of
from wainwright.core.coding import Coding, coding_key
from wainwright.core.money import Money, total
from wainwright.core.posting import Journal
from wainwright.core.said import joined, said_by, say
from wainwright.errors import Refusal, Stale
from wainwright.formats.pain001 import Payer, Transfer, read_pain001, write_pain001
from wainwright.formats.pain002 import StatusReport, read_pain002
from wainwright.outside import service
from wainwright.people.models import Firm, Membership
from wainwright.people.numbering import next_number
from wainwright.ports.ledger import Entered, LedgerAway, LedgerShut, Refused
from wainwright.prepared import prepared
from wainwright.rulebook.selectors import rulebook
from wainwright.trail import anchors
from wainwright.trail.services import record

# How a refusal is kept that is the connection's, not the journal's.
SHUT = "LB-900"


def use_budgets(
    firm: Firm, year: int, subject: str, amounts: Mapping[tuple[str, str], Money], actual: bool, instead_of: str = ""
) -> None:
    """Set what ``subject`` commits or spends of every budget it touches; ``instead_of`` gives back another's use.

    Inside the caller's transaction. Codes without a budget are passed over.
    """
    BudgetUse.objects.filter(subject__in=[subject, instead_of]).delete()
    for budget in _budgets(firm.pk):
        amount = amounts.get((budget.dimension, budget.code))
        if amount and budget.year == year:
            field = "actual_minor" if actual else "committed_minor"
            BudgetUse.objects.create(budget=budget, subject=subject, **{field: amount.minor})


@prepared
def _budgets(firm: int) -> QuerySet[Budget]:
    return Budget.objects.filter(firm_id=firm)


def give_back(subject: str) -> None:
    """Give back whatever ``subject`` uses of any budget."""
    BudgetUse.objects.filter(subject=subject).delete()


def keep_codings(firm: Firm, codings: Iterable[Coding]) -> dict[Coding, CodingKept]:
    """Return the kept row of each distinct coding, made where it is new; those without a code have none.

    Inside the caller's transaction. Four queries at most, whatever their number.
    """
    wanted = {coding_key(coding.codes): Coding.of(coding.codes) for coding in codings if coding}
    rows = CodingKept.objects.filter(firm=firm, key__in=wanted)
    known = {row.key: row for row in rows}
    new = wanted.keys() - known.keys()
    if new:
        # Another process may keep the same one meanwhile: whichever came first is taken by both.
        CodingKept.objects.bulk_create([CodingKept(firm=firm, key=key) for key in sorted(new)], ignore_conflicts=True)
        known = {row.key: row for row in rows.all()}
        CodingPart.objects.bulk_create(
            [CodingPart(coding=known[key], dimension=dimension, code=code) for key in sorted(new) for dimension, code in wanted[key].codes],
            ignore_conflicts=True,
        )  # fmt: skip
    return {coding: known[key] for key, coding in wanted.items()}


@transaction.atomic
def prepare_posting(firm: Firm, journal: Journal, subject: str, title: str, on: date) -> Posting:
    """Keep a journal before it is sent; one that was refused is written anew under the same key.

    Raises ``Stale`` when the key is already entered.
    """
    posting = Posting.objects.filter(firm=firm, key=journal.key).first()
    if posting and posting.state == Posting.State.ENTERED:
        raise Stale(say("It stands in the ledger already as {number}.", number=posting.number))
    values = {
        # A month that finance has closed takes nothing more: what comes later goes to the next.
        "subject": subject, "title": title, "date": open_day(firm, on), "currency": journal.currency,
        "total_minor": journal.debits.minor, "state": Posting.State.SENDING, "time": clock.now(),
        "tries": (posting.tries if posting else 0) + 1,
    }  # fmt: skip
    posting, _ = Posting.objects.update_or_create(firm=firm, key=journal.key, defaults=values)
    posting.lines.all().delete()
    rows = []
    kept = keep_codings(firm, (entry.coding for entry in journal.entries))
    for order, entry in enumerate(journal.entries):
        row = PostingLine(
            posting=posting, order=order, account=entry.coding.account, debit_minor=entry.debit.minor,
            credit_minor=entry.credit.minor, text=entry.text[:160], party=entry.party, kept=kept.get(entry.coding.with_account("")),
        )  # fmt: skip
        row.take_coding(entry.coding)
        rows.append(row)
    PostingLine.objects.bulk_create(rows)
    return posting


def send_posting(posting: Posting, who: Membership | None) -> Posting:
    """Send a kept journal to the ledger and keep the answer.

    The ledger takes a key once, so that a process that died between sending and keeping can send again. One that does
    not answer leaves the journal on its way: it is sent again by itself, under the same key.
    """
    journal = journal_of(posting)
    try:
        answer = ask(posting.firm, lambda ledger, firm: ledger.post(firm, journal, posting.date))
    except LedgerShut as error:
        answer = Refused(SHUT, said_by(error))
    except LedgerAway:
        return Posting.objects.select_related("firm").get(pk=posting.pk)
    return keep_ledger_answer(posting, answer, who)


def keep_ledger_answer(posting: Posting, answer: Entered | Refused, who: Membership | None) -> Posting:
    """Keep what a ledger said of a journal, whoever brought the answer; one that is entered stays so."""
    with transaction.atomic():
        posting = Posting.objects.select_for_update(no_key=True).select_related("firm").get(pk=posting.pk)
        if posting.state == Posting.State.ENTERED:
            return posting
        if isinstance(answer, Entered):
            posting.state, posting.number = Posting.State.ENTERED, answer.number
            posting.refusal_code = posting.refusal_text = posting.refusal_about = ""
            what = say("entered in the ledger")
        else:
            posting.state = Posting.State.REFUSED
            posting.refusal_code, posting.refusal_text = answer.code, answer.text[:300]
            posting.refusal_about = answer.about[:60]
            what = say("refused by the ledger")
        posting.save()
        after = {"number": posting.number, "code": posting.refusal_code, "text": posting.refusal_text}
        record(who, what, posting.subject, firm_id=posting.firm_id, after=after)
    return posting


@dataclass(frozen=True)
class Payable:
    """Something that is owed to a person and can be paid: to their own account, or ``to`` somebody else for them, on ``iban``."""

    subject: str
    member: Membership
    amount: Money
    text: str
    to: str = ""
    iban: str = ""

    @property
    def payee(self) -> str:
        """Who gets it."""
        return self.to or self.member.person.name

    @property
    def account(self) -> str:
        """Where to; nothing where that is not known."""
        return self.iban if self.to else self.member.iban

    @property
    def early(self) -> bool:
        """Whether it goes to an account that was changed less than a day ago."""
        return not self.to and bool(self.member.account_from)


@transaction.atomic
def prepare_pay_run(who: Membership, payables: Sequence[Payable], on: date) -> PayRun:
    """Make the payment file of a run. Raises ``Refusal`` for nothing to pay or a missing account, ``Stale`` for a second payment."""
    firm = who.firm
    if not payables:
        raise Refusal(say("Nothing is chosen. Choose at least one claim to pay."))
    early = [p.payee for p in payables if p.early]
    if early:
        raise Refusal(
            say("The account of {list} was changed less than a day ago. Confirm it, or wait.", list=joined(", ", early))
        )
    without = [p.payee for p in payables if not p.account]
    if without:
        raise Refusal(
            say(
                "No bank account is known for {list}. It is added in their profile, an issuer's under Cards.",
                list=joined(", ", without),
            )
        )
    number, message_id = _next_run(firm)
    transfers = [
        Transfer(f"{message_id}-{index:03d}"[:35], p.payee, p.account, p.amount, p.text, on)
        for index, p in enumerate(payables, 1)
    ]
    try:
        payer = Payer(firm.name, firm.iban, firm.bic, firm.currency)
        content = write_pain001(payer, transfers, message_id, rulebook(firm).policy.pain)
    except ValueError as error:
        raise Refusal(say("The payment file cannot be written: {error}", error=error)) from error
    whole, most = total((p.amount for p in payables), firm.currency), rulebook(firm).policy.release_above_minor
    run = PayRun.objects.create(
        firm=firm, number=number, date=on, currency=firm.currency, message_id=message_id, file=content, made_by=who,
        total_minor=whole.minor, time=clock.now(), to_release=most is not None and whole.minor > most,
    )  # fmt: skip
    _keep_payments(run, payables, [each.end_to_end for each in transfers])
    record(who, say("made a pay run"), f"payrun:{run.pk}", after={"total": run.total_minor, "payments": len(payables)})
    anchors.drop_when_kept(say("pay run {number} of {slug}", number=run.number, slug=firm.slug), firm.pk)
    return run


def _next_run(firm: Firm) -> tuple[int, str]:
    """The number of a firm's next pay run, and what its message is called at the bank."""
    number = next_number(PayRun, firm)
    return number, f"WW-{firm.slug[:12].upper()}-{number:05d}"


def _keep_payments(run: PayRun, payables: Sequence[Payable], keys: Sequence[str]) -> list[Payment]:
    """Keep the payments of a run; the database refuses a subject that is under way or paid already. Raises ``Stale``."""
    try:
        with transaction.atomic():
            return Payment.objects.bulk_create(
                Payment(run=run, subject=p.subject, member=p.member, text=p.text[:140], iban=p.account, amount_minor=p.amount.minor, end_to_end=key)
                for p, key in zip(payables, keys, strict=True)
            )  # fmt: skip
    except IntegrityError as error:
        raise Stale(
            say("One of these is already in another pay run. Open the page again to see what is left.")
        ) from error


def keep_by_hand(
    who: Membership, payables: Sequence[Payable], on: date, method: str, reference: str
) -> tuple[PayRun, list[Payment]]:
    """Keep what was paid without a file: a run of its own, answered as it is made. Inside the caller's transaction. Raises ``Stale``."""
    firm = who.firm
    number, message_id = _next_run(firm)
    run = PayRun.objects.create(
        firm=firm, number=number, date=on, currency=firm.currency, message_id=message_id, file=b"", made_by=who, state=PayRun.State.ANSWERED,
        by_hand=method[:40], total_minor=total((p.amount for p in payables), firm.currency).minor, time=clock.now(),
    )  # fmt: skip
    rows = _keep_payments(run, payables, [f"{message_id}-{index:03d}" for index in range(1, len(payables) + 1)])
    Payment.objects.filter(run=run).update(by_hand=f"{method}: {reference}"[:200])
    record(
        who,
        say("paid by hand"),
        f"payrun:{run.pk}",
        after={"total": run.total_minor, "method": method, "reference": reference},
    )
    anchors.drop_when_kept(say("pay run {number} of {slug}", number=run.number, slug=firm.slug), firm.pk)
    return run, rows


def send_pay_run(run: PayRun) -> None:
    """Send a run's file to the bank and keep the answer; the bank pays a message once, so this can be repeated.

    Raises ``Unreadable`` for an answer that is none; the run stays Sent and is sent again.
    """
    if run.to_release:
        raise Stale(say("It waits for a second person, who releases it."))
    PayRun.objects.filter(pk=run.pk, state=PayRun.State.PREPARED).update(state=PayRun.State.SENT)
    keep_answer(run, service("bank").send(bytes(run.file)), None)


def keep_answer(run: PayRun, content: bytes, by: Membership | None) -> bool:
    """Keep an answer to a run as it came; return whether it is a new one. Raises ``Unreadable``, ``Refusal``."""
    report = read_pain002(content)
    if report.message_id != run.message_id:
        raise Refusal(
            say(
                "That answers the message {message_id}, not {message_id_2}.",
                message_id=report.message_id[:40],
                message_id_2=run.message_id,
            ),
            "answer",
        )
    values = {"content": content, "by": by, "time": clock.now()}
    digest = hashlib.sha256(content).hexdigest()
    return BankAnswer.objects.get_or_create(run=run, sha256=digest, defaults=values)[1]


def reports_of(run: PayRun) -> list[StatusReport]:
    """Return every answer to a run that was kept, in the order in which they came."""
    return [read_pain002(bytes(content)) for content in run.answers.values_list("content", flat=True)]


def blocks_of(run: PayRun) -> dict[str, str]:
    """Return the payment block of each payment of a run, by its end-to-end id, as its file says."""
    # The order of a run of long ago may be taken away.
    return {each.end_to_end: each.block for each in read_pain001(bytes(run.file))[1]} if run.file else {}
