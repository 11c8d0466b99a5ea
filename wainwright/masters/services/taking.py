"""What was shown is taken, all of it, in one act."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.db import transaction

from wainwright import clock
from wainwright.accounts.models import Code
from wainwright.core.masters import BANK, SUPPLIER, TAX, Master
from wainwright.core.said import say
from wainwright.errors import Stale
from wainwright.masters.models import Fetch, LedgerBank, Supplier
from wainwright.masters.selectors import known
from wainwright.masters.services.fetching import kept_kinds, known_as_of_now
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rulebook.models import TaxCode
from wainwright.trail.services import record

BATCH = 1000


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
    must(member, "masters")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
    row = Fetch.objects.select_for_update(of=("self",), no_key=True).filter(pk=fetch_id, firm=firm).first()
    if row is None or row.state != Fetch.State.SHOWN:
        raise Stale(say("That was taken already, or nothing came of it."))
    if Fetch.objects.filter(firm=firm, state=Fetch.State.TAKEN, taken__gt=row.time).exists():
        raise Stale(say("Others were taken since this was shown. Fetch again."))
    rows, day = kept_kinds(firm, [_master(each) for each in row.rows]), clock.today(firm.zone)
    before = {(each.kind, each.code): each for each in known(firm)}
    there = {(each.kind, each.code) for each in rows}
    gone = [key for key, each in before.items() if key[0] in row.complete and key not in there and each.open_on(day)]
    own = (SUPPLIER, TAX, BANK)
    _take_codes(firm, [each for each in rows if each.kind not in own], [key for key in gone if key[0] not in own], day)
    _take_banks(firm, [each for each in rows if each.kind == BANK], [code for kind, code in gone if kind == BANK], day)
    _take_suppliers(
        firm, [each for each in rows if each.kind == SUPPLIER], [code for kind, code in gone if kind == SUPPLIER], day
    )
    _take_tax(firm, [each for each in rows if each.kind == TAX], [code for kind, code in gone if kind == TAX], day)
    row.state, row.taken_by, row.taken = Fetch.State.TAKEN, member, clock.now()
    row.save()
    known_as_of_now(firm)
    counted: dict[str, int] = {}
    for what, *_ in row.changes:
        counted[what] = counted.get(what, 0) + 1
    record(member, say("took the masters"), f"firm:{firm.pk}", after={"source": row.source, **counted})
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


def _take_banks(firm: Firm, rows: Sequence[Master], gone: Sequence[str], day: date) -> None:
    for each in rows:
        values = {"name": each.name, "iban": each.iban, "account": each.parent, "open_until": each.open_until}
        LedgerBank.objects.update_or_create(firm=firm, code=each.code, defaults=values)
    LedgerBank.objects.filter(firm=firm, code__in=gone).update(open_until=day - timedelta(days=1))


def _take_tax(firm: Firm, rows: Sequence[Master], gone: Sequence[str], day: date) -> None:
    for each in rows:
        values = {
            "name": each.name, "country": each.country, "rate": each.rate or Decimal(0), "share": Decimal(1) if each.share is None else each.share,
            "open_from": each.open_from, "open_until": each.open_until,
        }  # fmt: skip
        TaxCode.objects.update_or_create(firm=firm, code=each.code, defaults=values)
    TaxCode.objects.filter(firm=firm, code__in=gone).update(open_until=day - timedelta(days=1))
