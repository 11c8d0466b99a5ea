"""What agrees and what is left of an account, day by day: bars up for money that came in, down for money that went out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from wainwright.core.said import as_figure, say

WIDTH, HALF, EDGE = 1180, 54, 4
# By whether money came in, and whether the line is left.
_MOVED = {
    (True, False): say("{day}: {amount} came in, told"), (True, True): say("{day}: {amount} came in, left"),
    (False, False): say("{day}: {amount} went out, told"), (False, True): say("{day}: {amount} went out, left"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Day:
    """The sums of a day's lines, in whole minor units: those that are told and those that are left, in and out (both positive)."""

    day: date
    in_told: int
    in_left: int
    out_told: int
    out_left: int


@dataclass(frozen=True, slots=True)
class Bar:
    """One bar: where it stands, how high, and whether it is left."""

    x: float
    y: float
    width: float
    height: float
    left: bool
    words: str


@dataclass(frozen=True, slots=True)
class Agreement:
    """The picture: its bars, the line between in and out, and the days at its ends."""

    bars: tuple[Bar, ...]
    middle: float
    height: float
    width: float
    first: date | None
    last: date | None


def draw(days: Sequence[Day]) -> Agreement:
    """Return the picture of some days in their order. Sums of very different sizes stay visible: heights go by the square root."""
    if not days:
        return Agreement((), HALF + EDGE, 2 * (HALF + EDGE), WIDTH, None, None)
    first, last = days[0].day, days[-1].day
    step = WIDTH / ((last - first).days + 1)
    width = max(1.5, min(step * 0.8, 26))
    most = max(max(each.in_told + each.in_left, each.out_told + each.out_left) for each in days) or 1
    middle, bars = HALF + EDGE, []
    for each in days:
        x = round((each.day - first).days * step + (step - width) / 2, 1)
        for told, left, up in ((each.in_told, each.in_left, True), (each.out_told, each.out_left, False)):
            whole = HALF * ((told + left) / most) ** 0.5 if told + left else 0.0
            at = 0.0
            for amount, loose in ((told, False), (left, True)):
                if not amount:
                    continue
                size = max(1.5, whole * amount / (told + left))
                y = middle - at - size if up else middle + at
                words = say(_MOVED[up, loose], day=as_figure(each.day, "%d %b"), amount=as_figure(amount / 100, ",.2f"))
                bars.append(Bar(x, round(y, 1), round(width, 1), round(size, 1), loose, words))
                at += size
    return Agreement(tuple(bars), middle, 2 * middle, WIDTH, first, last)
