"""The day ribbon: a column a day; lanes for moves, nights, meals, allowance, money. Positions in CSS pixels."""

from __future__ import annotations

from datetime import date, time, timedelta

from wainwright.core.journey import Journey, Leg, Meal, place_said
from wainwright.core.money import Money, total
from wainwright.core.said import as_figure, joined, say, written
from wainwright.core.workings import day_text, sum_text
from wainwright.drawing.ribbon_ghost import ghosts_of, largest_of
from wainwright.drawing.ribbon_shapes import (
    Cell,
    Column,
    DayTotal,
    Lane,
    MealCell,
    Move,
    NightBox,
    Ribbon,
    RibbonData,
    Spend,
    SpendRow,
)

FULL_WIDTH, LEAST_COLUMN, MOST_COLUMN = 1108, 168, 440
LEAST_WORD = 64
HEAD, TRACK, ROW, LETTER, PAD = 34, 42, 22, 6.3, 12
_GONE_FROM = {Meal.BREAKFAST: time(8), Meal.LUNCH: time(13), Meal.DINNER: time(19)}
_MEAL_WORDS = {Meal.BREAKFAST: say("Brkfst"), Meal.LUNCH: say("Lunch"), Meal.DINNER: say("Dinner")}

__all__ = ["Ribbon", "RibbonData", "Spend", "day_range", "draw", "fit", "meals_of", "minutes"]


def draw(data: RibbonData, room: int = FULL_WIDTH) -> Ribbon | None:
    """Place everything in ``room`` pixels or more; nothing to draw without legs."""
    days = data.journey.days()
    if not days:
        return None
    if data.plan is not None and data.plan.journey.legs:
        first, last = min(days[0], data.plan.journey.days()[0]), max(days[-1], data.plan.journey.days()[-1])
        days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    column = int(max(LEAST_COLUMN, min(MOST_COLUMN, room / len(days))))
    columns = [_column(data, day, n * column, column, days) for n, day in enumerate(days)]
    moves, tracks = moves_of(data, days, column)
    y = HEAD
    lanes = [Lane(say("Moves"), y, 14 + tracks * TRACK)]
    for name, height in ((say("Nights"), 52), (say("Meals"), 46), (say("Allowance"), 40)):
        y = lanes[-1].y + lanes[-1].height
        lanes.append(Lane(name, y, height))
    most = max((sum(1 for s in data.spends if s.day == day) for day in days), default=0)
    y = lanes[-1].y + lanes[-1].height
    if most:
        lanes.append(Lane(say("Money"), y, 14 + most * ROW))
        y = lanes[-1].y + lanes[-1].height
    lanes.append(Lane(say("Day total"), y, 42))
    at = {lane.name: lane.y for lane in lanes}
    nights = _nights(data, columns, at["Nights"])
    meals = [cell for c in columns for cell in _meals(data, c, at["Meals"])]
    allowances = [cell for c in columns if (cell := _allowance(data, c, at["Allowance"]))]
    spends = {c.day: _spends(data, c, at.get("Money", 0)) for c in columns}
    totals = _totals(data, columns, at["Day total"])
    return Ribbon(
        columns[-1].x + column, y + 42, lanes, columns, moves, nights, meals, allowances,
        [row for rows in spends.values() for row in rows], totals, column,
        ghosts_of(data, days, columns, column, at, [_sum_of(data, day) for day in days]) if data.plan is not None else (),
    )  # fmt: skip


def fit(text: str, width: float) -> str:
    """Cut a text to a width, with dots; the whole stays readable in the drawing's title."""
    text, most = str(text), max(3, int(width / LETTER))
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"


def _column(data: RibbonData, day: date, x: int, width: int, days: list[date]) -> Column:
    journey = data.journey
    if not journey.days()[0] <= day <= journey.days()[-1]:
        return Column(day, x, width, day_text(day), say("planned only"), True)
    night = journey.night_of(day)
    towns = [leg.origin.town for leg in journey.legs if leg.leaves.date() == day]
    end = [leg.target.town for leg in journey.legs if leg.leaves.date() == day][-1:]
    stops = [*towns[:1], *end] if towns else [night.place.town if night else journey.last_place_on(day).town]
    sub = " → ".join(dict.fromkeys(stops))
    title = day_text(day)
    return Column(
        day,
        x,
        width,
        title,
        fit(sub, width - len(title) * 7.4 - 30),
        day in (days[0], days[-1]),
        data.asks.get(day, ""),
    )


def _short(leg: Leg) -> str:
    def name(code: str, town: str) -> str:
        return code if len(code) == 3 else town

    return joined(
        "",
        (
            leg.mode.capitalize(),
            " ",
            name(leg.origin.code, leg.origin.town),
            "–",
            name(leg.target.code, leg.target.town),
        ),
    )


def moves_of(data: RibbonData, days: list[date], column: int) -> tuple[list[Move], int]:
    """Place the bars by local time, and each on the first track where its words are clear of the others'."""
    ends: list[float] = []
    moves = []
    whole = len(days) * column
    for leg in data.journey.legs:

        def x_of(moment, first=days[0]):
            return ((moment.date() - first).days + (moment.hour * 60 + moment.minute) / 1440) * column

        x, right = x_of(leg.leaves), x_of(leg.arrives)
        width = max(6.0, right - x)
        label, times = _short(leg), f"{leg.leaves:%H:%M} – {leg.arrives:%H:%M}"
        words = max(len(label) * LETTER + 6, len(times) * LETTER, width)
        text_x = max(4.0, min(x, whole - words - 6))
        track = next((n for n, end in enumerate(ends) if end <= text_x), len(ends))
        if track == len(ends):
            ends.append(0.0)
        ends[track] = max(text_x + words, right) + 10
        full = say(
            "{mode} from {origin} {leaves} to {target} {arrives}, local times",
            mode=leg.mode.capitalize(),
            origin=place_said(leg.origin.name),
            leaves=as_figure(leg.leaves, "%a %H:%M"),
            target=place_said(leg.target.name),
            arrives=as_figure(leg.arrives, "%a %H:%M"),
        )
        moves.append(
            Move(
                round(x, 1),
                HEAD + 10 + track * TRACK,
                round(width, 1),
                round(text_x, 1),
                label,
                times,
                leg.mode.value,
                full,
                f"leg-{leg.key.rpartition(':')[2]}",
                "" if leg.key in data.fixed else leg.key.rpartition(":")[2],
                as_figure(leg.leaves, "%a %H:%M"),
                as_figure(leg.arrives, "%a %H:%M"),
            )
        )
    return moves, max(1, len(ends))


def _nights(data: RibbonData, columns: list[Column], y: int) -> list[NightBox]:
    at = {column.day: column for column in columns}
    ends = {last: first.isoformat() for first, last in data.stay_ends.items()}
    boxes = []
    for night in data.nights:
        column = at.get(night.night.date)
        if column is None:
            continue
        x = column.x + int(column.width * 0.62)
        right = min(x + int(column.width * 0.7), columns[-1].x + column.width - 6)
        width = right - x
        cost, ceiling = float(night.cost.amount), float(night.ceiling.amount) if night.ceiling else 0.0
        scale = max(cost, ceiling, 1.0) / (width * 0.92)
        name = night.night.name or night.night.place.town
        if night.night.supplied:
            words, said = str(say("supplied")), say("{name}, quarters supplied", name=name)
        else:
            words = str(as_figure(night.cost.amount, ",.0f"))
            said = (
                say("{name}, {cost} a night, ceiling {ceiling}", name=name, cost=night.cost, ceiling=night.ceiling)
                if night.ceiling
                else joined("", (name, ", ", night.cost))
            )
        if len(words) * 7.5 > width - 12:
            # Where it does not fit, the name stands alone; what is read out says both.
            words = ""
        room = width - len(words) * 7.5 - 18
        boxes.append(
            NightBox(x, y + 8, width, fit(name, room), said, words, x + width - 8, round(cost / scale, 1),
                     round(ceiling / scale, 1) if ceiling else None, bool(night.over) and not night.night.supplied, night.night.supplied,
                     f"night-{data.stay_of.get(night.night.date, night.night.date)}", night.night.date.isoformat(), ends.get(night.night.date, ""))
        )  # fmt: skip
    return boxes


def meals_of(journey: Journey, day: date) -> list[tuple[Meal, str, str]]:
    """Return each meal of a day with its state (counted, supplied or away), in words as well."""
    days = journey.days()
    found = []
    for meal in Meal:
        away = (day == days[0] and journey.starts.time() >= _GONE_FROM[meal]) or (
            day == days[-1] and journey.ends.time() <= _GONE_FROM[meal]
        )
        state = "supplied" if (day, meal) in journey.supplied else "away" if away else "counted"
        said = {
            "supplied": say("supplied by others"),
            "counted": say("in the allowance"),
            "away": say("before leaving or after being back"),
        }[state]
        found.append((meal, state, say("{value} on {day}, {said}", value=meal.value, day=day_text(day), said=said)))
    return found


def _meals(data: RibbonData, column: Column, y: int) -> list[MealCell]:
    step = (column.width - 2 * PAD) / 3
    cells: list[MealCell] = []
    if not data.journey.days()[0] <= column.day <= data.journey.days()[-1]:
        return cells
    for n, (meal, state, text) in enumerate(meals_of(data.journey, column.day)):
        # In a narrow column the first letter stands for the meal; its full name is in the title.
        word = _MEAL_WORDS[meal] if step >= LEAST_WORD else meal.value[0].upper()
        key = f"{column.day.isoformat()}:{meal.value}"
        x = round(column.x + PAD - 4 + n * step)
        cells.append(MealCell(x, y + 9, round(step), key, word, state, joined("", (word, ": ", text)), state == "supplied"))  # fmt: skip
    return cells


def _allowance(data: RibbonData, column: Column, y: int) -> Cell | None:
    found = data.allowance.on(column.day)
    if found is None:
        return None
    supplied = say(", {supplied_count} supplied", supplied_count=len(found.supplied)) if found.supplied else ""
    share = {"1": say("full"), "0.75": "¾", "0.5": say("half")}.get(
        f"{found.share.normalize():f}", f"{found.share * 100:.0f} %"
    )
    edge = (
        say("first day ")
        if found.reason.startswith("first")
        else say("last day ")
        if found.reason.startswith("last")
        else ""
    )
    text = sum_text(found.amount)
    x = column.x + PAD
    note_x = x + len(text) * 7.6 + 10
    note = fit(str(joined("", (edge, share, supplied))), column.x + column.width - note_x - 4)
    return Cell(x, y + 25, text, note, note_x, tuple(found.workings.lines()), column.day)


def _spends(data: RibbonData, column: Column, y: int) -> list[SpendRow]:
    rows = []
    for n, spend in enumerate(s for s in data.spends if s.day == column.day):
        amount = sum_text(spend.amount)
        room = column.width - 2 * PAD - 22 - len(amount) * 7.2
        rows.append(
            SpendRow(column.x + PAD, y + 20 + n * ROW, column.x + column.width - PAD, fit(spend.label, room), spend.label, amount,
                     spend.firm_paid, spend.proven, spend.link)
        )  # fmt: skip
    return rows


def _sum_of(data: RibbonData, day: date) -> Money:
    currency = data.allowance.amount.currency
    spent = total((s.amount for s in data.spends if s.day == day), currency)
    found = data.allowance.on(day)
    return spent + found.amount if found else spent


def _totals(data: RibbonData, columns: list[Column], y: int) -> list[DayTotal]:
    sums = [(column, _sum_of(data, column.day)) for column in columns]
    most = largest_of(data, [amount for _, amount in sums])
    return [
        DayTotal(
            c.x + PAD,
            y + 25,
            c.x + c.width - PAD,
            round(max(0.0, float(a.amount)) / most * (c.width * 0.5), 1),
            sum_text(a),
        )
        for c, a in sums
    ]


def day_range(first: date | None, last: date | None) -> str:
    """Write a span of days as people do: "12 – 16 October 2026"."""
    if first is None or last is None:
        return say("no dates yet")
    return written(_range(first, last), (first, last), "span")


def _range(first: date, last: date) -> str:
    if first == last:
        return f"{first.day} {first:%B} {first.year}"
    if (first.year, first.month) == (last.year, last.month):
        return f"{first.day} – {last.day} {last:%B} {last.year}"
    if first.year == last.year:
        return f"{first.day} {first:%B} – {last.day} {last:%B} {last.year}"
    return f"{first.day} {first:%B} {first.year} – {last.day} {last:%B} {last.year}"


def minutes(span: timedelta) -> str:
    """Write a duration: "5 h 30"."""
    whole = int(span.total_seconds() // 60)
    return f"{whole // 60} h {whole % 60:02d}"
