"""Matches confirmed and undone, and what a confirmed one carries on."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import IntegrityError, transaction

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Payment, Posting
from wainwright.accounts.selectors import books, journal_of
from wainwright.claims.services.advances import take_note_advance_back
from wainwright.claims.services.answers import settle_by_hand
from wainwright.claims.services.closing import take_note_paid_back
from wainwright.core.money import Money, total
from wainwright.core.posting import card_paid_journal
from wainwright.core.reconciling import Expected
from wainwright.core.said import as_figure, joined, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.reconciling.models import BankAccount, Line, Match, MatchedThing, StatementFile
from wainwright.reconciling.selectors import expected, label_of, open_lines, told_as
from wainwright.reconciling.services.base import account_for
from wainwright.reconciling.services.posted import key_of, must_be_entered, posted_for
from wainwright.trail.services import record


def confirm(
    member: Membership, account_id: int, chosen: Sequence[tuple[Sequence[str], Sequence[str]]]
) -> tuple[int, list[str]]:
    """Confirm matches, each an act of its own: (keys of lines, keys of things). Returns how many, and of the others why not."""
    must(member, "reconcile")
    account = account_for(member, account_id)
    rows = list(open_lines(account).filter(pk__in=[_number(key) for lines, _ in chosen for key in lines]))
    if not rows:
        return 0, [say("These lines are told already. Look again.")] if chosen else []
    things = {each.key: each for each in expected(account, rows[0].day, rows[-1].day)}
    done, left = 0, []
    for lines, keys in chosen:
        try:
            its = [things[key] for key in keys if key in things]
            _confirm_one(member, account, [_number(key) for key in lines], its, len(keys))
            done += 1
        except Refusal as refusal:
            left.append(refusal.message)
    return done, left


def _number(key: str) -> int:
    number = key.partition(":")[2]
    return int(number) if number.isdecimal() and len(number) < 16 else 0


def _confirm_one(
    member: Membership, account: BankAccount, line_ids: Sequence[int], things: Sequence[Expected], wanted: int
) -> Match:
    """Confirm one match; a card's bill is posted first, so that a line is never told by what the ledger did not take."""
    if len(things) == wanted == 1 and things[0].key.startswith("bill:"):
        row = open_lines(account).filter(pk__in=line_ids, amount_minor=things[0].amount.minor).first()
        if row is None or len(set(line_ids)) != 1:
            raise Stale(say("A line or what it was is told already. Look again."))
        posting = _bill_paid(member, account, row, _number(things[0].key))
        return _confirm(member, account, line_ids, things, wanted, posting)
    return _confirm(member, account, line_ids, things, wanted)


def _bill_paid(member: Membership, account: BankAccount, line: Line, file_id: int) -> Posting:
    """The journal of a card's bill that a line of the bank pays, entered once under the line's own key. Raises ``Refusal``."""
    card = StatementFile.objects.select_related("account").get(pk=file_id, account__firm_id=account.firm_id).account
    owed = books(account.firm).accounts.card_issuers or card.ledger_account
    text = say("{card} paid by {account}", card=card.name, account=account.name)
    journal = card_paid_journal(
        key_of(line, "card-bill", f"bankaccount:{card.pk}"), owed, account.ledger_account, -line.amount, text
    )
    return posted_for(
        member, account, journal, f"bankaccount:{card.pk}", joined("", (text, ", ", as_figure(line.day, "%d %b"))), line
    )


@transaction.atomic
def _confirm(
    member: Membership, account: BankAccount, line_ids: Sequence[int], things: Sequence[Expected], wanted: int,
    posting: Posting | None = None,
) -> Match:  # fmt: skip
    rows = list(
        Line.objects.select_for_update(no_key=True).filter(account=account, pk__in=line_ids, match__isnull=True)
    )
    if len(rows) != len(set(line_ids)) or not rows or len(things) != wanted or not things:
        raise Stale(say("A line or what it was is told already. Look again."))
    shown = total((Money.from_minor(row.amount_minor, account.currency) for row in rows), account.currency)
    told = total((each.amount for each in things), account.currency)
    if shown != told:
        raise Refusal(
            say(
                "The lines come to {shown}, what they would be comes to {told}. Nothing was confirmed.",
                shown=shown,
                told=told,
            )
        )
    match = Match.objects.create(
        account=account, why=told_as(things)[:300], posting=posting, by=member, time=clock.now()
    )
    try:
        with transaction.atomic():
            MatchedThing.objects.bulk_create(
                MatchedThing(
                    match=match,
                    firm_id=account.firm_id,
                    key=each.key,
                    label=label_of(each.key, each)[:200],
                    amount_minor=each.amount.minor,
                )
                for each in things
            )
    except IntegrityError as error:
        raise Stale(say("One of these was matched meanwhile. Look again.")) from error
    Line.objects.filter(pk__in=[row.pk for row in rows]).update(match=match)
    record(
        member,
        say("matched lines of a statement"),
        f"bankaccount:{account.pk}",
        after={"lines": [row.pk for row in rows], "things": [each.key for each in things]},
    )
    for each in things:
        _follow(member, match, each, rows[-1])
    return match


def _follow(member: Membership, match: Match, thing: Expected, line: Line) -> None:
    """What a statement proves is carried on: a payment nobody has answered was paid, what was owed back came in.

    What is booked by that is what the line shows from then on, so that it can be matched with another if this was wrong.
    """
    kind, number = thing.key.partition(":")[0], _number(thing.key)
    words = say(
        "bank statement, {day}: {line} {line_text}",
        day=as_figure(line.day, "%d.%m.%Y"),
        line=line.name,
        line_text=line.text,
    )[:120]
    day = min(line.day, clock.today(member.firm.zone))
    if kind == "payment":
        payment = Payment.objects.get(pk=number)
        if payment.open and payment.member_id == member.pk:
            raise NotAllowed(say("Nobody has answered your own payment yet: somebody else says that it was paid."))
        if payment.open:
            settle_by_hand(member, number, True, words)
    elif kind in ("claim", "advance"):
        if kind == "claim":
            posting = take_note_paid_back(member, number, day, words)
        else:
            posting = take_note_advance_back(member, number, thing.amount, day, words)
        match.things.filter(key=thing.key).update(key=f"posting:{posting.pk}")


def undo(member: Membership, match_id: int) -> Match:
    """Undo a match while its period is open: its lines are nothing again. What was posted for it is reversed first.

    What finance has booked besides (money that came back) stands, and is what a line may be. Raises ``Refusal``, ``Stale``.
    """
    must(member, "reconcile")
    match = _open_match(member, match_id)
    if match.posting is not None:
        _reverse(member, match, match.posting)
    with transaction.atomic():
        match = _open_match(member, match_id)
        keys = list(match.things.values_list("key", flat=True))
        lines = list(match.lines.values_list("pk", flat=True))
        Line.objects.filter(match=match).update(match=None)
        record(member, say("undid a match"), f"bankaccount:{match.account_id}", before={"lines": lines, "things": keys})
        match.delete()
    return match


def _open_match(member: Membership, match_id: int) -> Match:
    rows = Match.objects.filter(pk=match_id, account__firm_id=member.firm_id)
    match = rows.select_related("account__firm", "posting__firm").first()
    if match is None:
        raise Stale(say("That match was undone already."))
    if match.lines.filter(reconciliation__isnull=False).exists():
        raise Refusal(say("Its period is closed. Open the reconciliation again first."))
    shown = MatchedThing.objects.filter(key=f"posting:{match.posting_id}", firm_id=match.account.firm_id)
    if match.posting_id and shown.exists():
        raise Refusal(say("The card's own statement shows it: undo that match first."))
    return match


def _reverse(member: Membership, match: Match, was: Posting) -> None:
    """Enter the reversal of what was posted for a match, once. Raises ``Refusal`` where the ledger does not take it."""
    journal = journal_of(was).reversed(f"{was.key}:undo")
    known = Posting.objects.filter(firm=was.firm, key=journal.key, state=Posting.State.ENTERED).exists()
    if known:
        return
    with transaction.atomic():
        day = clock.today(was.firm.zone)
        posting = accounts.prepare_posting(
            was.firm, journal, was.subject, say("Undone: {was_title}", was_title=was.title)[:160], day
        )
        record(
            member,
            say("took back what was posted for a line"),
            f"bankaccount:{match.account_id}",
            after={"key": journal.key},
        )
    must_be_entered(accounts.send_posting(posting, member))
