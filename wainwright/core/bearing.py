"""Who bears a plan: its costs over codings, as a whole, by category or line by line."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.splits import SplitPart, split

ALL = "all"


@dataclass(frozen=True, slots=True)
class Borne:
    """One cost on the plan: its key ("leg:3"), its category, what it comes to."""

    key: str
    category: str
    amount: Money


def parts_for(cost: Borne, shares: Mapping[str, Sequence[SplitPart]]) -> Sequence[SplitPart]:
    """Return the split that counts for a cost: its own line's, else its category's, else the whole plan's, else none."""
    for about in (f"line:{cost.key}", f"category:{cost.category}", ALL):
        if about in shares:
            return shares[about]
    return ()


def bear(
    costs: Iterable[Borne], default: Coding, shares: Mapping[str, Sequence[SplitPart]]
) -> list[tuple[Coding, Money]]:
    """Return what each coding bears, in the order met; the amounts add up to the costs exactly."""
    sums: dict[Coding, Money] = {}
    for cost in costs:
        parts = parts_for(cost, shares)
        if parts:
            lines = [
                (line.coding, line.gross) for line in split(cost.amount, Money.zero(cost.amount.currency), list(parts))
            ]
        else:
            lines = [(default, cost.amount)]
        for coding, amount in lines:
            sums[coding] = sums[coding] + amount if coding in sums else amount
    return list(sums.items())
