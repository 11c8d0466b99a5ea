"""The rows of a scheme: when each fits a period of a journey, and what it pays."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import time
from decimal import ROUND_CEILING, Decimal
from enum import StrEnum

from wainwright.core.said import joined, say
from wainwright.core.workings import plain

SHARE_WORDS = {Decimal("0.75"): say("three quarters"), Decimal("0.5"): say("half"), Decimal("0.25"): say("a quarter")}
ONE = Decimal(1)


class Kind(StrEnum):
    """What period of a journey it is: by calendar days the only, first, last or one between; by 24 hours whole or left over."""

    ONLY = "only"
    FIRST = "first"
    LAST = "last"
    WHOLE = "whole"
    REST = "left over"


@dataclass(frozen=True, slots=True)
class Situation:
    """A period as the conditions of a row see it. Hours are elapsed hours; clock times are local.

    ``left`` and ``back`` are there where one left, or came back, within the period. ``away`` says whether one was away at
    a clock time within it. ``most``: it is the period of the journey with most hours.
    """

    kind: Kind
    hours: Decimal
    journey_hours: Decimal
    night: bool
    left: time | None = None
    back: time | None = None
    away: Callable[[time], bool] = field(default=lambda _: False)
    most: bool = False


@dataclass(frozen=True, slots=True)
class Pays:
    """What a row pays: ``share`` of an amount of the rate by its name, or of it one ``hourly``-th for each hour begun.

    Never more than the whole amount.
    """

    share: Decimal = ONE
    amount: str = "full"
    hourly: int | None = None

    def part(self, hours: Decimal) -> Decimal:
        """Return which part of the amount is paid for a period of so many hours."""
        if self.hourly is None:
            return self.share
        return min(ONE, Decimal(begun(hours)) / self.hourly) * self.share

    def words(self, hours: Decimal) -> str:
        """What is paid, as it goes on with an amount: "half of", "7 twelfths of"."""
        of = say("of") if self.amount == "full" else say("of the {amount} amount,", amount=self.amount)
        if self.hourly is not None:
            parts = say("twelfths") if self.hourly == 12 else say("parts of {hourly}", hourly=self.hourly)
            least = min(begun(hours), self.hourly)
            return (
                joined("", (least, " ", parts, " ", of))
                if self.share == ONE
                else say(
                    "{share_words} of {least} {parts} {of}",
                    share_words=share_words(self.share),
                    least=least,
                    parts=parts,
                    of=of,
                )
            )
        if self.amount != "full" and self.share == ONE:
            return say("the {amount} amount,", amount=self.amount)
        return joined("", (share_words(self.share), " ", of))


@dataclass(frozen=True, slots=True)
class Row:
    """One row: it fits where all of its conditions hold; what is not said holds always. Hours in hours, over is not from."""

    pays: Pays
    name: str = ""
    period: frozenset[Kind] = frozenset()
    night: bool | None = None
    hours_from: Decimal | None = None
    hours_over: Decimal | None = None
    hours_below: Decimal | None = None
    journey_from: Decimal | None = None
    journey_over: Decimal | None = None
    left_from: time | None = None
    back_until: time | None = None
    away_at: time | None = None
    most: bool = False

    def fits(self, at: Situation) -> bool:
        """Say whether all conditions hold for a period."""
        return (
            (not self.period or at.kind in self.period)
            and (self.night is None or at.night == self.night)
            and (self.hours_from is None or at.hours >= self.hours_from)
            and (self.hours_over is None or at.hours > self.hours_over)
            and (self.hours_below is None or at.hours < self.hours_below)
            and (self.journey_from is None or at.journey_hours >= self.journey_from)
            and (self.journey_over is None or at.journey_hours > self.journey_over)
            and (self.left_from is None or (at.left is not None and at.left >= self.left_from))
            and (self.back_until is None or (at.back is not None and at.back <= self.back_until))
            and (self.away_at is None or at.away(self.away_at))
            and (not self.most or at.most)
        )

    def because(self, at: Situation) -> list[str]:
        """Return, of a period that it fits, why: each condition that is not plain from the period itself, in words."""
        said = [
            (self.night is not None, say("with a night away") if self.night else say("without a night away")),
            (self._by_hours, joined(", ", (say("{hours} h", hours=plain(round(at.hours, 2))), *self._bounds))),
            (
                self.journey_from is not None,
                say(
                    "{journey_hours} h in all, from {h} h",
                    journey_hours=plain(round(at.journey_hours, 2)),
                    h=_h(self.journey_from),
                ),
            ),
            (
                self.journey_over is not None,
                say(
                    "{journey_hours} h in all, over {h} h",
                    journey_hours=plain(round(at.journey_hours, 2)),
                    h=_h(self.journey_over),
                ),
            ),
            (
                self.left_from is not None,
                say("left {clock}, at or after {clock_2}", clock=_clock(at.left), clock_2=_clock(self.left_from)),
            ),
            (
                self.back_until is not None,
                say("back {clock}, at or before {clock_2}", clock=_clock(at.back), clock_2=_clock(self.back_until)),
            ),
            (self.away_at is not None, say("away at {clock}", clock=_clock(self.away_at))),
            (self.most, say("most hours of the journey")),
        ]
        return [words for holds, words in said if holds]

    @property
    def words(self) -> str:
        """The row as a sentence: its conditions, then what it pays."""
        conditions = [
            (bool(self.period), joined(say(" or "), (KIND_WORDS[kind] for kind in Kind if kind in self.period))),
            (self.night is not None, say("with a night away") if self.night else say("without a night away")),
            (bool(self._bounds), joined(", ", self._bounds)),
            (self.journey_from is not None, say("the journey from {h} h", h=_h(self.journey_from))),
            (self.journey_over is not None, say("the journey over {h} h", h=_h(self.journey_over))),
            (self.left_from is not None, say("left at or after {clock}", clock=_clock(self.left_from))),
            (self.back_until is not None, say("back at or before {clock}", clock=_clock(self.back_until))),
            (self.away_at is not None, say("away at {clock}", clock=_clock(self.away_at))),
            (self.most, say("the period with most hours")),
        ]
        said = joined(", ", (words for holds, words in conditions if holds)) or say("any other")
        amount = (
            say("the full rate")
            if self.pays.amount == "full"
            else say("the {pays_amount} amount", pays_amount=self.pays.amount)
        )
        if self.pays.hourly is not None:
            paid = say("for each hour begun 1/{hourly} of {amount}", hourly=self.pays.hourly, amount=amount)
            paid = (
                paid
                if self.pays.share == ONE
                else say("{share_words} of it: {paid}", share_words=share_words(self.pays.share), paid=paid)
            )
        else:
            paid = (
                amount
                if self.pays.share == ONE
                else say("{share_words} of {amount}", share_words=share_words(self.pays.share), amount=amount)
            )
            paid = "nothing" if self.pays.share == 0 else paid
        return joined("", (self.name + ": " if self.name else "", said, ": ", paid))

    @property
    def _by_hours(self) -> bool:
        return not (
            self.hours_from is None
            and self.hours_over is None
            and self.hours_below is None
            and self.pays.hourly is None
        )

    @property
    def _bounds(self) -> list[str]:
        bounds = (
            (self.hours_from, say("from {h} h", h=_h(self.hours_from))),
            (self.hours_over, say("over {h} h", h=_h(self.hours_over))),
            (self.hours_below, say("below {h} h", h=_h(self.hours_below))),
        )
        return [words for hours, words in bounds if hours is not None]


KIND_WORDS = {
    Kind.ONLY: say("single day"), Kind.FIRST: say("first day"), Kind.LAST: say("last day"), Kind.WHOLE: say("whole period"), Kind.REST: say("what is left over"),
}  # fmt: skip


def begun(hours: Decimal) -> int:
    """Return how many hours have begun."""
    return int(hours.to_integral_value(rounding=ROUND_CEILING))


def share_words(share: Decimal) -> str:
    """Write a share as people say it."""
    if share == 1:
        return "all"
    if share == 0:
        return "nothing"
    return SHARE_WORDS.get(share, joined("", (plain(share * 100), " %")))


def _h(hours: Decimal | None) -> str:
    return plain(hours) if hours is not None else ""


def _clock(at: time | None) -> str:
    return f"{at:%H:%M}" if at is not None else ""
