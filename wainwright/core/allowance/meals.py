"""What supplied meals take from a day."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from wainwright.core.allowance.scheme import MealRule, Rate
from wainwright.core.journey import Meal
from wainwright.core.money import Money
from wainwright.core.said import joined, say

NOTHING = Decimal(0)


def cuts(meals: Sequence[Meal], rule: MealRule, rate: Rate, share: Decimal) -> list[tuple[str, Money]]:
    """Return what each supplied meal, or set of meals, takes from a day that earns ``share`` of the rate.

    Sets go before single meals, the larger first; what has no amount takes nothing.
    """
    left, taken = list(meals), []
    known = dict(rule.shares) if rule.by == "share" else {each.meals: each.amount for each in rate.sets}
    for together in sorted((each for each in known if len(each) > 1), key=len, reverse=True):
        if set(together) <= set(left):
            taken.append((together, _worth(known[together], rate)))
            left = [meal for meal in left if meal not in together]
    for meal in left:
        value = (
            known.get((meal,), NOTHING) if rule.by == "share" else rate.meals.get(meal, Money.zero(rate.full.currency))
        )
        taken.append(((meal,), _worth(value, rate)))
    part = share if rule.part_day == "proportion" else Decimal(1)
    return [(joined(say(" and "), together), rule.rounding.of(worth.times(part))) for together, worth in taken]


def _worth(value: Money | Decimal, rate: Rate) -> Money:
    return value if isinstance(value, Money) else rate.full.times(value)


def kept(rule: MealRule, rate: Rate, earned: Money) -> Money:
    """Return what of a day no supplied meal takes: nothing, or the incidentals whole; never more than it earns."""
    if rule.floor == "incidentals" and rate.incidentals is not None:
        return min(rate.incidentals, earned)
    return Money.zero(earned.currency)
