"""Budgets: what is left of one, before and after."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from wainwright.core.money import Money


@dataclass(frozen=True, slots=True)
class Budget:
    """A coding's money for a year: what was given, promised and spent."""

    label: str
    year: int
    given: Money
    committed: Money
    actual: Money

    @property
    def available(self) -> Money:
        """budget − committed − actual; below zero when overdrawn."""
        return self.given - self.committed - self.actual


@dataclass(frozen=True, slots=True)
class BudgetEffect:
    """A budget before and after an amount is committed, with the shares of a bar (0 to 100)."""

    budget: Budget
    amount: Money

    @property
    def after(self) -> Money:
        """What is available once the amount is committed."""
        return self.budget.available - self.amount

    @property
    def over(self) -> bool:
        """Whether the budget does not hold the amount."""
        return self.after < Money.zero(self.amount.currency)

    def bar(self) -> tuple[float, float, float]:
        """Shares of the bar: spent, committed before, this one; cut at the end of the bar."""
        given = float(self.budget.given.amount) or 1.0
        left, parts = 100.0, []
        for part in (self.budget.actual, self.budget.committed, self.amount):
            share = max(0.0, min(left, float(part.amount) / given * 100))
            parts.append(round(share, 2))
            left -= share
        return parts[0], parts[1], parts[2]


def year_of(day: date, begins: int) -> int:
    """Return the fiscal year of a day, named by the calendar year in which it begins; ``begins`` is its first month, 1 to 12."""
    return day.year if day.month >= begins else day.year - 1


def forecast(actual: Decimal, committed: Decimal, gone: Decimal) -> Decimal:
    """Return what a budget comes to at the year's end: what is spent and committed, or the pace so far, whichever is more.

    ``gone`` is how much of the year has passed, from 0 to 1; in its first tenth there is no pace to go by.
    """
    known = actual + committed
    if gone < Decimal("0.1"):
        return known
    return max(known, (actual / min(gone, Decimal(1))).quantize(Decimal("0.01")))
