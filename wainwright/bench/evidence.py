"""The evidence of a line: the pictures of its papers, so many as are asked for, with how many there are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from wainwright.expenses.models import Receipt

FEW = 6


@dataclass(frozen=True)
class Pages:
    """The pages that are shown, and how many there are in all."""

    shown: list[dict[str, Any]]
    count: int

    @property
    def more(self) -> int:
        """How many are not shown."""
        return self.count - len(self.shown)


def pages_of(receipts: Sequence[int], every: bool = False) -> Pages:
    """Return the pages of receipts, each with the box in which the total was read. Two queries, none where there are no receipts."""
    if not receipts:
        return Pages([], 0)
    found = []
    rows = Receipt.objects.filter(pk__in=receipts).prefetch_related("pages").order_by("place", "received", "pk")
    for receipt in rows:
        box = receipt.fields.get("total", {}).get("box")
        for page in receipt.pages.all():
            found.append(
                {
                    "page": page,
                    "box": box if box and box[0] == page.number else None,
                    "receipt": receipt,
                    "number": len(found) + 1,
                }
            )
    return Pages(found if every else found[:FEW], len(found))
