"""Card charges from files: read, shown, then taken. Taking a file again, or one that overlaps, changes nothing."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import PurePath

from django.core.files.base import ContentFile
from django.db import transaction
from huey.contrib.djhuey import on_commit_task
from rapidfuzz import fuzz

from wainwright import clock
from wainwright.core.matching import plain_merchant
from wainwright.core.money import Money
from wainwright.core.said import as_figure, said_by, say
from wainwright.core.text import clean_data, one_line
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.expenses.arrivals import arrived
from wainwright.expenses.models import CardFile, Charge, ColumnMapping
from wainwright.expenses.services.taking import follow_charge
from wainwright.formats.apart import apart
from wainwright.formats.csv_statement import header_key, propose, read_table, says_enough
from wainwright.formats.problems import Unreadable
from wainwright.formats.statement import MOST_BYTES, Statement, StatementLine
from wainwright.formats.statements import format_of
from wainwright.people.models import Card, Firm, Membership
from wainwright.trail.services import record
from wainwright.tries import NOT_READ, at_most_twice, progress_of

# New: taken. Booked: it was pending, or its amount changed. Doubtful: one much like it is known. Known: left as it is.
NEW, BOOKED, DOUBTFUL, KNOWN = "new", "booked", "doubtful", "known"
ALIKE, NEAR_DAYS, PENDING_DAYS, PENDING_SHARE = 85, 3, 10, 4
BROKEN_OFF = timedelta(minutes=10)
AHEAD, LONG_AGO = timedelta(days=2), timedelta(days=400)
BATCH, SAMPLE = 1000, 4
# So many rows show whether a column says which way money went.
TELLING = 200


@transaction.atomic
def look_at(member: Membership, name: str, content: bytes, card_four: str = "") -> CardFile:
    """Keep a file and have it read, so that what it holds can be seen before it is taken. Raises ``Refusal``."""
    if len(content) > MOST_BYTES:
        raise Refusal(say("The file is larger than 64 MB. Ask the card's bank for a shorter period."), "file")
    try:
        kind = format_of(content)
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    shown = PurePath(name.replace("\\", "/")).name[-120:] or say("card file")
    digest = hashlib.sha256(content).hexdigest()
    file = CardFile(
        member=member, name=shown, sha256=digest, time=clock.now(), state=CardFile.State.READING, format=kind,
        card_four=card_four if card_four in _cards(member) else "",
    )  # fmt: skip
    file.file.save(f"{digest[:24]}.txt", ContentFile(content), save=False)
    file.save()
    record(
        member, say("sent a card file"), f"cardfile:{file.pk}", after={"name": shown, "sha256": digest, "format": kind}
    )
    read_file(file.pk)
    return file


@on_commit_task(retries=1, retry_delay=5)
def read_file(file_id: int) -> None:
    """Read a file that is kept, and say of each line what would become of it."""
    file = CardFile.objects.select_related("member__firm").get(pk=file_id)
    if file.state not in (CardFile.State.READING, CardFile.State.COLUMNS):
        return
    at_most_twice(file, lambda: _read_kept(file), lambda: _not_read(file.pk))


def _not_read(file_id: int) -> None:
    CardFile.objects.filter(pk=file_id).update(state=CardFile.State.AWAY, problem=NOT_READ, rows=[])


def read_again_what_broke_off() -> int:
    """Read card files again whose reading broke off; return how many."""
    late = CardFile.objects.filter(state=CardFile.State.READING, time__lt=clock.now() - BROKEN_OFF)[:BATCH]
    for file in late:
        read_file(file.pk)
    return len(late)


def _read_kept(file: CardFile) -> None:
    try:
        statements = _statements(file)
        if statements is None:
            file.state = CardFile.State.COLUMNS
        else:
            _show(file, statements)
            file.state, file.problem = CardFile.State.SHOWN, ""
    except Unreadable as error:
        file.state, file.problem = CardFile.State.AWAY, said_by(error)[:300]
    except FileNotFoundError:
        file.state, file.problem = CardFile.State.AWAY, say("Its file is missing on this machine. Send it again.")
    file.save()


def _statements(file: CardFile) -> list[Statement] | None:
    """Read a file's statements; nothing yet for a table whose header does not name enough of its columns."""
    with file.file.open("rb") as source:
        content = source.read()
    currency = file.member.firm.currency
    if file.format != "CSV":
        statements: list[Statement] = apart("statements", content, currency, told=progress_of(file, content))
        return statements
    table = apart("table", content)
    file.header, file.sample = clean_data([list(table.header), [list(row) for _, row in table.rows[:SAMPLE]]])
    if not file.mapping:
        kept = ColumnMapping.objects.filter(member=file.member, header=header_key(table.header)).first()
        file.mapping = kept.columns if kept else propose(table.header, [row for _, row in table.rows[:TELLING]])
        if kept:
            file.below_zero = kept.below_zero
        if not says_enough(file.mapping):
            return None
    mapping = {k: int(v) for k, v in file.mapping.items()}
    statements, sign = read_table(table, mapping, currency, file.below_zero)
    if file.below_zero is None:
        file.below_zero = sign
    return statements


def _keep_mapping(file: CardFile) -> None:
    """What a person named, or took as it was proposed, is found again by the header."""
    key = header_key(file.header)
    ColumnMapping.objects.update_or_create(
        member=file.member, header=key, defaults={"columns": file.mapping, "below_zero": file.below_zero}
    )


@transaction.atomic
def name_columns(
    member: Membership, file_id: int, columns: dict[str, int], card_four: str, below_zero: bool | None = None
) -> CardFile:
    """Say which column of a table means what; it is kept for the next file with the same header. Raises ``Refusal``.

    ``below_zero`` says that what was charged stands below zero in it; not said, the larger part of the lines decides.
    """
    file = _mine(member, file_id, CardFile.State.COLUMNS, CardFile.State.SHOWN)
    if file.format != "CSV":
        raise Refusal(say("This file names its columns itself."))
    width = len(file.header)
    columns = {name: index for name, index in columns.items() if 0 <= index < width}
    if not says_enough(columns):
        raise Refusal(say("Say which column holds the date, the merchant, and the amount."), "date")
    file.mapping, file.state, file.below_zero = columns, CardFile.State.READING, below_zero
    file.tries, file.time = 0, clock.now()
    _keep_mapping(file)
    file.card_four = card_four if card_four in _cards(member) else file.card_four
    file.save()
    read_file(file.pk)
    return file


def _cards(member: Membership) -> dict[str, Card]:
    return {card.last_four: card for card in Card.objects.filter(owner=member)}


@dataclass
class _Seen:
    """What is known of one card around the days of a file."""

    by_key: dict[str, Charge]
    by_amount: dict[int, list[Charge]]
    pending: list[Charge]
    # Merchants without card noise; a file repeats the same few.
    plain: dict[str, str]

    def plain_name(self, name: str) -> str:
        if name not in self.plain:
            self.plain[name] = plain_merchant(name)
        return self.plain[name]


def show_lines(file: CardFile, card: Card, lines: Sequence[StatementLine]) -> None:
    """Fill a file with the lines of one card, as its issuer gave them."""
    _show(file, [Statement(card.last_four, file.member.firm.currency, tuple(lines), ())])


def _show(file: CardFile, statements: Sequence[Statement]) -> None:
    """Fill a file's rows: for each line its card, what it says, and what would become of it."""
    member = file.member
    cards, firm = _cards(member), member.firm
    rows: list[dict] = []
    left: list[list[str]] = []
    for statement in statements:
        left += [[each.where, each.why] for each in statement.left]
        number = statement.last_four or file.card_four or (next(iter(cards)) if len(cards) == 1 else "")
        card = cards.get(number)
        if card is None:
            words = say("card {number}", number=number) if number else say("a card without a number")
            why = (
                say("it is not one of your cards; nothing of it is taken")
                if number
                else say("say which of your cards the file is of")
            )
            left.append([words, why])
            continue
        seen = _seen(card, statement.lines)
        rows += [row for line in statement.lines if (row := _row(line, card, firm, seen, left)) is not None]
    _once(rows)
    file.rows, file.left = rows, left
    file.known = sum(row["what"] == KNOWN for row in rows)


def _once(rows: list[dict]) -> None:
    """What stands in a file twice, as where its statements overlap, is taken once; so is a pending charge booked once."""
    keys, booked = set(), set()
    for row in rows:
        key = (row["card"], row["key"])
        twice = key in keys or (row["what"] == BOOKED and row["charge"] in booked)
        keys.add(key)
        if row["what"] == BOOKED:
            booked.add(row["charge"])
        if twice:
            row["what"], row["why"] = KNOWN, say("it stands in the file twice")


def _seen(card: Card, lines: Sequence[StatementLine]) -> _Seen:
    if not lines:
        return _Seen({}, {}, [], {})
    first, last = min(line.day for line in lines), max(line.day for line in lines)
    around = timedelta(days=PENDING_DAYS)
    charges = list(Charge.objects.filter(card=card, date__gte=first - around, date__lte=last + around))
    keyed = {c.bank_id: c for c in charges}
    missing = [line.bank_id for line in lines if line.bank_id not in keyed]
    for start in range(0, len(missing), 500):
        for charge in Charge.objects.filter(card=card, bank_id__in=missing[start : start + 500]):
            keyed[charge.bank_id] = charge
    by_amount: dict[int, list[Charge]] = {}
    for charge in charges:
        by_amount.setdefault(charge.amount_minor, []).append(charge)
    return _Seen(keyed, by_amount, [c for c in charges if c.pending], {})


def _row(line: StatementLine, card: Card, firm: Firm, seen: _Seen, left: list[list[str]]) -> dict | None:
    if line.amount.currency != firm.currency:
        left.append(
            [
                one_line(line.merchant),
                say(
                    "it is in {currency}, the card is kept in {currency_2}",
                    currency=line.amount.currency,
                    currency_2=firm.currency,
                ),
            ]
        )
        return None
    if card.firm_pays and ((card.since and line.day < card.since) or (card.closed and line.day > card.closed)):
        left.append(
            [
                one_line(line.merchant),
                say(
                    "the card was not yours on {day}: it belongs to whoever held it that day",
                    day=day_text(line.day, year=True),
                ),
            ]
        )
        return None
    what, why, charge_id = _judge(line, seen)
    if what == NEW:
        what, why = _odd_day(line.day, clock.today(firm.zone)) or (what, why)
    original = line.original
    return {
        "card": card.pk, "four": card.last_four, "key": one_line(line.bank_id), "day": line.day.isoformat(), "merchant": one_line(line.merchant),
        "memo": one_line(line.memo), "minor": line.amount.minor, "code": line.merchant_code, "pending": line.pending,
        "original": [original.minor, original.currency] if original is not None else None, "what": what, "why": why, "charge": charge_id,
    }  # fmt: skip


def _odd_day(day: date, today: date) -> tuple[str, str] | None:
    if day > today + AHEAD:
        return DOUBTFUL, say("its day is still to come: are day and month the right way round?")
    if day < today - LONG_AGO:
        return DOUBTFUL, say("more than a year old")
    return None


def _judge(line: StatementLine, seen: _Seen) -> tuple[str, str, int | None]:
    """Say what would become of a line, and why."""
    known = seen.by_key.get(line.bank_id)
    if known is not None:
        if known.pending and not line.pending:
            return BOOKED, say("was pending at {known_amount}", known_amount=known.amount), known.pk
        return KNOWN, "", known.pk
    name = seen.plain_name(line.merchant)
    if not line.pending:
        for charge in seen.pending:
            near = -1 <= (line.day - charge.date).days <= PENDING_DAYS
            close = abs(charge.amount_minor - line.amount.minor) * PENDING_SHARE <= abs(charge.amount_minor)
            if near and close and fuzz.token_set_ratio(name, seen.plain_name(charge.merchant)) >= ALIKE:
                return BOOKED, say("was pending at {charge_amount}", charge_amount=charge.amount), charge.pk
    for charge in seen.by_amount.get(line.amount.minor, ()):
        alike = fuzz.token_set_ratio(name, seen.plain_name(charge.merchant)) >= ALIKE
        if alike and abs((charge.date - line.day).days) <= NEAR_DAYS:
            return (
                DOUBTFUL,
                say(
                    "much like {merchant} of {date}, which is known under another key",
                    merchant=charge.merchant,
                    date=as_figure(charge.date, "%d %b"),
                ),
                charge.pk,
            )
    return NEW, "", None


def _mine(member: Membership, file_id: int, *states: str) -> CardFile:
    file = CardFile.objects.select_for_update(no_key=True).filter(member=member, pk=file_id).first()
    if file is None:
        raise CardFile.DoesNotExist
    if file.state not in states:
        raise Stale(say("This file stands at {state}: nothing can be done with it now.", state=file.state.lower()))
    return file


@transaction.atomic
def take_file(member: Membership, file_id: int, doubtful: Sequence[int] = ()) -> CardFile:
    """Take what is new, book what was pending, and of the doubtful those whose places are named.

    What another page took meanwhile is known by now and not taken twice. Raises ``Stale``.
    """
    file = _mine(member, file_id, CardFile.State.SHOWN)
    if file.mapping:
        _keep_mapping(file)
    wanted = [
        row for n, row in enumerate(file.rows) if row["what"] == NEW or (row["what"] == DOUBTFUL and n in set(doubtful))
    ]
    known = _known_keys(wanted)
    rows = [_charge(member, row) for row in wanted if (row["card"], row["key"]) not in known]
    Charge.objects.bulk_create(rows, batch_size=BATCH)
    booked = sum(_book(row) for row in file.rows if row["what"] == BOOKED)
    file.taken, file.state = len(rows) + booked, CardFile.State.TAKEN
    file.known = len(file.rows) - file.taken
    # The lines are charges now; what was left out stays to be read.
    file.rows = []
    file.save()
    after = {"name": file.name, "taken": len(rows), "booked": booked, "known": file.known, "left": len(file.left)}
    record(member, say("took in a card file"), f"cardfile:{file.pk}", after=after)
    for owner in {charge.owner_id for charge in rows}:
        arrived(owner)
    return file


def _known_keys(rows: Sequence[dict]) -> set[tuple[int, str]]:
    found: set[tuple[int, str]] = set()
    for start in range(0, len(rows), 500):
        part = rows[start : start + 500]
        keys = [row["key"] for row in part]
        cards = {row["card"] for row in part}
        found |= set(Charge.objects.filter(card__in=cards, bank_id__in=keys).values_list("card_id", "bank_id"))
    return found


def _charge(member: Membership, row: dict) -> Charge:
    original = row["original"] or [None, ""]
    return Charge(
        firm_id=member.firm_id, owner=member, card_id=row["card"], bank_id=row["key"], date=date.fromisoformat(row["day"]),
        merchant=row["merchant"], memo=row["memo"], currency=member.firm.currency, amount_minor=row["minor"], pending=row["pending"],
        merchant_code=row["code"], original_minor=original[0], original_currency=original[1],
    )  # fmt: skip


def _book(row: dict) -> bool:
    """A charge that was pending is booked now, at the amount it has now; a cost that nobody has certified follows it.

    What was sent or posted stays as it was signed: the ledger is told of the difference (``journals/billed.py``).
    """
    charge = (
        Charge.objects.select_related("expense__claim", "expense__firm").filter(pk=row["charge"], pending=True).first()
    )
    if charge is None:
        return False
    before, charge.amount_minor = charge.amount_minor, row["minor"]
    charge.bank_id, charge.date, charge.pending = row["key"], date.fromisoformat(row["day"]), False
    charge.save(update_fields=["bank_id", "amount_minor", "date", "pending"])
    expense = charge.expense
    if expense is not None and charge.amount_minor != before and (expense.claim is None or expense.claim.editable):
        follow_charge(expense, charge)
    return True


@transaction.atomic
def put_file_away(member: Membership, file_id: int) -> None:
    """Take nothing of a file."""
    file = _mine(member, file_id, CardFile.State.SHOWN, CardFile.State.COLUMNS, CardFile.State.READING)
    file.state, file.rows = CardFile.State.AWAY, []
    file.save()
    record(member, say("put a card file away"), f"cardfile:{file.pk}", before={"name": file.name})


def amount_of(row: dict, currency: str) -> Money:
    """The amount of a shown row."""
    return Money.from_minor(row["minor"], currency)
