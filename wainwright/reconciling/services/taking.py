"""Accounts kept, and their statements taken: kept as they came, read in the queue, line by line."""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Sequence
from datetime import timedelta
from pathlib import PurePath

from django.core.files.base import ContentFile
from django.db import transaction
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.core.money import total
from wainwright.core.said import as_figure, joined, said_by, say
from wainwright.core.text import clean_data
from wainwright.errors import Refusal, Stale
from wainwright.formats.apart import apart
from wainwright.formats.csv_statement import header_key, propose, read_csv, says_enough
from wainwright.formats.problems import Unreadable
from wainwright.formats.statement import MOST_BYTES, Statement
from wainwright.formats.statements import format_of
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.reconciling.models import BankAccount, Line, StatementFile
from wainwright.reconciling.services.base import account_for
from wainwright.trail.services import record
from wainwright.tries import NOT_READ, at_most_twice, progress_of

log = logging.getLogger(__name__)
BATCH, SAMPLE = 1000, 4
# So many rows show whether a column says which way money went.
TELLING = 200
BROKEN_OFF = timedelta(minutes=2)


@transaction.atomic
def keep_account(member: Membership, name: str, number: str, kind: str, ledger_account: str) -> BankAccount:
    """Keep an account at a bank or a card's issuer, tied to the ledger's account that mirrors it. Raises ``Refusal``."""
    must(member, "reconcile")
    name, number = " ".join(name.split())[:60], "".join(number.split()).upper()[:34]
    if len(name) < 2:
        raise Refusal(say("Say what the account is called."), "name")
    if len("".join(filter(str.isdigit, number))) < 4:
        raise Refusal(say("Type the account's number: an IBAN, or at least the last four digits."), "number")
    if kind not in BankAccount.Kind.values:
        raise Refusal(say("Say whether it is a bank account or a card account."), "kind")
    if (("account", ledger_account)) not in books(member.firm).codes.codes:
        raise Refusal(
            say("The ledger has no account {ledger_account}.", ledger_account=ledger_account[:20]), "ledger_account"
        )
    if BankAccount.objects.filter(firm=member.firm, number=number).exists():
        raise Refusal(say("That account is kept already."), "number")
    made = BankAccount.objects.create(
        firm=member.firm,
        name=name,
        number=number,
        kind=kind,
        ledger_account=ledger_account,
        currency=member.firm.currency,
    )
    record(
        member,
        say("kept a bank account"),
        f"bankaccount:{made.pk}",
        after={"number": number, "account": ledger_account},
    )
    return made


@transaction.atomic
def take_statement(member: Membership, account_id: int, name: str, content: bytes) -> StatementFile:
    """Keep a statement's file and have it read in the queue. Raises ``Refusal``."""
    must(member, "reconcile")
    account = account_for(member, account_id)
    if not content:
        raise Refusal(say("Choose the statement's file."), "file")
    if len(content) > MOST_BYTES:
        raise Refusal(say("The file is larger than 64 MB. Ask the bank for a shorter period."), "file")
    digest = hashlib.sha256(content).hexdigest()
    if account.files.filter(sha256=digest).exclude(state=StatementFile.State.AWAY).exists():
        raise Refusal(say("That very file was taken already. Nothing was changed."), "file")
    shown = PurePath(name.replace("\\", "/")).name[-120:] or "statement"
    file = StatementFile(account=account, name=shown, sha256=digest, by=member, time=clock.now())
    file.file.save(f"{digest[:24]}.txt", ContentFile(content), save=False)
    file.save()
    record(member, say("sent a bank statement"), f"bankaccount:{account.pk}", after={"name": shown, "sha256": digest})
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
    at_most_twice(file, lambda: _read(file), lambda: _not_read(file_id))


def _not_read(file_id: int) -> None:
    mine = StatementFile.objects.filter(pk=file_id, state=StatementFile.State.READING)
    mine.update(state=StatementFile.State.AWAY, problem=NOT_READ)


def _read(file: StatementFile) -> None:
    try:
        statements = _statements(file)
        if statements is None:
            file.state = StatementFile.State.COLUMNS
            file.save()
            return
        with transaction.atomic():
            _take(file, statements)
    except (Unreadable, FileNotFoundError) as error:
        why = (
            said_by(error)
            if isinstance(error, Unreadable)
            else say("Its file is missing on this machine. Send it again.")
        )
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
        except Exception:  # noqa: BLE001 - it was logged where it failed, and the next one is tried all the same
            log.warning("statement %s is tried once more", pk)
    return len(rows)


@transaction.atomic
def name_columns(member: Membership, account_id: int, file_id: int, columns: dict[str, int]) -> StatementFile:
    """Say which column of a table means what; it is kept on the account for the next file with that header. Raises ``Refusal``, ``Stale``."""
    must(member, "reconcile")
    account = account_for(member, account_id, lock=True)
    file = account.files.select_for_update(no_key=True).filter(pk=file_id).first()
    if file is None or file.state != StatementFile.State.COLUMNS:
        raise Stale(say("The columns of that file were named already."))
    columns = {name: index for name, index in columns.items() if 0 <= index < len(file.header)}
    if not says_enough(columns):
        raise Refusal(say("Say which column holds the date, the name or text, and the amount."), "date")
    account.columns = {**account.columns, header_key(file.header): columns}
    account.save(update_fields=["columns"])
    file.state, file.tries = StatementFile.State.READING, 0
    file.save(update_fields=["state", "tries"])
    record(
        member, say("named a statement's columns"), f"bankaccount:{account.pk}", after={"file": file.name, **columns}
    )
    read_file(file.pk)
    return file


@transaction.atomic
def put_away(member: Membership, account_id: int, file_id: int) -> StatementFile:
    """Take nothing of a table whose columns were not named. Raises ``Stale``."""
    must(member, "reconcile")
    account = account_for(member, account_id)
    file = account.files.select_for_update(no_key=True).filter(pk=file_id, state=StatementFile.State.COLUMNS).first()
    if file is None:
        raise Stale(say("That file was read already, or put away."))
    file.state, file.problem = StatementFile.State.AWAY, say("Nothing was taken of it.")
    file.save(update_fields=["state", "problem"])
    record(member, say("put a statement away"), f"bankaccount:{account.pk}", before={"file": file.name})
    return file


def _statements(file: StatementFile) -> list[Statement] | None:
    """Read a file's statements; nothing yet for a table whose header does not name enough of its columns."""
    with file.file.open("rb") as source:
        content = source.read()
    currency = file.account.currency
    if format_of(content) != "CSV":
        found: list[Statement] = apart("statements", content, currency, told=progress_of(file, content))
    else:
        table = apart("table", content)
        file.header, file.sample = clean_data([list(table.header), [list(row) for _, row in table.rows[:SAMPLE]]])
        mapping = file.account.columns.get(header_key(file.header)) or propose(
            table.header, [row for _, row in table.rows[:TELLING]]
        )
        if not says_enough(mapping):
            return None
        # A table of a bank has money that went out below zero, unless it parts both.
        found = read_csv(table, mapping, currency, "debit" not in mapping)
    account = file.account
    fitting = [
        each for each in found if not each.last_four or each.last_four == account.last_four or account.kind == "card"
    ]
    if not fitting:
        others = joined(", ", sorted({each.last_four for each in found}))
        raise Unreadable(
            say(
                "The file is of an account that ends in {others}, this one ends in {last_four}.",
                others=others,
                last_four=account.last_four,
            )
        )
    odd = {each.currency for each in fitting for _ in each.lines} | {
        line.amount.currency for each in fitting for line in each.lines
    }
    if odd - {currency}:
        raise Unreadable(
            say(
                "The file is in {list}, the account in {currency}.",
                list=joined(", ", sorted(odd - {currency})),
                currency=currency,
            )
        )
    if not any(each.lines for each in fitting) and (left := [one for each in fitting for one in each.left]):
        raise Unreadable(
            say("None of its lines could be read. {where}: {why}.", where=left[0].where, why=left[0].why)[:300]
        )
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
                say(
                    "Its sums do not add up: from {opening} its lines lead to {opening_2}, it says "
                    "{closing}. Fetch it again from the bank.",
                    opening=each.opening,
                    opening_2=each.opening + moved,
                    closing=each.closing,
                )
            )


def _take(file: StatementFile, statements: Sequence[Statement]) -> None:
    account = BankAccount.objects.select_for_update(no_key=True).get(pk=file.account_id)
    known = set(Line.objects.filter(account=account).values_list("key", flat=True))
    closed = account.reconciliations.first()
    rows: dict[str, Line] = {}
    left = [[each.where, each.why] for statement in statements for each in statement.left]
    same = 0
    for statement in statements:
        for line in statement.lines:
            if line.pending:
                left.append(
                    [
                        joined("", (as_figure(line.day, "%d.%m.%Y"), " ", line.merchant)),
                        say("not booked yet: it comes with a later statement"),
                    ]
                )
                continue
            if line.bank_id in known or line.bank_id in rows:
                same += 1
                continue
            if closed is not None and line.day <= closed.until:
                left.append(
                    [
                        joined("", (as_figure(line.day, "%d.%m.%Y"), " ", line.merchant)),
                        say(
                            "the period to {until} is closed: open it again first",
                            until=as_figure(closed.until, "%d.%m.%Y"),
                        ),
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
    file.state, file.new, file.known, file.left = StatementFile.State.TAKEN, len(rows), same, left
    file.opening_minor = None if opening is None else opening.minor
    file.closing_minor = None if closing is None else closing.minor
    file.save()
    record(
        None,
        say("read a bank statement"),
        f"bankaccount:{account.pk}",
        firm_id=account.firm_id,
        after={"new": len(rows), "known": same, "left out": len(left)},
    )
