"""A firm that the ledger stand-in has never heard of gets books there: a chart of accounts, as any new ledger has one."""

from __future__ import annotations

import csv
from pathlib import Path

from wainwright.standins.ledger.models import LedgerCode

CHART = Path(__file__).parent / "chart.csv"


def open_books(firm: str) -> None:
    """Open the books of a firm that has none."""
    if LedgerCode.objects.filter(firm=firm).exists():
        return
    with CHART.open(encoding="utf-8") as file:
        rows = [
            LedgerCode(firm=firm, dimension=r["kind"], code=r["code"], name=r["name"]) for r in csv.DictReader(file)
        ]
    # Two who ask at once open them once.
    LedgerCode.objects.bulk_create(rows, ignore_conflicts=True)
