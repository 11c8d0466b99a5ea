"""Rooms of a town around the work place: where they lie, and what they cost against the ceiling."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wainwright.core.geometry import EARTH_KM
from wainwright.core.journey import Place
from wainwright.core.said import say
from wainwright.drawing.map import project

WIDTH, HEIGHT, STRIP = 620, 360, 74


@dataclass(frozen=True)
class Spot:
    """One room to draw."""

    mark: str
    name: str
    place: Place
    price: float
    over: bool
    supplied: bool
    chosen: bool
    full: bool
    link: str


@dataclass(frozen=True)
class Placed:
    """One room placed on the map (x, y) and on the strip of prices (at)."""

    spot: Spot
    x: float
    y: float
    at: float
    rise: int


@dataclass(frozen=True)
class Town:
    """Everything placed; ``rings`` are distances from the work place in km."""

    width: int
    height: int
    strip: int
    spots: list[Placed]
    work: tuple[float, float]
    rings: list[tuple[float, str]]
    ceiling: float | None
    marks: list[tuple[float, str]]


def draw_town(spots: Sequence[Spot], work: Place, ceiling: float | None) -> Town | None:
    """Place rooms; marks that would lie on each other are moved apart. Nothing without rooms."""
    if not spots:
        return None
    projection = project([*(s.place for s in spots), work], WIDTH, HEIGHT, 0.0002)
    most = max([s.price for s in spots] + ([ceiling] if ceiling else []) + [1.0]) * 1.08

    def across(price: float) -> float:
        return round(30 + price / most * (WIDTH - 60), 1)

    placed: list[Placed] = []
    strip: list[tuple[float, int]] = []
    for spot in spots:
        x, y = projection.at(spot.place.lon, spot.place.lat) or (0.0, 0.0)
        for _ in range(20):
            if all(abs(x - p.x) + abs(y - p.y) > 22 for p in placed):
                break
            x, y = x + 9, y + 7
        at, rise = across(spot.price), 0
        while any(abs(at - other) < 20 and rise == level for other, level in strip) and rise < 2:
            rise += 1
        strip.append((at, rise))
        placed.append(Placed(spot, round(min(x, WIDTH - 12), 1), round(min(y, HEIGHT - 12), 1), at, rise))
    centre = projection.at(work.lon, work.lat) or (WIDTH / 2, HEIGHT / 2)
    km = projection.scale / EARTH_KM
    rings = [(round(n * km, 1), say("{n} km", n=n)) for n in (1, 2, 3) if n * km < WIDTH]
    step = 50 if most <= 400 else 500
    marks = [(across(p), f"{p}") for p in range(0, int(most) + 1, step)]
    return Town(
        WIDTH,
        HEIGHT,
        STRIP,
        placed,
        (round(centre[0], 1), round(centre[1], 1)),
        rings,
        across(ceiling) if ceiling else None,
        marks,
    )
