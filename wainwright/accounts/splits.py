"""Splits as rows in the database, of a trip, of a claim or under a name: what each is about, and its codings with share or amount."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import Any, Protocol

from wainwright.accounts.selectors import Books
from wainwright.core.coding import Coding, check_coding
from wainwright.core.dividing import check_parts
from wainwright.core.money import Money
from wainwright.core.said import joined, said_by, say
from wainwright.core.splits import SplitError, SplitPart, check_shares
from wainwright.errors import Refusal


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
            Coding.of(row["codes"]),
            Decimal(row["share"]),
            Money.of(row["amount"], currency) if row.get("amount") else None,
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


def must_hold(parts: Sequence[SplitPart], whole: Money | None, ledger: Books, day: date) -> None:
    """Raise ``Refusal`` unless shares add up to 100, or amounts to ``whole``, and every coding holds on ``day``."""
    try:
        if any(part.amount is not None for part in parts):
            if whole is None:
                raise SplitError(say("By amount only what there is can be split."))
            check_parts(parts, whole)
        else:
            check_shares(parts)
    except SplitError as error:
        raise Refusal(said_by(error), "share") from error
    codings_must_hold(parts, ledger, day)


def codings_must_hold(parts: Sequence[SplitPart], ledger: Books, day: date) -> None:
    """Raise ``Refusal`` unless every coding holds on ``day``."""
    for part in parts:
        faults = check_coding(part.coding, ledger.codes, day)
        if faults:
            raise Refusal(joined("", (part.coding or say("A line"), ": ", faults[0].text)), "share")
