"""The evidence of a line: the pictures of its papers, so many as are asked for, with how many there are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from wainwright.expenses.models import Receipt, ReceiptPage

FEW = 6


@dataclass(frozen=True)
class Pages:
    """The pages that are shown, how many there are in all, and the papers that have no picture: data, or not to be read."""

    shown: list[dict[str, Any]]
    count: int
    without: list[Receipt]

    @property
    def more(self) -> int:
        """How many are not shown."""
        return self.count - len(self.shown)


def pages_of(receipts: Sequence[int], every: bool = False) -> Pages:
    """Return the pages of receipts, each with the box in which the total was read.

    One query, none where there are no receipts; one more where some have no page.
    """
    if not receipts:
        return Pages([], 0, [])
    found: list[dict[str, Any]] = []
    rows = ReceiptPage.objects.filter(receipt__in=receipts).select_related("receipt")
    for page in rows.order_by("receipt__place", "receipt__received", "receipt", "number"):
        box = page.receipt.fields.get("total", {}).get("box")
        shown = box if box and box[0] == page.number else None
        found.append({"page": page, "box": shown, "receipt": page.receipt, "number": len(found) + 1})
    pictured = {each["receipt"].pk for each in found}
    plain = [pk for pk in receipts if pk not in pictured]
    without = list(Receipt.objects.filter(pk__in=plain).order_by("place", "received")) if plain else []
    return Pages(found if every else found[:FEW], len(found), without)
