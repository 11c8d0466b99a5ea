"""The ledger stand-in at work. Its own messages are in its own language, as ledgers' are."""

from __future__ import annotations

from datetime import date

from django.db import transaction

from wainwright.core.posting import Journal
from wainwright.ports.ledger import Entered, Refused
from wainwright.standins.ledger.models import ClosedPeriod, LedgerCode, LedgerEntry


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
        number = f"B{on:%y}-{LedgerEntry.objects.filter(firm=firm).count() + 1:05d}"
        lines = [
            {"parts": e.coding.parts(), "debit": str(e.debit.amount), "credit": str(e.credit.amount), "text": e.text}
            for e in journal.entries
        ]
        LedgerEntry.objects.create(firm=firm, key=journal.key, number=number, date=on, lines=lines)
        return Entered(number)


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
