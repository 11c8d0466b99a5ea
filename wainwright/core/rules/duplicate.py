"""The same cost twice: same receipt, or same merchant, day and amount."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Known, Subject


@kind
class Duplicate(Kind):
    """Looks among the subject's own items and at what is recorded elsewhere.

    ``by`` says what makes two the same: "paper" the same receipt, "cost" the same merchant, day and amount.
    """

    code = "duplicate"
    title = "Twice"
    params = ("by",)
    on = frozenset({"claim"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield the later of two costs that look the same, naming the other."""
        seen = list(subject.known)
        for item in subject.items:
            mine = Known(item.key, item.label, "this claim", item.merchant, item.day, item.amount, item.receipts)
            other = next((each for each in seen if _same(mine, each, setting.params.get("by", ""))), None)
            if other is not None:
                text = f"{item.label}, {item.amount}, looks the same as {other.label} on {other.where}."
                yield Hit(
                    item.key, text, Cure("Take one out, or say why it is another", item.key), item.amount, (other.key,)
                )
            seen.append(mine)


def _same(one: Known, other: Known, by: str) -> bool:
    if one.key == other.key:
        return False
    if set(one.receipts) & set(other.receipts):
        return by != "cost"
    merchant = one.merchant.casefold()
    return (
        by != "paper"
        and bool(merchant)
        and (merchant, one.day, one.amount) == (other.merchant.casefold(), other.day, other.amount)
    )
