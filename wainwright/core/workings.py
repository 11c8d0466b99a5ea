"""Workings: how a figure came about, step by step, so that a person can read and check it."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from wainwright.core.money import Money


@dataclass(frozen=True, slots=True)
class Step:
    """One step: a sentence, the figure it led to, the rule behind it and that rule's date of effect."""

    text: str
    result: str = ""
    rule: str = ""
    since: date | None = None

    def sentence(self) -> str:
        """Return the step as one readable line."""
        source = f" ({self.rule})" if self.rule else ""
        since = f" from {day_text(self.since, year=True)}" if self.since else ""
        result = f": {self.result}" if self.result else ""
        return f"{self.text}{source}{since}{result}"


@dataclass(frozen=True, slots=True)
class Workings:
    """The steps behind one figure, under a title."""

    title: str
    steps: tuple[Step, ...] = field(default=())

    def lines(self) -> list[str]:
        """Return every step as a sentence."""
        return [step.sentence() for step in self.steps]


@dataclass(frozen=True, slots=True)
class Figure:
    """An amount with its workings."""

    amount: Money
    workings: Workings


def day_text(day: date, year: bool = False) -> str:
    """Write a date as people do: ``Mon 12 Oct``, or ``1 Jan 2026`` where the year matters."""
    if year:
        return f"{day.day} {day:%b} {day.year}"
    return f"{day:%a} {day.day} {day:%b}"


def plain(number: Decimal) -> str:
    """Write a number without needless zeros: ``58.00`` stays, ``0.750`` becomes ``0.75``."""
    return f"{number.normalize():f}"
