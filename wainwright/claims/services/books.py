"""Posting and paying claims. What goes outside goes out under a key, so that a broken-off act is finished, never repeated."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import partial

from django.db import transaction
from django.db.models import Q

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import PayRun, Posting
from wainwright.accounts.periods import open_day
from wainwright.accounts.refusals import refusal_said
from wainwright.accounts.selectors import books as ledger_books
from wainwright.accounts.selectors import supplier_of, supplier_of_merchant
from wainwright.claims.models import Claim
from wainwright.claims.paying import (
    ADVANCE,
    ISSUER,
    AtBank,
    Part,
    advance_text,
    advances_to_pay,
    at_bank,
    parts_of,
    payable,
    subject_of,
    waiting_for_bank,
)
from wainwright.claims.selectors import journal_for
from wainwright.claims.services.answers import carry_answers
from wainwright.claims.services.closing import link, settle_what_it_paid, settled
from wainwright.claims.services.recalling import finish_recall, recalled_half
from wainwright.claims.services.road import finance_claim
from wainwright.claims.statements import read
from wainwright.core.coding import ACCOUNT
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.states import CHARGE, CLAIM
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Charge
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.numbering import in_turn
from wainwright.people.selectors import finance_of
from wainwright.ports.ledger import Entered, Refused
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.selectors import advance_words

log = logging.getLogger(__name__)
# What the ledger says of a supplier that it does not know, or has closed.
UNKNOWN_SUPPLIER = "LB-501"


def post(member: Membership, claim_id: int, version: int, on: date | None = None) -> Claim:
    """Post a cleared claim: keep its journal, send it, keep the answer. Raises ``Stale`` when it is posted already."""
    with transaction.atomic():
        claim = finance_claim(member, claim_id, version)
        CLAIM.after(claim.state, "post")
        if on is not None and not date(2000, 1, 1) <= on <= clock.today(claim.firm.zone) + timedelta(days=366):
            raise Refusal(say("Choose a day of this year or before on which it is posted."), "on")
        # Where the ledger has it and the act broke off before the claim followed, the claim follows now.
        posting = _entered(claim) or _prepared(member, claim, on or clock.today(claim.firm.zone))
    return finish_posting(posting, member)


def _prepared(member: Membership, claim: Claim, day: date) -> Posting:
    journal = journal_for(claim, read(claim.statement, claim.currency), ledger_books(claim.firm))
    posting = accounts.prepare_posting(
        claim.firm, journal, claim.subject, joined("", (claim.code, " ", claim.title)), day
    )
    record(member, say("sent the journal"), claim.subject, after={"key": posting.key, "try": posting.tries})
    return posting


def _entered(claim: Claim) -> Posting | None:
    """The journal of a claim's current entry where the ledger has it."""
    return (
        Posting.objects.filter(firm_id=claim.firm_id, key=claim.journal_key, state=Posting.State.ENTERED)
        .select_related("firm")
        .first()
    )


def finish_posting(posting: Posting, member: Membership | None) -> Claim:
    """Send a kept journal and carry its answer to the claim; safe to call again after it was broken off."""
    return _follow(accounts.send_posting(posting, member))


def take_report(member: Membership, claim_id: int, answer: Entered | Refused, day: date) -> Claim:
    """Take in what an outside ledger reports of a cleared claim that it fetched: entered under its number, or refused with why.

    Raises ``NotNow`` where the claim was posted or changed since.
    """
    with transaction.atomic():
        claim = finance_claim(member, claim_id)
        entered = _entered(claim)
        if entered is None:
            CLAIM.after(claim.state, "post")
        posting = entered or _prepared(member, claim, day)
    return _follow(accounts.keep_ledger_answer(posting, answer, member))


def _follow(posting: Posting) -> Claim:
    """Carry a ledger's answer to the claim."""
    with transaction.atomic():
        claim = (
            Claim.objects.select_for_update(of=("self",), no_key=True)
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
        if posting.state == Posting.State.SENDING:
            # The ledger does not answer: it is sent again by itself, and the claim follows then.
            return claim
        if not CLAIM.can(claim.state, act):
            return claim
        claim.state = CLAIM.after(claim.state, act)
        claim.version += 1
        claim.save()
        if entered:
            _posted(claim)
        else:
            _tell_refused(claim, posting)
    return claim


def _tell_refused(claim: Claim, posting: Posting) -> None:
    """Tell whoever cleared it, and whom the refusal concerns: the claimant where it is theirs to mend, else finance."""
    said = refusal_said(posting)
    people = {claim.cleared_by.pk: claim.cleared_by} if claim.cleared_by else {}
    if said.whom == "claimant":
        people[claim.claimant_id] = claim.claimant
    elif not people:
        people = {person.pk: person for person in finance_of(claim.firm_id)}
    if said.whom == "administrator":
        found = Membership.objects.filter(firm_id=claim.firm_id, administrator=True, active=True)
        people |= {person.pk: person for person in found.select_related("person", "firm")}
    for person in people.values():
        where = link(claim) if person.pk == claim.claimant_id else f"/bench/claim/{claim.pk}/"
        tell(person, say("The ledger refused {claim_title}", claim_title=claim.title), where, said.words)


def _posted(claim: Claim) -> None:
    """What posting brings with it: charges are posted, commitment becomes actual, an even claim is settled."""
    for charge in Charge.objects.filter(expense__claim=claim):
        if CHARGE.can(charge.state, "post"):
            charge.state = CHARGE.after(charge.state, "post")
            charge.save(update_fields=["state"])
    done, row = read(claim.statement, claim.currency), claim.statement
    instead = claim.trip.subject if claim.trip else ""
    accounts.use_budgets(
        claim.firm, claim.firm.year_of(row.budget_day), claim.subject, done.by_code, actual=True, instead_of=instead
    )
    for trip in claim.trips[1:]:
        accounts.give_back(trip.subject)
    if row.advance_minor:
        taken = claim.advances_taken.values("trip_id")
        mine = Q(pk=claim.trip_id) & ~Q(advance_taken__claim__gt=0) | Q(pk__in=taken)
        Trip.objects.filter(mine, advance_paid=True).update(advance_settled=True)
    settle_what_it_paid(claim)
    due = Money.from_minor(row.due_minor, claim.currency)
    words = (
        say("{due} is paid with the next run.", due=due)
        if due.minor > 0
        else say("{due} is owed back.", due=-due)
        if due.minor
        else say("Nothing is left to pay.")
    )
    tell(claim.claimant, say("{claim_title} is posted to the accounts", claim_title=claim.title), link(claim), words)
    if row.due_minor == 0:
        settled(claim)


@dataclass(frozen=True)
class Paid:
    """A run that was made, and what of that which was chosen could not go into it: what, and why."""

    run: PayRun
    left: list[str]


def pay(member: Membership, claim_ids: Sequence[int], on: date, advance_ids: Sequence[int] = ()) -> PayRun:
    """Pay in one run what can be paid of some claims and advances, as ``pay_what_can_be_paid``; return the run."""
    return pay_what_can_be_paid(member, claim_ids, on, advance_ids).run


def pay_what_can_be_paid(
    member: Membership, claim_ids: Sequence[int], on: date, advance_ids: Sequence[int] = ()
) -> Paid:  # fmt: skip
    """Pay posted claims and advances of authorised trips in one run: make the file, send it, carry the bank's answer.

    Only finance. What was paid or changed meanwhile, or has no bank account, is left out and said. Raises ``Stale``,
    or ``Refusal`` where nothing is left to pay.
    """
    must(member, "pay")
    with transaction.atomic():
        # A claim that waited for its lock is not asked again whether it is still to be paid: the whole run waits instead.
        in_turn(member.firm_id)
        bank = at_bank(member.firm_id)
        chosen = list(payable(member, bank).select_for_update(of=("self",), no_key=True).filter(pk__in=claim_ids))
        trips = list(
            advances_to_pay(member, bank).select_for_update(of=("self",), no_key=True).filter(pk__in=advance_ids)
        )
        left = _left_out(
            member, bank, set(claim_ids) - {c.pk for c in chosen}, set(advance_ids) - {t.pk for t in trips}
        )
        most = rulebook(member.firm).policy.second_payer_minor
        for claim in list(chosen):
            why = not_by(member, claim, most)
            if why:
                chosen.remove(claim)
                left.append(joined("", (claim.code, " ", why, ".")))
        for trip in [each for each in trips if each.traveller_id == member.pk]:
            trips.remove(trip)
            left.append(say("The advance of {trip_code} is your own: somebody else pays it.", trip_code=trip.code))
        parts = [part for its in parts_of(chosen).values() for part in its]
        payables = payables_of(parts)
        payables += [accounts.Payable(t.advance_subject, t.traveller, t.advance_to_pay, advance_text(t)) for t in trips]
        if left and not payables:
            raise Stale(say("Nothing is left to pay. {list}", list=joined(" ", left)))
        early = [each for each in payables if each.early]
        nowhere = [each for each in payables if not each.account]
        ready = [each for each in payables if each not in early and each not in nowhere]
        if ready:
            left += [
                say("No bank account is known for {name}: ask them to add it to their profile.", name=name)
                for name in _names([each for each in nowhere if not each.to])
            ]
            left += [
                say("No account is known for the card issuer {name}: add it under Cards of the firm.", name=name)
                for name in _names([each for each in nowhere if each.to])
            ]
            left += [
                say("The account of {name} was changed less than a day ago: confirm it, or wait.", name=name)
                for name in _names(early)
            ]
        run = accounts.prepare_pay_run(member, ready or payables, on)
    finish_pay_run(run)
    return Paid(run, left)


def payables_of(parts: Sequence[Part]) -> list[accounts.Payable]:
    """Return what is still to be paid of claims as payments are made of it."""
    return [
        accounts.Payable(p.subject, p.claim.claimant, p.amount, p.text, p.to if p.to_issuer else "", p.iban)
        for p in parts
    ]


def not_by(member: Membership, claim: Claim, most: int | None) -> str:
    """Why a person may not pay a claim themselves; nothing where they may. Nobody pays their own."""
    if claim.claimant_id == member.pk:
        return say("is your own: somebody else pays it")
    if most is not None and claim.owed.minor > most and claim.cleared_by_id == member.pk:
        return say(
            "was cleared by you: above {from_minor} somebody else pays",
            from_minor=Money.from_minor(most, claim.currency),
        )
    return ""


def _names(payables: Sequence[accounts.Payable]) -> list[str]:
    return sorted({each.payee for each in payables})


def _left_out(member: Membership, bank: AtBank, claim_ids: set[int], trip_ids: set[int]) -> list[str]:
    """Say of each claim and advance that cannot be paid why not; nothing of what the person may not see."""
    open_, waiting = bank.claims, set(waiting_for_bank(member, bank).values_list("pk", flat=True))
    words = []
    for claim in Claim.objects.filter(firm_id=member.firm_id, pk__in=claim_ids).order_by("pk"):
        why = (
            say("is with the bank already") if claim.pk in open_ else say("waits for the bank's answer on its advance")
        )
        if claim.objection:
            why = say("waits until finance has answered an objection")
        elif claim.pk not in open_ | waiting:
            why = say("was changed meanwhile: it stands at {state}", state=claim.state)
        words.append(joined("", (claim.code, " ", why, ".")))
    for trip in Trip.objects.filter(firm_id=member.firm_id, pk__in=trip_ids).order_by("pk"):
        words.append(
            say(
                "The advance of {trip_code} is {advance_words}.", trip_code=trip.code, advance_words=advance_words(trip)
            )
        )
    return words or ([say("One of these was paid or changed meanwhile.")] if claim_ids or trip_ids else [])


def finish_pay_run(run: PayRun) -> None:
    """Send a run where the bank has not answered yet, and carry its answers on; safe to call again after a break."""
    if run.to_release:
        return
    if run.state in (PayRun.State.PREPARED, PayRun.State.SENT):
        accounts.send_pay_run(run)
    carry_answers(run)


def post_again(member: Membership, posting_id: int, instead_of: str = "", account: str = "") -> Posting:
    """Finance sends a journal again that the ledger refused and that is no claim's: a payment, an advance set off.

    It keeps its key and its lines, takes today's date, and names whoever the supplier is by now;
    ``account`` stands in place of ``instead_of``. Raises ``Refusal`` for one that is not open, ``NotAllowed``, ``Stale``.
    """
    must(member, "post")
    with transaction.atomic():
        posting = (
            Posting.objects.select_for_update(of=("self",), no_key=True)
            .select_related("firm")
            .get(pk=posting_id, firm_id=member.firm_id)
        )
        if posting.state != Posting.State.REFUSED or posting.key.startswith(("claim:", "reverse:")):
            raise Stale(
                say("Only a refused journal that is no claim's is sent again here. A claim is posted on the bench.")
            )
        if instead_of:
            _put_on(posting, instead_of, account)
        rename_party(posting)
        posting.state, posting.time = Posting.State.SENDING, clock.now()
        posting.date = open_day(posting.firm, clock.today(posting.firm.zone))
        posting.tries += 1
        posting.save()
        record(
            member,
            say("sent the journal again"),
            posting.subject,
            after={"key": posting.key, "try": posting.tries, "instead of": instead_of, "account": account},
        )
    return accounts.send_posting(posting, member)


def _put_on(posting: Posting, instead_of: str, account: str) -> None:
    """Put another account in place of one on a refused journal. Inside the caller's transaction."""
    known = ledger_books(posting.firm).codes.codes.get((ACCOUNT, account))
    if known is None or not known.open_on(clock.today(posting.firm.zone)):
        raise Refusal(
            say("Account {account} is not open in the ledger.", account=account[:20] or say("(none)")), "account"
        )
    if not posting.lines.filter(account=instead_of).update(account=account):
        raise Refusal(say("Nothing of it is on account {instead_of}.", instead_of=instead_of[:20]), "instead_of")


def rename_party(posting: Posting) -> None:
    """Name on a refused journal whoever is the supplier by now, where the ledger does not know the one it named. Inside the caller's transaction."""
    old = posting.refusal_about
    if posting.refusal_code != UNKNOWN_SUPPLIER or not old:
        return
    posting.lines.filter(party=old).update(party=_party_now(posting))


def _party_now(posting: Posting) -> str:
    """The supplier that a journal is about as the firm has it now: a person's, a merchant's, a card issuer's."""
    kind, number = subject_of(posting.subject)
    if kind in ("claim", ISSUER):
        return supplier_of(Claim.objects.select_related("claimant__supplier").get(pk=number).claimant)
    if kind == ADVANCE:
        return supplier_of(Trip.objects.select_related("traveller__supplier").get(pk=number).traveller)
    billed, charge = getattr(posting, "billed", None), posting.charges.select_related("card").first()
    merchant = billed.supplier if billed is not None else charge.card.issuer if charge is not None else ""
    return supplier_of_merchant(posting.firm, merchant)


def finish_what_broke_off(patience: timedelta = timedelta(minutes=2)) -> int:
    """Finish every posting and pay run that was broken off ``patience`` ago; return how many."""
    # What is younger may still be under way in another process.
    before = clock.now() - patience
    tasks: list[Callable[[], object]] = []
    for posting in Posting.objects.filter(state=Posting.State.SENDING, time__lte=before).select_related("firm"):
        if posting.key.startswith("claim:"):
            tasks.append(partial(finish_posting, posting, None))
        elif posting.key.startswith("reverse:"):
            tasks.append(partial(finish_recall, posting, None))
        else:
            tasks.append(partial(accounts.send_posting, posting, None))
    # Entered in the ledger, but the claim did not follow: found by what is missing, whatever state it broke off in.
    for claim in Claim.objects.filter(state__in=["Cleared", "Posting refused"]):
        entered = _entered(claim)
        if entered is not None and entered.time <= before:
            tasks.append(partial(finish_posting, entered, None))
    tasks += [partial(finish_recall, posting, None) for posting in recalled_half(before)]
    for run in PayRun.objects.filter(
        state__in=[PayRun.State.PREPARED, PayRun.State.SENT], to_release=False, time__lte=before
    ):
        tasks.append(partial(finish_pay_run, run))
    # The bank has the file; only what it has said already may not have been carried on yet.
    waiting = [partial(carry_answers, run) for run in PayRun.objects.filter(state=PayRun.State.WAITING)]
    done = sum(_done(task) for task in tasks)
    for task in waiting:
        _done(task)
    return done


def _done(task: Callable[[], object]) -> int:
    """Do one thing that broke off; where it breaks off again, the others are done all the same."""
    try:
        task()
    except Exception:
        log.exception("could not finish what broke off; it is tried again")
        return 0
    return 1
