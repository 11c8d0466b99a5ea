"""The ledger stand-in at work. Its own messages are in its own language, as ledgers' are."""

from __future__ import annotations

from datetime import date

from django.db import transaction
from django.db.models import Q

from wainwright.core.masters import BANK, CUSTOMER, PERSON, SUPPLIER, TAX, Master
from wainwright.core.posting import Journal
from wainwright.ports.ledger import Entered, Masters, NewSupplier, Refused
from wainwright.standins.ledger.models import ClosedPeriod, LedgerCode, LedgerEntry, LedgerParty
from wainwright.standins.ledger.opening import open_books


class Standin:
    """Enters journals under their key, once; refuses by its own rules."""

    @transaction.atomic
    def post(self, firm: str, journal: Journal, on: date) -> Entered | Refused:
        """Enter a journal, or refuse it with a code and a text of the ledger's own."""
        known = LedgerEntry.objects.filter(firm=firm, key=journal.key).first()
        if known:
            return Entered(known.number)
        month = f"{on:%Y-%m}"
        if ClosedPeriod.objects.filter(firm=firm, month=month).exists():
            return Refused("LB-104", f"Perioden {month} er stengt for bokføring", month)
        codes = {(c.dimension, c.code): c for c in LedgerCode.objects.filter(firm=firm)}
        for entry in journal.entries:
            refused = _check(entry.coding.parts(), codes, on)
            if refused:
                return refused
        refused = _check_parties({entry.party for entry in journal.entries} - {""}, firm, on)
        if refused:
            return refused
        number = f"B{on:%y}-{LedgerEntry.objects.filter(firm=firm).count() + 1:05d}"
        lines = [
            {
                "parts": e.coding.parts(),
                "debit": str(e.debit.amount),
                "credit": str(e.credit.amount),
                "text": e.text,
                "supplier": e.party,
            }
            for e in journal.entries
        ]
        LedgerEntry.objects.create(firm=firm, key=journal.key, number=number, date=on, lines=lines)
        return Entered(number)

    def state(self, firm: str, key: str) -> Entered | None:
        """Return under which number a journal stands."""
        known = LedgerEntry.objects.filter(firm=firm, key=key).first()
        return Entered(known.number) if known else None

    def masters(self, firm: str) -> Masters:
        """Return everything that is kept."""
        open_books(firm)
        codes = [
            Master(
                row.dimension,
                row.code,
                row.name or row.code,
                row.open_from,
                row.open_until,
                tuple(row.asks_for),
                row.parent,
            )
            for row in LedgerCode.objects.filter(firm=firm).order_by("dimension", "code")
        ]
        parties = [_party(row) for row in LedgerParty.objects.filter(firm=firm).order_by("kind", "code")]
        return Masters(
            (*codes, *parties), frozenset({row.kind for row in codes} | {SUPPLIER, CUSTOMER, TAX, PERSON, BANK})
        )

    @transaction.atomic
    def make_supplier(self, firm: str, supplier: NewSupplier) -> Master:
        """Make a supplier once: by its key, its account, or its tax number."""
        rows = LedgerParty.objects.filter(firm=firm, kind=SUPPLIER)
        same = Q(key=supplier.key)
        same |= Q(iban=supplier.iban) if supplier.iban else Q(pk__in=[])
        same |= Q(tax_number=supplier.tax_number) if supplier.tax_number else Q(pk__in=[])
        known = rows.filter(same).first()
        if known is None:
            known = LedgerParty.objects.create(
                firm=firm, kind=SUPPLIER, code=f"L{20001 + rows.count()}", name=supplier.name[:120], iban=supplier.iban,
                tax_number=supplier.tax_number, country=supplier.country, key=supplier.key,
            )  # fmt: skip
        return _party(known)


def _party(row: LedgerParty) -> Master:
    return Master(
        row.kind,
        row.code,
        row.name,
        None,
        row.open_until,
        country=row.country,
        rate=row.rate,
        share=row.share,
        iban=row.iban,
        parent=row.parent,
        tax_number=row.tax_number,
    )


def _check_parties(named: set[str], firm: str, on: date) -> Refused | None:
    """Whom the entries name must be a supplier that is open."""
    rows = LedgerParty.objects.filter(firm=firm, kind=SUPPLIER, code__in=named) if named else ()
    known = {row.code for row in rows if not (row.open_until and on > row.open_until)}
    missing = sorted(named - known)
    return Refused("LB-501", f"Ukjent leverandør {missing[0]}", missing[0]) if missing else None


def _check(parts: dict[str, str], codes: dict[tuple[str, str], LedgerCode], on: date) -> Refused | None:
    for dimension, code in parts.items():
        known = codes.get((dimension, code))
        if known is None:
            return Refused("LB-201", f"Ukjent kode {code}", f"{dimension}:{code}")
        if known.open_until and on > known.open_until:
            return Refused("LB-202", f"Kode {code} er sperret", f"{dimension}:{code}")
        for needed in known.asks_for:
            if needed not in parts:
                return Refused("LB-305", f"Dimensjon mangler for {code}", f"{needed}:{code}")
    return None
