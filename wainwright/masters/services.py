"""Acts on masters: fetched or read from a file, taken in one act, and connected with what the application knows."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Sequence
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.db import transaction
from django.db.models import Q
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts.connection import ask, connection_of
from wainwright.accounts.models import Code, Connection, Dimension
from wainwright.core.masters import ACCOUNT, CUSTOMER, SUPPLIER, TAX, Master, compare, plain
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.master_table import read_masters
from wainwright.formats.problems import Unreadable
from wainwright.masters.models import Fetch, MerchantSupplier, Supplier
from wainwright.masters.selectors import in_use, known
from wainwright.news.services import tell
from wainwright.people.models import Card, Firm, Membership, new_version
from wainwright.people.reachable import must_be_reachable
from wainwright.people.sealing import seal
from wainwright.ports.ledger import LedgerAway, LedgerShut, Masters, NewSupplier
from wainwright.rulebook.models import Category, TaxCode
from wainwright.trail.services import record

log = logging.getLogger(__name__)
BATCH = 1000
OLD = timedelta(days=7)


def _must_be_finance(member: Membership) -> None:
    if not member.finance:
        raise NotAllowed("Only finance keeps the ledger's masters.")


@transaction.atomic
def connect(member: Membership, address: str, known_as: str, token: str, every_hours: int) -> Connection:
    """Connect the firm's ledger: its address and token, or neither for the ledger of this installation. Raises ``Refusal``.

    An empty token keeps the one that is there. The connection belongs to the firm.
    """
    _must_be_finance(member)
    address = address.strip()[:200]
    if address:
        must_be_reachable(address)
    if every_hours not in (0, 1, 6, 24, 168):
        raise Refusal("Choose how often it is fetched.", "every_hours")
    row = connection_of(member.firm) or Connection(firm=member.firm, holder=member)
    if address and not token.strip() and not row.token:
        raise Refusal("Type the token that the ledger gave for this connection.", "token")
    row.address, row.known_as, row.every_hours = address, known_as.strip()[:40], every_hours
    row.token = seal(token.strip()) if token.strip() else row.token
    row.failing, row.problem = None, ""
    row.save()
    record(
        member,
        "connected the ledger",
        f"firm:{member.firm_id}",
        after={
            "address": address,
            "known as": row.known_as,
            "every hours": every_hours,
            "new token": bool(token.strip()),
        },
    )
    return row


@transaction.atomic
def hand_over(member: Membership, to_id: int) -> Connection:
    """Hand the connection to another person of finance: who is told of its troubles. Raises ``Refusal``."""
    if not (member.finance or member.administrator):
        raise NotAllowed("Finance or an administrator hands the connection over.")
    row = connection_of(member.firm)
    to = (
        Membership.objects.select_related("person", "firm")
        .filter(firm_id=member.firm_id, pk=to_id, finance=True, active=True)
        .first()
    )
    if row is None or to is None:
        raise Refusal("Choose somebody of finance.", "to")
    before, row.holder = row.holder, to
    row.save(update_fields=["holder"])
    record(
        member,
        "handed the ledger's connection over",
        f"firm:{member.firm_id}",
        before={"to": before.person.name},
        after={"to": to.person.name},
    )
    for person in {before.pk: before, to.pk: to}.values():
        if person.pk != member.pk:
            tell(person, f"{to.person.name} holds the connection to the ledger now", "/ledger/masters/")
    return row


@transaction.atomic
def fetch(member: Membership) -> Fetch:
    """Begin to fetch the ledger's masters, in the queue. Raises ``Stale`` while one is under way."""
    _must_be_finance(member)
    lately = clock.now() - timedelta(minutes=2)
    if Fetch.objects.filter(firm=member.firm, state=Fetch.State.FETCHING, time__gte=lately).exists():
        raise Stale("They are being fetched already.")
    row = Fetch.objects.create(firm=member.firm, source="The ledger", by=member, time=clock.now())
    record(member, "fetched the masters", f"firm:{member.firm_id}")
    do_fetch(row.pk)
    return row


@on_commit_task(retries=1, retry_delay=10)
def do_fetch(fetch_id: int) -> None:
    """Fetch in the queue."""
    fetched(fetch_id)


def fetched(fetch_id: int) -> None:
    """Fetch, and keep what taking it would change."""
    row = Fetch.objects.select_related("firm").get(pk=fetch_id)
    if row.state != Fetch.State.FETCHING:
        return
    try:
        found: Masters = ask(row.firm, lambda ledger, firm: ledger.masters(firm))
    except (LedgerAway, LedgerShut) as error:
        row.state, row.problem = Fetch.State.AWAY, f"The ledger does not answer: {error}."[:300]
        row.save()
        return
    _show(row, list(found.rows), found.kinds)
    Connection.objects.filter(firm=row.firm).update(fetched=clock.now())


@transaction.atomic
def read_file(member: Membership, name: str, content: bytes, kind: str, complete: bool) -> Fetch:
    """Read masters from a file; ``complete`` says that kinds in it are whole, so that what is missing is gone. Raises ``Refusal``."""
    _must_be_finance(member)
    if not content:
        raise Refusal("Choose the file with the masters.", "file")
    try:
        rows, left = read_masters(content, kind.strip()[:20])
    except Unreadable as error:
        raise Refusal(str(error), "file") from error
    if not rows:
        raise Refusal(
            f"No row could be read. {left[0].where}: {left[0].why}." if left else "The file holds no masters.", "file"
        )
    row = Fetch(
        firm=member.firm,
        source=name[-120:] or "a file",
        by=member,
        time=clock.now(),
        left=[[each.where, each.why] for each in left[:200]],
    )
    row.save()
    record(
        member,
        "read masters from a file",
        f"firm:{member.firm_id}",
        after={"name": row.source, "rows": len(rows), "left out": len(left)},
    )
    _show(row, rows, {each.kind for each in rows} if complete else ())
    return row


def _show(row: Fetch, rows: list[Master], complete: Iterable[str]) -> None:
    day = clock.today(row.firm.zone)
    changes = compare(known(row.firm), _kept_kinds(row.firm, rows), day, in_use(row.firm), complete)
    row.rows, row.complete = [plain(each) for each in rows], sorted(complete)
    row.changes = [
        [each.what, each.kind, each.code, each.name, each.words, list(each.in_use), each.hurts] for each in changes
    ]
    row.state = Fetch.State.SHOWN
    row.save()


def _kept_kinds(firm: Firm, rows: Iterable[Master]) -> list[Master]:
    """Those of kinds that are kept here; what people of the ledger are is nothing of ours."""
    kinds = {ACCOUNT, CUSTOMER, SUPPLIER, TAX, *Dimension.objects.filter(firm=firm).values_list("code", flat=True)}
    return [each for each in rows if each.kind in kinds]


def _master(row: dict[str, Any]) -> Master:
    values = dict(row)
    for name in ("open_from", "open_until"):
        values[name] = date.fromisoformat(values[name]) if values[name] else None
    for name in ("rate", "share"):
        values[name] = Decimal(values[name]) if values[name] is not None else None
    return Master(**values | {"asks_for": tuple(values["asks_for"])})


@transaction.atomic
def take(member: Membership, fetch_id: int) -> Fetch:
    """Take what was shown, all of it, in one act. Raises ``Stale`` where the masters were changed since it was shown."""
    _must_be_finance(member)
    firm = Firm.objects.select_for_update().get(pk=member.firm_id)
    row = Fetch.objects.select_for_update(of=("self",)).filter(pk=fetch_id, firm=firm).first()
    if row is None or row.state != Fetch.State.SHOWN:
        raise Stale("That was taken already, or nothing came of it.")
    if Fetch.objects.filter(firm=firm, state=Fetch.State.TAKEN, taken__gt=row.time).exists():
        raise Stale("Others were taken since this was shown. Fetch again.")
    rows, day = _kept_kinds(firm, [_master(each) for each in row.rows]), clock.today(firm.zone)
    before = {(each.kind, each.code): each for each in known(firm)}
    there = {(each.kind, each.code) for each in rows}
    gone = [key for key, each in before.items() if key[0] in row.complete and key not in there and each.open_on(day)]
    _take_codes(
        firm,
        [each for each in rows if each.kind not in (SUPPLIER, TAX)],
        [key for key in gone if key[0] not in (SUPPLIER, TAX)],
        day,
    )
    _take_suppliers(
        firm, [each for each in rows if each.kind == SUPPLIER], [code for kind, code in gone if kind == SUPPLIER], day
    )
    _take_tax(firm, [each for each in rows if each.kind == TAX], [code for kind, code in gone if kind == TAX], day)
    row.state, row.taken_by, row.taken = Fetch.State.TAKEN, member, clock.now()
    row.save()
    Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    counted: dict[str, int] = {}
    for what, *_ in row.changes:
        counted[what] = counted.get(what, 0) + 1
    record(member, "took the masters", f"firm:{firm.pk}", after={"source": row.source, **counted})
    return row


def _take_codes(firm: Firm, rows: Sequence[Master], gone: Sequence[tuple[str, str]], day: date) -> None:
    known_ = {(row.dimension, row.code): row for row in Code.objects.filter(firm=firm)}
    new, changed = [], []
    for each in rows:
        row = known_.get((each.kind, each.code))
        values = {
            "name": each.name,
            "open_from": each.open_from,
            "open_until": each.open_until,
            "asks_for": list(each.asks_for),
            "parent": each.parent,
        }
        if row is None:
            new.append(Code(firm=firm, dimension=each.kind, code=each.code, **values))
        elif any(getattr(row, name) != value for name, value in values.items()):
            for name, value in values.items():
                setattr(row, name, value)
            changed.append(row)
    for key in gone:
        # It stays for what was coded to it, and is closed for what comes.
        known_[key].open_until = day - timedelta(days=1)
        changed.append(known_[key])
    Code.objects.bulk_create(new, batch_size=BATCH)
    Code.objects.bulk_update(changed, ["name", "open_from", "open_until", "asks_for", "parent"], batch_size=500)


def _take_suppliers(firm: Firm, rows: Sequence[Master], gone: Sequence[str], day: date) -> None:
    known_ = {row.code: row for row in Supplier.objects.filter(firm=firm)}
    new, changed = [], []
    for each in rows:
        row = known_.get(each.code) or Supplier(firm=firm, code=each.code)
        row.name, row.iban, row.tax_number, row.open_until = each.name, each.iban, each.tax_number, each.open_until
        (changed if row.pk else new).append(row)
    for code in gone:
        known_[code].open_until = day - timedelta(days=1)
        changed.append(known_[code])
    Supplier.objects.bulk_create(new, batch_size=BATCH)
    Supplier.objects.bulk_update(changed, ["name", "iban", "tax_number", "open_until"], batch_size=500)


def _take_tax(firm: Firm, rows: Sequence[Master], gone: Sequence[str], day: date) -> None:
    for each in rows:
        values = {
            "name": each.name, "country": each.country, "rate": each.rate or Decimal(0), "share": Decimal(1) if each.share is None else each.share,
            "open_from": each.open_from, "open_until": each.open_until,
        }  # fmt: skip
        TaxCode.objects.update_or_create(firm=firm, code=each.code, defaults=values)
    TaxCode.objects.filter(firm=firm, code__in=gone).update(open_until=day - timedelta(days=1))


@transaction.atomic
def set_category(member: Membership, code: str, account: str, abroad: str, by_country: str, tax_codes: str) -> Category:
    """Say to which account a category posts, to which for what was paid abroad or in a country, and its usual tax codes.

    ``by_country`` and ``tax_codes`` are pairs as people type them: "NO 6412, GB 6413". Raises ``Refusal``, ``Stale``.
    """
    _must_be_finance(member)
    firm = member.firm
    row = Category.objects.select_for_update().filter(firm=firm, code=code).first()
    if row is None:
        raise Stale("That category is not there any more.")
    others = ([("abroad", abroad.strip())] if abroad.strip() else []) + _pairs(by_country, "by_country")
    taxes = _pairs(tax_codes, "tax_codes")
    day = clock.today(firm.zone)
    accounts = {
        each.code
        for each in Code.objects.filter(firm=firm, dimension=ACCOUNT)
        if not (each.open_until and each.open_until < day)
    }
    for each in (account.strip(), *(other for _, other in others)):
        if each not in accounts:
            raise Refusal(f"Account {each[:20] or '(none)'} is not open in the ledger.", "account")
    known_codes = set(TaxCode.objects.filter(firm=firm).values_list("code", flat=True))
    for _, each in taxes:
        if each not in known_codes:
            raise Refusal(f"The ledger has no tax code {each[:20]}.", "tax_codes")
    before = {"account": row.account, "elsewhere": row.accounts_if, "tax": row.tax_codes}
    row.account, row.tax_codes = account.strip(), dict(taxes)
    row.accounts_if = [{"where": where, "account": other} for where, other in others]
    row.save(update_fields=["account", "accounts_if", "tax_codes"])
    Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    record(
        member,
        "set a category's accounts",
        f"firm:{firm.pk}",
        before=before,
        after={"category": code, "account": row.account, "elsewhere": row.accounts_if, "tax": row.tax_codes},
    )
    return row


def _pairs(text: str, field: str) -> list[tuple[str, str]]:
    """Read "NO 6412, GB 6413". Raises ``Refusal``."""
    found: dict[str, str] = {}
    for piece in filter(None, (piece.strip() for piece in text[:300].replace(";", ",").split(","))):
        country, _, code = piece.replace(":", " ").partition(" ")
        country, code = country.upper(), code.strip()
        if len(country) != 2 or not country.isalpha() or not code or country in found:
            raise Refusal(f"“{piece[:30]}” is no country and code. Type them as: NO 6412, GB 6413.", field)
        found[country] = code
    return list(found.items())


@transaction.atomic
def close_gap(member: Membership, kind: str, key: str, code: str) -> None:
    """Connect one thing: a category or a card with an account, a person or a merchant with a supplier. Raises ``Refusal``, ``Stale``."""
    _must_be_finance(member)
    firm, code = member.firm, code.strip()[:20]
    if kind in ("category", "card"):
        row = Code.objects.filter(firm=firm, dimension=ACCOUNT, code=code).first()
        if row is None or (row.open_until and row.open_until < clock.today(firm.zone)):
            raise Refusal(f"Account {code or '(none)'} is not open in the ledger.", "code")
        if kind == "category":
            done = Category.objects.filter(firm=firm, code=key).update(account=code)
        else:
            done = Card.objects.filter(owner__firm=firm, pk=int(key) if key.isdecimal() else 0).update(account=code)
        Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    elif kind in ("person", "merchant"):
        supplier = Supplier.objects.filter(firm=firm, code=code).first()
        if supplier is None:
            raise Refusal(f"The ledger has no supplier {code or '(none)'}.", "code")
        done = _connect_person(firm, key, supplier) if kind == "person" else _connect_merchant(firm, key, supplier)
    else:
        raise Stale("There is nothing to connect there.")
    if not done:
        raise Stale("That is not there any more. Look again.")
    record(member, f"connected a {kind}", f"firm:{firm.pk}", after={"what": key, "with": code})


def _connect_person(firm: Firm, key: str, supplier: Supplier) -> int:
    if supplier.member_id is not None:
        raise Refusal(f"{supplier.name} is another person's already: nobody is paid under two.", "code")
    member = Membership.objects.filter(firm=firm, pk=int(key) if key.isdecimal() else 0).first()
    if member is None:
        return 0
    Supplier.objects.filter(member=member).update(member=None)
    return Supplier.objects.filter(pk=supplier.pk).update(member=member)


def _connect_merchant(firm: Firm, key: str, supplier: Supplier) -> int:
    MerchantSupplier.objects.update_or_create(firm=firm, merchant=key[:120], defaults={"supplier": supplier})
    return 1


def make_suppliers(member: Membership, member_ids: Sequence[int]) -> tuple[int, list[str]]:
    """Make people suppliers of the ledger: found there by account or tax number, else made, under a key of their own, never twice.

    Returns how many, and of the others why not.
    """
    _must_be_finance(member)
    rows = Membership.objects.filter(
        firm_id=member.firm_id, pk__in=member_ids, active=True, supplier__isnull=True
    ).select_related("person", "firm")
    done, left = 0, []
    for whose in rows[:BATCH]:
        wanted = NewSupplier(
            f"supplier:{whose.firm_id}:{whose.pk}", whose.person.name, whose.iban, "", whose.firm.country
        )
        try:
            made = ask(whose.firm, lambda ledger, firm, wanted=wanted: ledger.make_supplier(firm, wanted))
        except (LedgerAway, LedgerShut) as error:
            left.append(f"The ledger does not answer: {error}. What was begun is found by its key the next time.")
            break
        problem = _keep_supplier(member, whose, made)
        done += not problem
        left += [problem] if problem else []
    return done, left


@transaction.atomic
def _keep_supplier(member: Membership, whose: Membership, made: Master) -> str:
    row, _ = Supplier.objects.get_or_create(
        firm=whose.firm, code=made.code, defaults={"name": made.name, "iban": made.iban, "tax_number": made.tax_number}
    )
    if row.member_id not in (None, whose.pk):
        return f"{whose.person.name}: the ledger has their account under {row}, who is somebody else here."
    row.member = whose
    row.save(update_fields=["member"])
    record(member, "made a person a supplier of the ledger", f"member:{whose.pk}", after={"supplier": row.code})
    return ""


def put_away_what_broke_off() -> int:
    """Put away every fetch whose process died, so that nobody waits for it. Returns how many."""
    before = clock.now() - timedelta(minutes=10)
    rows = Fetch.objects.filter(state=Fetch.State.FETCHING, time__lte=before)
    return rows.update(state=Fetch.State.AWAY, problem="It broke off. Fetch again.")


def fetch_due() -> int:
    """Fetch the masters of every firm whose connection says so; what would change is shown, and told to its holder. Returns how many."""
    done = 0
    for row in Connection.objects.filter(every_hours__gt=0, holder__active=True).select_related(
        "holder__person", "holder__firm"
    ):
        due = clock.now() - timedelta(hours=row.every_hours)
        if (row.fetched and row.fetched > due) or Fetch.objects.filter(
            firm_id=row.firm_id, time__gt=due, by__isnull=True
        ).exists():
            continue
        try:
            made = Fetch.objects.create(firm_id=row.firm_id, source="The ledger", by=None, time=clock.now())
            fetched(made.pk)
            made.refresh_from_db()
            if made.state == Fetch.State.SHOWN and made.changes:
                hurts = sum(bool(change[6]) for change in made.changes)
                words = f"{len(made.changes)} of the ledger's masters would change" + (
                    f", {hurts} that are in use" if hurts else ""
                )
                tell(row.holder, words, f"/ledger/masters/{made.pk}/")
            done += 1
        except Exception:
            log.exception("could not fetch the masters of firm %s; it is tried again", row.firm_id)
    return done


def masters_old(firm: Firm) -> bool:
    """Whether what is known of the ledger is old, so that what is checked against it may be wrong. One query."""
    row = (
        Fetch.objects.filter(firm=firm)
        .filter(Q(state=Fetch.State.TAKEN) | Q(state=Fetch.State.SHOWN, changes=[]))
        .order_by("-time")
        .first()
    )
    return row is not None and row.time < clock.now() - OLD
