"""The plan as a ghost behind what happened: other hours, other nights, other sums. Positions in CSS pixels."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime

from wainwright.core.money import Money
from wainwright.core.said import as_figure, say
from wainwright.core.workings import day_text
from wainwright.drawing.ribbon_shapes import Column, Ghost, RibbonData

MOVE_TOP, PAD = 10, 12


def largest_of(data: RibbonData, sums: Sequence[Money]) -> float:
    """Return the largest day, of what happened and of the plan: both are drawn at one scale."""
    planned = list(data.plan.sums.values()) if data.plan is not None else []
    return max((float(amount.amount) for amount in (*sums, *planned)), default=0.0) or 1.0


def ghosts_of(
    data: RibbonData, days: Sequence[date], columns: Sequence[Column], column: int, at: Mapping[str, int],
    sums: Sequence[Money],
) -> tuple[Ghost, ...]:  # fmt: skip
    """Place what was planned and was done otherwise: what is the same lies behind it and is not drawn twice."""
    plan = data.plan
    if plan is None:
        return ()
    first = days[0]

    def x_of(moment: datetime) -> float:
        return ((moment.date() - first).days + (moment.hour * 60 + moment.minute) / 1440) * column

    done = {(leg.mode, leg.origin.town, leg.target.town, leg.leaves, leg.arrives) for leg in data.journey.legs}
    found = []
    for leg in plan.journey.legs:
        if (leg.mode, leg.origin.town, leg.target.town, leg.leaves, leg.arrives) in done:
            continue
        x = x_of(leg.leaves)
        full = say(
            "Planned: {mode} {town} – {town_2}, {leaves} to {arrives}",
            mode=leg.mode,
            town=leg.origin.town,
            town_2=leg.target.town,
            leaves=as_figure(leg.leaves, "%a %H:%M"),
            arrives=as_figure(leg.arrives, "%a %H:%M"),
        )
        found.append(
            Ghost("move", round(x, 1), at["Moves"] + MOVE_TOP, round(max(6.0, x_of(leg.arrives) - x), 1), full)
        )
    slept = {night.night.date: (night.night.place.town, night.cost) for night in data.nights}
    by_day = {each.day: each for each in columns}
    for night in plan.nights:
        day = night.night.date
        if day not in by_day or slept.get(day) == (night.night.place.town, night.cost):
            continue
        box = by_day[day]
        x = box.x + int(box.width * 0.62)
        width = min(x + int(box.width * 0.7), columns[-1].x + columns[-1].width - 6) - x
        name = night.night.name or night.night.place.town
        found.append(
            Ghost("night", x - 4, at["Nights"] + 4, width, say("Planned: {name}, {cost}", name=name, cost=night.cost))
        )
    most = largest_of(data, sums)
    for day, amount in plan.sums.items():
        if day in by_day:
            box = by_day[day]
            width = round(max(0.0, float(amount.amount)) / most * box.width * 0.5, 1)
            found.append(
                Ghost(
                    "sum",
                    box.x + PAD,
                    at["Day total"] + 30,
                    width,
                    say("Planned for {day}: {amount}", day=day_text(day), amount=amount),
                )
            )
    return tuple(found)
