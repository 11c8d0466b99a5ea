"""What the day ribbon is made of: what is drawn, and each thing once it has its place. Positions in CSS pixels."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from wainwright.core.allowance import Allowance, NightAllowed
from wainwright.core.journey import Journey
from wainwright.core.money import Money


@dataclass(frozen=True)
class Spend:
    """Money on a day: its mark is a square for the firm's card, a circle for the traveller, hollow without evidence."""

    day: date
    label: str
    amount: Money
    firm_paid: bool
    proven: bool
    link: str = ""


@dataclass(frozen=True)
class Plan:
    """What was planned, to be drawn behind what happened: the journey, its nights, and what each day was to cost."""

    journey: Journey
    nights: Sequence[NightAllowed]
    sums: Mapping[date, Money]


@dataclass(frozen=True)
class RibbonData:
    """What is drawn."""

    journey: Journey
    allowance: Allowance
    nights: Sequence[NightAllowed]
    spends: Sequence[Spend]
    # Legs that a carrier's timetable holds, by key; papers that are due, by day; where each stay ends.
    fixed: frozenset[str] = frozenset()
    asks: Mapping[date, str] = field(default_factory=dict)
    stay_ends: Mapping[date, date] = field(default_factory=dict)
    # On which night the stay of each begins.
    stay_of: Mapping[date, date] = field(default_factory=dict)
    plan: Plan | None = None


@dataclass(frozen=True)
class Lane:
    """A lane's name and where it lies."""

    name: str
    y: int
    height: int


@dataclass(frozen=True)
class Column:
    """A day."""

    day: date
    x: int
    width: int
    title: str
    sub: str
    shaded: bool
    ask: str = ""


@dataclass(frozen=True)
class Move:
    """A leg's bar with its words."""

    x: float
    y: int
    width: float
    text_x: float
    label: str
    times: str
    mode: str
    full: str
    line: str = ""
    leg: str = ""
    leaves: str = ""
    arrives: str = ""


@dataclass(frozen=True)
class NightBox:
    """A night's box, and its bar against the ceiling."""

    x: int
    y: int
    width: int
    label: str
    full: str
    cost: str
    cost_x: int
    bar: float
    tick: float | None
    over: bool
    supplied: bool
    line: str = ""
    day: str = ""
    stay: str = ""


@dataclass(frozen=True)
class MealCell:
    """A meal to mark: ``state`` is counted, supplied or away."""

    x: int
    y: int
    width: int
    key: str
    word: str
    state: str
    text: str
    pressed: bool


@dataclass(frozen=True)
class Cell:
    """A figure of a lane with words beside it."""

    x: int
    y: int
    text: str
    note: str
    note_x: float
    lines: tuple[str, ...]
    day: date


@dataclass(frozen=True)
class SpendRow:
    """One spend in its column."""

    x: int
    y: int
    right: int
    label: str
    full: str
    amount: str
    firm_paid: bool
    proven: bool
    link: str


@dataclass(frozen=True)
class DayTotal:
    """A day's sum with its bar."""

    x: int
    y: int
    right: int
    bar: float
    amount: str


@dataclass(frozen=True)
class Ghost:
    """Something planned, drawn behind what happened: a ``move``, a ``night`` or the mark of a day's ``sum``."""

    kind: str
    x: float
    y: int
    width: float
    full: str


@dataclass(frozen=True)
class Ribbon:
    """Everything placed."""

    width: int
    height: int
    lanes: list[Lane]
    columns: list[Column]
    moves: list[Move]
    nights: list[NightBox]
    meals: list[MealCell]
    allowances: list[Cell]
    spends: list[SpendRow]
    totals: list[DayTotal]
    column: int = 0
    ghosts: tuple[Ghost, ...] = ()
