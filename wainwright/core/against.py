"""Authorised against actual: what was planned beside what was spent, line by line."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from wainwright.core.money import Money, total


@dataclass(frozen=True, slots=True)
class Planned:
    """One line of the authorised plan: its key ("leg:3", "booking:5", "allowance"), what it is and came to."""

    key: str
    label: str
    category: str
    amount: Money


@dataclass(frozen=True, slots=True)
class Actual:
    """One line of the claim: its key, what it came of on the plan where that is known, what it is, and why it differs."""

    key: str
    planned: str
    label: str
    category: str
    amount: Money
    why: str = ""


@dataclass(frozen=True, slots=True)
class Against:
    """A row of the comparison: a plan's line, or a category of them, beside what was spent on it."""

    label: str
    planned: Money
    actual: Money
    why: tuple[str, ...] = ()

    @property
    def difference(self) -> Money:
        """More than planned is above nothing."""
        return self.actual - self.planned


def against(
    planned: Sequence[Planned], actual: Sequence[Actual], names: Mapping[str, str], currency: str
) -> list[Against]:
    """Lay a claim beside its plan: lines that came of a planned one by that, the others by category. Both sums are kept.

    ``names`` are the words for categories. Rows stand in the order of the plan, what was not planned last.
    """
    keys = {each.key for each in planned}
    by_key: dict[str, list[Actual]] = {}
    rest: dict[str, list[Actual]] = {}
    for each in actual:
        if each.planned in keys:
            by_key.setdefault(each.planned, []).append(each)
        else:
            rest.setdefault(each.category, []).append(each)
    rows: list[Against] = []
    left: dict[str, list[Planned]] = {}
    for line in planned:
        done = by_key.get(line.key)
        if done is None:
            left.setdefault(line.category, []).append(line)
        else:
            rows.append(_row(line.label, [line], done, currency))
    for category in dict.fromkeys([*left, *rest]):
        plans, done = left.get(category, []), rest.get(category, [])
        label = plans[0].label if len(plans) == 1 and not done else names.get(category, category)
        rows.append(_row(label, plans, done, currency))
    return rows


def _row(label: str, planned: Sequence[Planned], actual: Sequence[Actual], currency: str) -> Against:
    return Against(
        label, total((each.amount for each in planned), currency), total((each.amount for each in actual), currency),
        tuple(dict.fromkeys(each.why for each in actual if each.why)),
    )  # fmt: skip
