"""Pictures of answers: bars, a line, stacked bars, shares, weeks by days. Pure geometry; the table is always there beside it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from wainwright.core.said import as_figure, joined, say

WIDE, LABELS, FIGURES, ROW, MOST = 1180, 230, 110, 23, 20
TALL, FOOT, SIDE = 190, 34, 70
COLOURS, MOST_SHARES = 12, 8


@dataclass(frozen=True, slots=True)
class Mark:
    """A piece of a picture: a box, its colour, what it says, and where it leads."""

    x: float
    y: float
    wide: float
    high: float
    colour: int
    name: str
    figure: Decimal
    link: str = ""


@dataclass(frozen=True, slots=True)
class Word:
    """A text in a picture: where it stands, how it is set (start, middle, end)."""

    x: float
    y: float
    text: str
    anchor: str = "start"


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture: its size, what is in it, the points of a line where there is one, the key of its colours, and it in words."""

    kind: str
    wide: float
    high: float
    marks: tuple[Mark, ...] = ()
    words: tuple[Word, ...] = ()
    points: str = ""
    zero: float = 0.0
    key: tuple[tuple[int, str], ...] = ()
    said: str = ""
    cut: int = 0


Named = Sequence[tuple[str, Decimal, str]]


def short(figure: Decimal) -> str:
    """A figure as it stands beside a bar: without cents, thousands parted."""
    return as_figure(figure.quantize(Decimal(1)), ",")


def said_of(rows: Named) -> str:
    """The same in words, for whoever does not see it."""
    if not rows:
        return say("Nothing to draw.")
    top = sorted(rows, key=lambda row: -row[1])[:3]
    whole = sum((row[1] for row in rows), Decimal(0))
    return (
        say("{rows_count} in all, {short} together; most: ", rows_count=len(rows), short=short(whole))
        + joined(", ", (joined("", (name, " ", short(figure))) for name, figure, _ in top))
        + "."
    )


def bars(rows: Named) -> Picture:
    """Lay bars one below the other; what is below zero goes to the left. The first ``MOST`` alone are drawn, and it says how many are not."""
    shown = list(rows[:MOST])
    low = min((figure for _, figure, _ in shown), default=Decimal(0))
    high = max((figure for _, figure, _ in shown), default=Decimal(0))
    low, high = min(low, Decimal(0)), max(high, Decimal(0))
    span = float(high - low) or 1.0
    room = WIDE - LABELS - FIGURES
    zero = LABELS + float(-low) / span * room
    marks, words = [], []
    for n, (name, figure, link) in enumerate(shown):
        y = n * ROW + 4
        long = abs(float(figure)) / span * room
        marks.append(
            Mark(
                round(zero if figure >= 0 else zero - long, 1),
                y,
                round(max(long, 1.0), 1),
                ROW - 8,
                0 if figure >= 0 else 1,
                name,
                figure,
                link,
            )
        )
        words.append(Word(LABELS - 10, y + 12, _cut(name, 30), "end"))
        words.append(Word(round((zero + long if figure >= 0 else zero) + 8, 1), y + 12, short(figure)))
    return Picture(
        "bars",
        WIDE,
        len(shown) * ROW + 6,
        tuple(marks),
        tuple(words),
        "",
        round(zero, 1),
        (),
        said_of(rows),
        max(0, len(rows) - MOST),
    )


def _cut(text: str, most: int) -> str:
    text = str(text)
    return text if len(text) <= most else text[: most - 1] + "…"


def upright(
    columns: Sequence[tuple[str, str]], series: Sequence[tuple[str, Sequence[Decimal]]], tall: float = TALL
) -> Picture:
    """Stack series over columns (name, link) side by side; what is below zero hangs below the line."""
    ups = [sum((max(values[n], Decimal(0)) for _, values in series), Decimal(0)) for n in range(len(columns))]
    downs = [sum((min(values[n], Decimal(0)) for _, values in series), Decimal(0)) for n in range(len(columns))]
    top, low = max([*ups, Decimal(0)]), min([*downs, Decimal(0)])
    span = float(top - low) or 1.0
    step = (WIDE - SIDE) / max(1, len(columns))
    wide = min(step * 0.7, 64)
    zero = 14 + float(top) / span * tall
    marks, words = [], [Word(SIDE - 8, 18, short(top), "end"), Word(SIDE - 8, round(zero + 4, 1), "0", "end")]
    if low:
        words.append(Word(SIDE - 8, tall + 18, short(low), "end"))
    every = max(1, -(-len(columns) // 14))
    for n, (name, link) in enumerate(columns):
        x = SIDE + n * step + (step - wide) / 2
        up = down = zero
        for k, (of, values) in enumerate(series):
            high = abs(float(values[n])) / span * tall
            if not high:
                continue
            if values[n] > 0:
                up -= high
                y = up
            else:
                y, down = down, down + high
            marks.append(
                Mark(
                    round(x, 1),
                    round(y, 1),
                    round(wide, 1),
                    round(high, 1),
                    k % COLOURS,
                    joined("", (name, ", ", of)) if of else name,
                    values[n],
                    link,
                )
            )
        if n % every == 0:
            words.append(Word(round(x + wide / 2, 1), tall + 32, _cut(name, 10), "middle"))
    key = tuple((k % COLOURS, of) for k, (of, _) in enumerate(series) if of)
    rows = [(name, up + down, "") for (name, _), up, down in zip(columns, ups, downs, strict=True)]
    return Picture(
        "upright", WIDE, tall + FOOT + 14, tuple(marks), tuple(words), "", round(zero, 1), key, said_of(rows)
    )


def line(rows: Named) -> Picture:
    """Draw a line through figures in their order."""
    top = max([*(figure for _, figure, _ in rows), Decimal(0)])
    low = min([*(figure for _, figure, _ in rows), Decimal(0)])
    span = float(top - low) or 1.0
    step = (WIDE - SIDE - 30) / max(1, len(rows) - 1)
    every = max(1, -(-len(rows) // 14))
    points, marks, words = [], [], [Word(SIDE - 8, 18, short(top), "end"), Word(SIDE - 8, TALL + 18, short(low), "end")]
    for n, (name, figure, link) in enumerate(rows):
        x, y = SIDE + 15 + n * step, 14 + float(top - figure) / span * TALL
        points.append(f"{x:.1f},{y:.1f}")
        marks.append(Mark(round(x - 4, 1), round(y - 4, 1), 8, 8, 0, name, figure, link))
        if n % every == 0:
            words.append(Word(round(x, 1), TALL + 32, _cut(name, 10), "middle"))
    zero = 14 + float(top) / span * TALL
    return Picture(
        "line", WIDE, TALL + FOOT + 14, tuple(marks), tuple(words), " ".join(points), round(zero, 1), (), said_of(rows)
    )


def shares(rows: Named) -> Picture:
    """Lay shares of a whole side by side as one bar; what is below zero has no share. All behind the eighth are one."""
    above = sorted((row for row in rows if row[1] > 0), key=lambda row: -row[1])
    kept = list(above[:MOST_SHARES])
    rest = sum((row[1] for row in above[MOST_SHARES:]), Decimal(0))
    if rest:
        kept.append((say("all others"), rest, ""))
    whole = sum((row[1] for row in kept), Decimal(0))
    marks, x = [], 0.0
    for n, (name, figure, link) in enumerate(kept):
        wide = float(figure / whole) * WIDE
        marks.append(Mark(round(x, 1), 0, round(wide, 1), 44, n, name, figure, link))
        x += wide
    key = tuple(
        (n, joined("", (name, " ", as_figure(figure * 100 / whole, ".0f"), " %")))
        for n, (name, figure, _) in enumerate(kept)
    )
    return Picture(
        "shares", WIDE, 46, tuple(marks), (), "", 0.0, key, said_of(rows), sum(1 for row in rows if row[1] < 0)
    )


def heat(rows: Sequence[tuple[str, str]], columns: Sequence[str], figures: Sequence[Sequence[Decimal]]) -> Picture:
    """Shade a field of rows (name, link) by columns: five shades, the darkest for the most."""
    shown = rows[-53:]
    cut = len(rows) - len(shown)
    figures = figures[len(rows) - len(shown) :]
    top = max((figure for row in figures for figure in row), default=Decimal(0)) or Decimal(1)
    wide, marks, words = (WIDE - LABELS) / max(1, len(columns)), [], []
    for k, name in enumerate(columns):
        words.append(Word(round(LABELS + k * wide + wide / 2, 1), 14, _cut(name, 12), "middle"))
    for n, (name, link) in enumerate(shown):
        y = 22 + n * 22
        words.append(Word(LABELS - 10, y + 14, _cut(name, 30), "end"))
        for k, column in enumerate(columns):
            figure = figures[n][k]
            shade = 0 if figure <= 0 else min(5, 1 + int(figure * 5 / top * Decimal("0.999")))
            marks.append(
                Mark(
                    round(LABELS + k * wide, 1),
                    y,
                    round(wide - 2, 1),
                    20,
                    shade,
                    joined("", (name, ", ", column)),
                    figure,
                    link,
                )
            )
    named = [
        (joined("", (name, ", ", column)), figures[n][k], "")
        for n, (name, _) in enumerate(shown)
        for k, column in enumerate(columns)
        if figures[n][k]
    ]
    return Picture("heat", WIDE, 26 + len(shown) * 22, tuple(marks), tuple(words), "", 0.0, (), said_of(named), cut)
