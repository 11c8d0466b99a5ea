"""A plan of seats as shapes: rows along the craft, letters across, with the aisle between."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from dataclasses import dataclass

from wainwright.core.said import joined, say

SIZE, GAP, AISLE, HEAD, SIDE = 22, 4, 22, 30, 26


@dataclass(frozen=True)
class Seat:
    """One seat: where it lies, whether it can be had."""

    name: str
    x: int
    y: int
    taken: bool
    chosen: bool
    roomy: bool
    words: str


@dataclass(frozen=True)
class Plan:
    """Everything placed; ``letters`` and ``rows`` are the words beside the seats."""

    width: int
    height: int
    size: int
    seats: list[Seat]
    letters: list[tuple[int, str]]
    rows: list[tuple[int, int]]


def draw_seats(
    letters_of_row: str, count: int, gone: AbstractSet[str], roomy: AbstractSet[int], chosen: str = ""
) -> Plan:
    """Lay seats out on their side: rows from left to right, so that a long craft fits a wide page.

    ``letters_of_row`` has "|" for the aisle; ``gone`` are seats taken, ``roomy`` rows with more room.
    """
    seats, letters = [], []
    y = HEAD
    across = [c for c in letters_of_row if c != "|"]
    outer = {across[0], across[-1]}
    beside = {letters_of_row[i + d] for i, c in enumerate(letters_of_row) if c == "|" for d in (-1, 1)}
    for letter in reversed(letters_of_row):
        if letter == "|":
            y += AISLE
            continue
        letters.append((y + SIZE // 2 + 4, letter))
        for row in range(1, count + 1):
            name = f"{row}{letter}"
            where = say("window") if letter in outer else say("aisle") if letter in beside else say("middle")
            taken = name in gone and name != chosen
            more = [say("more room")] if row in roomy else []
            words = joined(", ", [name, where, *more, *([say("taken already")] if taken else [])])
            x = SIDE + (row - 1) * (SIZE + GAP)
            seats.append(Seat(name, x, y, taken, name == chosen, row in roomy, words))
        y += SIZE + GAP
    rows = [(SIDE + (row - 1) * (SIZE + GAP) + SIZE // 2, row) for row in range(1, count + 1)]
    return Plan(SIDE + count * (SIZE + GAP) + 10, y + 10, SIZE, seats, letters, rows)
