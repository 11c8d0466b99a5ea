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


def bear_each(
    costs: Iterable[Borne], default: Coding, shares: Mapping[str, Sequence[SplitPart]]
) -> list[tuple[Borne, Coding, Money]]:
    """Return what each coding bears of each cost, in the order met; a cost's pieces add up to it exactly.

    What one split covers is divided together, so that amounts which were typed are met to the cent.
    """
    borne: list[tuple[Borne, Coding, Money]] = []
    groups: dict[int, tuple[Sequence[SplitPart], list[Borne]]] = {}
    for cost in costs:
        parts = parts_for(cost, shares)
        if parts:
            groups.setdefault(id(parts), (parts, []))[1].append(cost)
        else:
            borne.append((cost, default, cost.amount))
    for parts, covered in groups.values():
        rows = spread([cost.amount for cost in covered], [part.weight for part in parts])
        for cost, row in zip(covered, rows, strict=True):
            borne += [(cost, part.coding, amount) for part, amount in zip(parts, row, strict=True)]
    return borne


def bear(
    costs: Iterable[Borne], default: Coding, shares: Mapping[str, Sequence[SplitPart]]
) -> list[tuple[Coding, Money]]:
    """Return what each coding bears of all, in the order met; the amounts add up to the costs exactly."""
    return list(add_up((coding, amount) for _, coding, amount in bear_each(costs, default, shares)).items())
