"""Splits of a trip or of a claim as they are kept: what each is about, and its codings with share or amount."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any, Protocol

from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.splits import SplitPart


class Divided(Protocol):
    """A trip or a claim."""

    shares: list[dict[str, Any]]
    currency: str


def shares_of(of: Divided) -> dict[str, list[SplitPart]]:
    """Return the splits of a trip or claim, by what they are about: "all", "category:meals", "line:leg:3"."""
    return {row["about"]: parts_from(row["parts"], of.currency) for row in of.shares}


def parts_from(rows: Sequence[dict[str, Any]], currency: str) -> list[SplitPart]:
    """Return the parts of one kept split."""
    return [
        SplitPart(
            Coding.of(row["codes"]), Decimal(row["share"]), Money.of(row["amount"], currency) if row.get("amount") else None
        )
        for row in rows
    ]


def parts_data(parts: Sequence[SplitPart]) -> list[dict[str, Any]]:
    """Return parts as they are kept."""
    rows = []
    for part in parts:
        row: dict[str, Any] = {"share": str(part.share), "codes": [list(pair) for pair in part.coding.codes]}
        if part.amount is not None:
            row["amount"] = str(part.amount.amount)
        rows.append(row)
    return rows
