"""The field: every way drawn once, at the height of its price and over its hours of the day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal

from wainwright.core.said import as_figure, say

WIDTH, HEIGHT, LEFT, TOP, BOTTOM = 740, 400, 52, 30, 38
# How far ways stand apart, how wide a price is beside its way, and how many marks there are up the side at most.
APART, PRICE, MOST_MARKS = 11, 40, 8


@dataclass(frozen=True)
class Flight:
    """One way to draw: its hops as (leaves, arrives) in local wall times, its price, its yardstick."""

    key: str
    label: str
    hops: Sequence[tuple[datetime, datetime]]
    price: Decimal
    over: bool
    yardstick: bool
    chosen: bool
    mode: str = "air"


@dataclass(frozen=True)
class Bar:
    """One hop as a bar."""

    x: float
    width: float


@dataclass(frozen=True)
class Drawn:
    """One way placed."""

    key: str
    label: str
    y: float
    bars: list[Bar]
    gaps: list[float]
    left: float
    right: float
    over: bool
    yardstick: bool
    chosen: bool
    word_x: float
    word_anchor: str
    mode: str = "air"
    price: str = ""


@dataclass(frozen=True)
class Field:
    """The picture: ways, hour marks along the bottom, prices up the side, the line above which a reason is needed."""

    width: int
    height: int
    left: int
    floor: float
    ways: list[Drawn]
    hours: list[tuple[float, str]]
    prices: list[tuple[float, str]]
    limit: tuple[float, str] | None
    waits: list[tuple[float, str, str]]
    first: str
    seconds: float
    low: float
    high: float
    top: int = TOP


def _step(span: float) -> int:
    """The step of the marks up the side, of 1, 2 or 5 times a power of ten: between three and eight of them."""
    step, factors = 1, (2, 2.5, 2)
    for n in range(40):
        if span / step <= MOST_MARKS:
            break
        step = int(step * factors[n % 3])
    return step


def _free(height: float, left: float, right: float, taken: Sequence[tuple[float, float, float]], floor: float) -> float:
    """The height nearest to its price at which a way hides no other: first a little above, then a little below."""
    for away in range(60):
        for tried in (height - away * APART, height + away * APART):
            inside = TOP - 8 <= tried <= floor - 4
            if inside and not any(abs(tried - t) < APART and left < r + 4 and right > s - 4 for t, s, r in taken):
                return round(tried, 1)
    return height


def draw_field(
    flights: Sequence[Flight], limit: Decimal | None, waits: Sequence[tuple[datetime, str]] = ()
) -> Field | None:
    """Place ways; heights that would overlap are pushed apart. ``waits`` are moments to be in time for. Nothing without ways."""
    if not flights:
        return None
    day = min(f.hops[0][0] for f in flights).date()
    base = datetime.combine(day, datetime.min.time())
    first = min(f.hops[0][0] for f in flights).replace(minute=0)
    last = max(f.hops[-1][1] for f in flights) + timedelta(hours=1)
    span = max((last - first).total_seconds(), 3600.0)
    prices = [f.price for f in flights] + ([limit] if limit is not None else [])
    low, high = float(min(prices)), float(max(prices))
    room = max(high - low, 20.0)
    low, high = low - room * 0.08, high + room * 0.08
    floor = HEIGHT - BOTTOM

    def x(moment: datetime) -> float:
        return round(LEFT + (moment - first).total_seconds() / span * (WIDTH - LEFT - 20), 1)

    def y(price: float) -> float:
        return round(floor - (price - low) / (high - low) * (floor - TOP), 1)

    drawn: list[Drawn] = []
    taken: list[tuple[float, float, float]] = []
    for flight in sorted(flights, key=lambda f: f.price):
        height, left, right = y(float(flight.price)), x(flight.hops[0][0]), x(flight.hops[-1][1])
        height = _free(height, left, right + PRICE, taken, floor)
        taken.append((height, left, right + PRICE))
        bars = [Bar(x(a), max(3.0, round(x(b) - x(a), 1))) for a, b in flight.hops]
        gaps = [round((x(one[1]) + x(two[0])) / 2, 1) for one, two in zip(flight.hops, flight.hops[1:], strict=False)]
        # The word stands after the bar, or before it where it would leave the picture.
        fits = right + 30 < WIDTH
        drawn.append(
            Drawn(
                flight.key, flight.label, height, bars, gaps, left, right, flight.over, flight.yardstick, flight.chosen,
                right + 8 if fits else left - 8, "start" if fits else "end", flight.mode, as_figure(flight.price, ",.0f"),
            )
        )  # fmt: skip
    hours = []
    mark = first
    while mark <= last:
        if mark.hour % 2 == 0:
            hours.append(
                (
                    x(mark),
                    f"{mark:%H}"
                    if mark.date() == base.date()
                    else as_figure(mark, "%a %H")
                    if mark.hour == 0
                    else f"{mark:%H}",
                )
            )
        mark += timedelta(hours=1)
    step = _step(high - low)
    marks = [(y(float(p)), as_figure(p, ",")) for p in range(int(low // step + 1) * step, int(high) + 1, step)]
    return Field(
        WIDTH, HEIGHT, LEFT, float(floor), drawn, hours, marks,
        (y(float(limit)), say("a reason is needed above {limit}", limit=as_figure(limit, ",.0f"))) if limit is not None else None,
        [(x(at), words, "end" if x(at) > WIDTH * 0.6 else "start") for at, words in waits if first <= at <= last],
        first.isoformat(), span, low, high,
    )  # fmt: skip
