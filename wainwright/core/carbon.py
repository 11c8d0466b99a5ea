"""Carbon of a way: distance times a factor by mode and class, with the table's source in the workings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import ROUND_HALF_UP, Decimal

from wainwright.core.journey import Mode
from wainwright.core.said import as_figure, say
from wainwright.core.workings import Step, Workings, plain


@dataclass(frozen=True, slots=True)
class Factor:
    """Grams of CO₂e a person and km, for journeys of a mode and class up to ``most_km`` (none: any length)."""

    mode: Mode
    cabin: str
    most_km: Decimal | None
    grams: Decimal
    since: date
    source: str


@dataclass(frozen=True, slots=True)
class Move:
    """One move: its mode, class and length in km along the great circle."""

    label: str
    mode: Mode
    cabin: str
    km: Decimal


@dataclass(frozen=True, slots=True)
class Carbon:
    """Kilograms, rounded to whole ones, with workings."""

    kg: int
    workings: Workings


def factor_for(factors: Sequence[Factor], move: Move) -> Factor | None:
    """Return the closest factor: of the class before any class, of the shortest band that holds the length."""
    fitting = [
        f
        for f in factors
        if f.mode == move.mode and f.cabin in ("", move.cabin) and (f.most_km is None or move.km <= f.most_km)
    ]
    return min(fitting, key=lambda f: (not f.cabin, f.most_km is None, f.most_km or 0), default=None)


def carbon(moves: Sequence[Move], factors: Sequence[Factor]) -> Carbon:
    """Add up the carbon of moves; a move without a factor counts as nothing and says so."""
    grams, steps = Decimal(0), []
    for move in moves:
        found = factor_for(factors, move)
        if found is None:
            steps.append(
                Step(say("{move_label}: no factor for {mode}", move_label=move.label, mode=move.mode), say("0 kg"))
            )
            continue
        part = move.km * found.grams
        grams += part
        steps.append(
            Step(say("{move_label}, {km} km × {grams} g", move_label=move.label, km=plain(move.km), grams=plain(found.grams)), say("{part} kg", part=as_figure(part / 1000, ".1f")), found.source, found.since)
        )  # fmt: skip
    kg = int((grams / 1000).to_integral_value(rounding=ROUND_HALF_UP))
    steps.append(Step(say("Rounded"), say("{kg} kg CO₂e", kg=kg)))
    return Carbon(kg, Workings(say("Carbon, distance × factor"), tuple(steps)))
