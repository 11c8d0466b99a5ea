"""Acts of reconciling: a statement taken, matches confirmed and undone, what comes again posted by a rule, a period closed."""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Sequence
from datetime import date, timedelta
from pathlib import PurePath

from django.core.files.base import ContentFile
from django.db import IntegrityError, transaction
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Payment, Posting
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.selectors import books
from wainwright.claims.services.answers import settle_by_hand
from wainwright.claims.services.closing import take_note_paid_back
from wainwright.core.coding import Coding, check_coding
from wainwright.core.money import Money, total
from wainwright.core.posting import Entry, Journal
from wainwright.core.reconciling import Expected
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.apart import apart
from wainwright.formats.csv_statement import propose, read_csv, says_enough
from wainwright.formats.problems import Unreadable
from wainwright.formats.statement import MOST_BYTES, Statement
from wainwright.formats.statements import format_of
from wainwright.people.models import Membership
from wainwright.reconciling.models import (
    BankAccount,
    Line,
    LineRule,
    Match,
    MatchedThing,
    Reconciliation,
    StatementFile,
)
from wainwright.reconciling.selectors import agreed, expected, label_of, open_lines
from wainwright.trail.services import record

log = logging.getLogger(__name__)
BATCH = 1000
BROKEN_OFF = timedelta(minutes=2)


def _must_be_finance(member: Membership) -> None:
    if not member.finance:
        raise NotAllowed("Only finance reconciles.")


def account_for(member: Membership, account_id: int, lock: bool = False) -> BankAccount:
    """Return one of the firm's accounts. Raises ``BankAccount.DoesNotExist``."""
    rows = BankAccount.objects.select_for_update(of=("self",)) if lock else BankAccount.objects
    return rows.select_related("firm").get(pk=account_id, firm_id=member.firm_id)


@transaction.atomic
def keep_account(member: Membership, name: str, number: str, kind: str, ledger_account: str) -> BankAccount:
    """Keep an account at a bank or a card's issuer, tied to the ledger's account that mirrors it. Raises ``Refusal``."""
    _must_be_finance(member)
    name, number = " ".join(name.split())[:60], "".join(number.split()).upper()[:34]
    if len(name) < 2:
        raise Refusal("Say what the account is called.", "name")
    if len("".join(filter(str.isdigit, number))) < 4:
        raise Refusal("Type the account's number: an IBAN, or at least the last four digits.", "number")
    if kind not in BankAccount.Kind.values:
        raise Refusal("Say whether it is a bank account or a card account.", "kind")
    if (("account", ledger_account)) not in books(member.firm).codes.codes:
        raise Refusal(f"The ledger has no account {ledger_account[:20]}.", "ledger_account")
    if BankAccount.objects.filter(firm=member.firm, number=number).exists():
        raise Refusal("That account is kept already.", "number")
    made = BankAccount.objects.create(
        firm=member.firm,
        name=name,
        number=number,
        kind=kind,
        ledger_account=ledger_account,
        currency=member.firm.currency,
    )
    record(member, "kept a bank account", f"bankaccount:{made.pk}", after={"number": number, "account": ledger_account})
    return made


@transaction.atomic
def take_statement(member: Membership, account_id: int, name: str, content: bytes) -> StatementFile:
    """Keep a statement's file and have it read in the queue. Raises ``Refusal``."""
    _must_be_finance(member)
    account = account_for(member, account_id)
    if not content:
        raise Refusal("Choose the statement's file.", "file")
    if len(content) > MOST_BYTES:
        raise Refusal("The file is larger than 12 MB. Ask the bank for a shorter period.", "file")
    digest = hashlib.sha256(content).hexdigest()
    if account.files.filter(sha256=digest).exclude(state=StatementFile.State.AWAY).exists():
        raise Refusal("That very file was taken already. Nothing was changed.", "file")
    shown = PurePath(name.replace("\\", "/")).name[-120:] or "statement"
    file = StatementFile(account=account, name=shown, sha256=digest, by=member, time=clock.now())
    file.file.save(f"{digest[:24]}.txt", ContentFile(content), save=False)
    file.save()
    record(member, "sent a bank statement", f"bankaccount:{account.pk}", after={"name": shown, "sha256": digest})
    read_file(file.pk)
    return file


@on_commit_task(retries=1, retry_delay=5)
def read_file(file_id: int) -> None:
    """Read a statement in the queue."""
    read_kept(file_id)


def read_kept(file_id: int) -> None:
    """Read a statement that is kept; lines that are known already are left as they are. Safe to call again."""
    file = StatementFile.objects.select_related("account__firm").get(pk=file_id)
    if file.state != StatementFile.State.READING:
        return
    try:
        statements = _statements(file)
        with transaction.atomic():
            _take(file, statements)
    except (Unreadable, FileNotFoundError) as error:
        why = str(error) if isinstance(error, Unreadable) else "Its file is missing on this machine. Send it again."
        file.state, file.problem = StatementFile.State.AWAY, why[:300]
        file.save()


def read_again_what_broke_off() -> int:
    """Read every statement again whose reading broke off; one that breaks off however often is put away. Returns how many."""
    before = clock.now() - BROKEN_OFF
    rows = list(
        StatementFile.objects.filter(state=StatementFile.State.READING, time__lte=before).values_list("pk", flat=True)
    )
    for pk in rows:
        try:
            read_kept(pk)
        except Exception:
            log.exception("could not read statement %s", pk)
            words = "It could not be read, and nothing of it was taken. Tell whoever runs this machine."
            StatementFile.objects.filter(pk=pk, state=StatementFile.State.READING).update(
                state=StatementFile.State.AWAY, problem=words
            )
    return len(rows)


def _statements(file: StatementFile) -> list[Statement]:
    with file.file.open("rb") as source:
        content = source.read()
    currency = file.account.currency
    if format_of(content) != "CSV":
        found: list[Statement] = apart("statements", content, currency)
    else:
        table = apart("table", content)
        mapping = propose(table.header)
        if not says_enough(mapping):
            raise Unreadable(
                "The table's header does not name a date, a text and an amount. Name its columns so and send it again."
            )
        # A table of a bank has money that went out below zero, unless it parts both.
        found = read_csv(table, mapping, currency, "debit" not in mapping)
    account = file.account
    fitting = [
        each for each in found if not each.last_four or each.last_four == account.last_four or account.kind == "card"
    ]
    if not fitting:
        others = ", ".join(sorted({each.last_four for each in found}))
        raise Unreadable(f"The file is of an account that ends in {others}, this one ends in {account.last_four}.")
    odd = {each.currency for each in fitting for _ in each.lines} | {
        line.amount.currency for each in fitting for line in each.lines
    }
    if odd - {currency}:
        raise Unreadable(f"The file is in {', '.join(sorted(odd - {currency}))}, the account in {currency}.")
    if not any(each.lines for each in fitting) and (left := [one for each in fitting for one in each.left]):
        raise Unreadable(f"None of its lines could be read. {left[0].where}: {left[0].why}."[:300])
    _must_add_up(fitting)
    return fitting


def _must_add_up(statements: Sequence[Statement]) -> None:
    """Raise ``Unreadable`` where a statement says both balances and its lines do not come from one to the other."""
    for each in statements:
        if each.opening is None or each.closing is None or each.left:
            continue
        moved = -total((line.amount for line in each.lines if not line.pending), each.currency)
        if len(statements) == 1 and each.opening + moved != each.closing:
            raise Unreadable(
                f"Its sums do not add up: from {each.opening} its lines lead to {each.opening + moved}, it says {each.closing}. "
                "Fetch it again from the bank."
            )


def _take(file: StatementFile, statements: Sequence[Statement]) -> None:
    account = BankAccount.objects.select_for_update().get(pk=file.account_id)
    known = set(Line.objects.filter(account=account).values_list("key", flat=True))
    closed = account.reconciliations.first()
    rows: dict[str, Line] = {}
    left = [[each.where, each.why] for statement in statements for each in statement.left]
    same = 0
    for statement in statements:
        for line in statement.lines:
            if line.pending:
                left.append([f"{line.day:%d.%m.%Y} {line.merchant}", "not booked yet: it comes with a later statement"])
                continue
            if line.bank_id in known or line.bank_id in rows:
                same += 1
                continue
            if closed is not None and line.day <= closed.until:
                left.append(
                    [
                        f"{line.day:%d.%m.%Y} {line.merchant}",
                        f"the period to {closed.until:%d.%m.%Y} is closed: open it again first",
                    ]
                )
                continue
            text = " ".join(filter(None, (line.memo, line.reference)))[:420]
            rows[line.bank_id] = Line(
                account=account,
                file=file,
                key=line.bank_id,
                day=line.day,
                amount_minor=-line.amount.minor,
                name=line.merchant,
                text=text,
            )
    Line.objects.bulk_create(rows.values(), batch_size=BATCH)
    opening = next((each.opening for each in statements if each.opening is not None), None)
    closing = next((each.closing for each in reversed(statements) if each.closing is not None), None)
    file.state, file.new, file.known, file.left = StatementFile.State.TAKEN, len(rows), same, left[:200]
    file.opening_minor = None if opening is None else opening.minor
    file.closing_minor = None if closing is None else closing.minor
    file.save()
    record(
        None,
        "read a bank statement",
        f"bankaccount:{account.pk}",
        firm_id=account.firm_id,
        after={"new": len(rows), "known": same, "left out": len(left)},
    )


def confirm(
    member: Membership, account_id: int, chosen: Sequence[tuple[Sequence[str], Sequence[str]]]
) -> tuple[int, list[str]]:
    """Confirm matches, each an act of its own: (keys of lines, keys of things). Returns how many, and of the others why not."""
    _must_be_finance(member)
    account = account_for(member, account_id)
    rows = list(open_lines(account).filter(pk__in=[_number(key) for lines, _ in chosen for key in lines]))
    if not rows:
        return 0, ["These lines are told already. Look again."] if chosen else []
    things = {each.key: each for each in expected(account, rows[0].day, rows[-1].day)}
    done, left = 0, []
    for lines, keys in chosen:
        try:
            _confirm(
                member,
                account,
                [_number(key) for key in lines],
                [things[key] for key in keys if key in things],
                len(keys),
            )
            done += 1
        except Refusal as refusal:
            left.append(refusal.message)
    return done, left


def _number(key: str) -> int:
    number = key.partition(":")[2]
    return int(number) if number.isdecimal() and len(number) < 16 else 0


@transaction.atomic
def _confirm(
    member: Membership, account: BankAccount, line_ids: Sequence[int], things: Sequence[Expected], wanted: int
) -> Match:
    rows = list(Line.objects.select_for_update().filter(account=account, pk__in=line_ids, match__isnull=True))
    if len(rows) != len(set(line_ids)) or not rows or len(things) != wanted or not things:
        raise Stale("A line or what it was is told already. Look again.")
    shown = total((Money.from_minor(row.amount_minor, account.currency) for row in rows), account.currency)
    told = total((each.amount for each in things), account.currency)
    if shown != told:
        raise Refusal(f"The lines come to {shown}, what they would be comes to {told}. Nothing was confirmed.")
    names = ", ".join(label_of(each.key, each) for each in things[:3])
    match = Match.objects.create(account=account, why=names[:300], by=member, time=clock.now())
    try:
        with transaction.atomic():
            MatchedThing.objects.bulk_create(
                MatchedThing(
                    match=match,
                    firm_id=account.firm_id,
                    key=each.key,
                    label=label_of(each.key, each),
                    amount_minor=each.amount.minor,
                )
                for each in things
            )
    except IntegrityError as error:
        raise Stale("One of these was matched meanwhile. Look again.") from error
    Line.objects.filter(pk__in=[row.pk for row in rows]).update(match=match)
    record(
        member,
        "matched",
        f"bankaccount:{account.pk}",
        after={"lines": [row.pk for row in rows], "things": [each.key for each in things]},
    )
    for each in things:
        _follow(member, each, rows[-1])
    return match


def _follow(member: Membership, thing: Expected, line: Line) -> None:
    """What a statement proves is carried on: a payment nobody has answered was paid, what was owed back came in."""
    kind, number = thing.key.partition(":")[0], _number(thing.key)
    words = f"bank statement, {line.day:%d.%m.%Y}: {line.name} {line.text}"[:120]
    if kind == "payment":
        payment = Payment.objects.get(pk=number)
        if payment.open and payment.member_id != member.pk:
            settle_by_hand(member, number, True, words)
    elif kind == "claim":
        take_note_paid_back(member, number, min(line.day, clock.today(member.firm.zone)), words)


@transaction.atomic
def undo(member: Membership, match_id: int) -> Match:
    """Undo a match while its period is open: its lines are nothing again. What it carried on stands. Raises ``Refusal``, ``Stale``."""
    _must_be_finance(member)
    match = (
        Match.objects.select_for_update(of=("self",))
        .filter(pk=match_id, account__firm_id=member.firm_id)
        .select_related("account")
        .first()
    )
    if match is None:
        raise Stale("That match was undone already.")
    if match.lines.filter(reconciliation__isnull=False).exists():
        raise Refusal("Its period is closed. Open the reconciliation again first.")
    if match.posting_id is not None:
        raise Refusal("A rule has posted it. Undo it in the ledger by a journal of its own, then write it down there.")
    if match.things.filter(key__startswith="claim:").exists():
        raise Refusal("What came back is booked and its claim settled: that cannot be undone here.")
    keys = list(match.things.values_list("key", flat=True))
    lines = list(match.lines.values_list("pk", flat=True))
    Line.objects.filter(match=match).update(match=None)
    record(member, "undid a match", f"bankaccount:{match.account_id}", before={"lines": lines, "things": keys})
    match.delete()
    return match


@transaction.atomic
def make_rule(member: Membership, account_id: int, words: str, ledger_account: str, coding: Coding) -> LineRule:
    """Make a rule for what comes again: lines with these words are posted to an account. Raises ``Refusal``."""
    _must_be_finance(member)
    account = account_for(member, account_id)
    words = " ".join(words.split()).casefold()[:80]
    if len(words) < 3:
        raise Refusal("Name words that stand in the line: three letters or more.", "words")
    book = books(member.firm).codes
    if ("account", ledger_account) not in book.codes:
        raise Refusal(f"The ledger has no account {ledger_account[:20]}.", "ledger_account")
    if coding:
        faults = check_coding(coding, book, clock.today(member.firm.zone))
        if faults:
            raise Refusal(faults[0].text, "coding")
    codes = [list(pair) for pair in coding.codes]
    rule, _ = LineRule.objects.update_or_create(
        account=account, words=words, defaults={"ledger_account": ledger_account, "codes": codes, "by": member}
    )
    record(
        member,
        "made a rule for bank lines",
        f"bankaccount:{account.pk}",
        after={"words": words, "account": ledger_account},
    )
    return rule


def fitting_rule(line: Line, rules: Sequence[LineRule]) -> LineRule | None:
    """The rule whose words stand in a line; the longest where several do."""
    written = f"{line.name} {line.text}".casefold()
    found = [rule for rule in rules if rule.words in written]
    return max(found, key=lambda rule: len(rule.words), default=None)


def apply_rules(member: Membership, account_id: int, line_ids: Sequence[int] | None = None) -> tuple[int, list[str]]:
    """Post every open line that a rule tells; each a journal under the line's key. Returns how many, and of the others why not."""
    _must_be_finance(member)
    account = account_for(member, account_id)
    rules = list(account.rules.all())
    rows = open_lines(account) if line_ids is None else open_lines(account).filter(pk__in=line_ids)
    done, left = 0, []
    for line in rows:
        rule = fitting_rule(line, rules)
        if rule is None:
            continue
        posting = _posted_by(member, account, line, rule)
        if posting.state == Posting.State.REFUSED:
            left.append(f"{line.name} {line.amount}: {refusal_words(posting)}")
            continue
        if posting.state == Posting.State.SENDING:
            left.append("The ledger does not answer. Post them again in a few minutes: nothing is entered twice.")
            break
        done += _told_by(member, account, line, rule, posting)
    return done, left


def _posted_by(member: Membership, account: BankAccount, line: Line, rule: LineRule) -> Posting:
    """The journal of a line that a rule tells, entered once under the line's own key."""
    key = f"bank-line:{account.firm_id}:{line.pk}"
    known = Posting.objects.filter(firm_id=account.firm_id, key=key, state=Posting.State.ENTERED).first()
    if known is not None:
        return known
    size, nothing = max(line.amount, -line.amount), Money.zero(account.currency)
    out = line.amount < nothing
    text = f"{line.name} {line.text}".strip()[:150] or rule.words
    there = Entry(
        Coding.of(rule.codes).with_account(rule.ledger_account),
        size if out else nothing,
        nothing if out else size,
        text,
    )
    here = Entry(Coding(account.ledger_account), nothing if out else size, size if out else nothing, text)
    with transaction.atomic():
        journal = Journal(key, account.currency, (there, here) if out else (here, there))
        posting = accounts.prepare_posting(
            account.firm, journal, f"bankline:{line.pk}", f"{account.name}: {text}"[:160], line.day
        )
    return accounts.send_posting(posting, member)


@transaction.atomic
def _told_by(member: Membership, account: BankAccount, line: Line, rule: LineRule, posting: Posting) -> int:
    row = Line.objects.select_for_update().get(pk=line.pk)
    if row.match_id is not None:
        return 0
    match = Match.objects.create(
        account=account, why=f"Rule “{rule.words}”: posted to {rule.ledger_account} as {posting.number}"[:300], score=100, posting=posting, by=member,
        time=clock.now(),
    )  # fmt: skip
    Line.objects.filter(pk=row.pk).update(match=match)
    record(
        member,
        "told a line by a rule",
        f"bankaccount:{account.pk}",
        after={"line": row.pk, "rule": rule.words, "posting": posting.number},
    )
    return 1


@transaction.atomic
def close(member: Membership, account_id: int, until: date, closing: Money, why_left: str) -> Reconciliation:
    """Close a period of an account: to a day, with the balance that the bank says. Raises ``Refusal``.

    What does not add up is refused with both sums; what is left needs a reason.
    """
    _must_be_finance(member)
    account = account_for(member, account_id, lock=True)
    if until > clock.today(member.firm.zone):
        raise Refusal("That day has not come yet.", "until")
    last = account.reconciliations.first()
    if last is not None and until <= last.until:
        raise Refusal(f"It is closed to {last.until:%d %b %Y} already. Choose a later day.", "until")
    found = agreed(account, until)
    if not found.count:
        raise Refusal("There is no line up to that day. Take a statement in first.", "until")
    if found.closing != closing:
        raise Refusal(
            f"From {found.opening} with {found.came_in} in and {-found.went_out} out it comes to {found.closing}, the bank says {closing}. "
            "A statement is missing, or the balance is of another day.", "closing",
        )  # fmt: skip
    words = " ".join(why_left.split())[:300]
    if found.left_count and len(words) < 3:
        raise Refusal(
            f"{found.left_count} {'line is' if found.left_count == 1 else 'lines are'} left. Say why.", "why_left"
        )
    lines = Line.objects.filter(account=account, reconciliation__isnull=True, day__lte=until)
    # What is left stays open, and can be told later: the period says what was left as it was closed.
    loose = Line.objects.filter(account=account, match__isnull=True, day__lte=until)
    left = [[day.isoformat(), name, minor] for day, name, minor in loose.values_list("day", "name", "amount_minor")]
    made = Reconciliation.objects.create(
        account=account, number=(last.number if last else 0) + 1, since=found.since, until=until, opening_minor=found.opening.minor,
        in_minor=found.came_in.minor, out_minor=found.went_out.minor, closing_minor=closing.minor, left_minor=found.left.minor, left=left,
        why_left=words, by=member, time=clock.now(),
    )  # fmt: skip
    lines.update(reconciliation=made)
    record(
        member,
        "closed a reconciliation",
        f"bankaccount:{account.pk}",
        after={"until": until.isoformat(), "closing": closing.minor, "left": len(left)},
    )
    return made


@transaction.atomic
def reopen(member: Membership, reconciliation_id: int, why: str) -> None:
    """Open the last closed period of an account again. Raises ``Refusal``, ``Stale``."""
    _must_be_finance(member)
    row = (
        Reconciliation.objects.select_for_update(of=("self",))
        .filter(pk=reconciliation_id, account__firm_id=member.firm_id)
        .select_related("account")
        .first()
    )
    if row is None:
        raise Stale("It was opened again already.")
    if row.account.reconciliations.filter(until__gt=row.until).exists():
        raise Refusal("A later period is closed on top of it. Open that first.")
    if len(why.strip()) < 3:
        raise Refusal("Say why it is opened again.", "why")
    Line.objects.filter(reconciliation=row).update(reconciliation=None)
    record(
        member,
        "opened a reconciliation again",
        f"bankaccount:{row.account_id}",
        before={"until": row.until.isoformat()},
        after={"why": why.strip()[:200]},
    )
    row.delete()
