"""Workings: how a figure came about, step by step, so that a person can read and check it."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal

from wainwright.core.money import Money
from wainwright.core.said import as_figure, joined, say, written


@dataclass(frozen=True, slots=True)
class Step:
    """One step: a sentence, the figure it led to, the rule behind it and that rule's date of effect."""

    text: str
    result: str = ""
    rule: str = ""
    since: date | None = None

    def sentence(self) -> str:
        """Return the step as one readable line."""
        parts: list[str] = [self.text]
        if self.rule:
            parts.append(say(" ({rule})", rule=self.rule))
        if self.since:
            parts.append(say(" from {day}", day=day_text(self.since, year=True)))
        if self.result:
            parts += [": ", as_number(self.result)]
        return joined("", parts)


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
        return written(f"{day.day} {day:%b} {day.year}", day, "year")
    return written(f"{day:%a} {day.day} {day:%b}", day, "day")


def moment_text(at: datetime) -> str:
    """Write a moment as people do: ``Mon 12 Oct 14:08``."""
    return joined(" ", (day_text(at), as_figure(at, "%H:%M")))


_WRITTEN = re.compile(r"[−-]?\d{1,3}(?:,\d{3})*(?:\.\d+)?|[−-]?\d+(?:\.\d+)?")


def as_number(text: str) -> str:
    """Return a text that is a number in figures (``1,240.50``) as a figure that other languages write their own way."""
    if not _WRITTEN.fullmatch(text):
        return text
    return written(text, Decimal(text.replace(",", "").replace("−", "-")), "")


def sum_text(amount: Money) -> str:
    """Return an amount without its currency (``1,240.50``), as a figure that other languages write their own way."""
    return written(str(amount), amount.amount, "")


def plain(number: Decimal) -> str:
    """Write a number without needless zeros: ``58.00`` stays, ``0.750`` becomes ``0.75``."""
    return written(f"{number.normalize():f}", number.normalize(), "")
