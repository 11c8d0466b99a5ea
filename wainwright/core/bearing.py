"""Who bears a plan: its costs over codings, as a whole, by category or line by line."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from wainwright.core.coding import Coding
from wainwright.core.money import Money, add_up
from wainwright.core.splits import SplitPart, spread

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
    """Return what each coding bears, in the order met; the amounts add up to the costs exactly.

    What one split covers is divided together, so that amounts which were typed are met to the cent.
    """
    borne: list[tuple[Coding, Money]] = []
    groups: dict[int, tuple[Sequence[SplitPart], list[Money]]] = {}
    for cost in costs:
        parts = parts_for(cost, shares)
        if parts:
            groups.setdefault(id(parts), (parts, []))[1].append(cost.amount)
        else:
            borne.append((default, cost.amount))
    for parts, amounts in groups.values():
        for row in spread(amounts, [part.weight for part in parts]):
            borne += [(part.coding, amount) for part, amount in zip(parts, row, strict=True)]
    return list(add_up(borne).items())
