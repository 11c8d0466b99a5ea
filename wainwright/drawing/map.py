"""A journey over the outlines of the land: projected to the plane on the server, drawn by a template as SVG.

The projection is azimuthal equal-area around the middle of what is shown, so that a journey of two
towns and one over an ocean both look true.
"""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path

from wainwright.core.journey import Mode, Place, place_said
from wainwright.core.said import say

WIDTH, HEIGHT, PAD = 620, 380, 46
LEAST_SPAN = 0.02
Point = tuple[float, float]


@dataclass(frozen=True)
class Arc:
    """A leg as a path, by mode."""

    path: str
    mode: str
    title: str


@dataclass(frozen=True)
class Dot:
    """A place with its name; the name stands where it is clear of the others."""

    x: float
    y: float
    name: str
    text_x: float
    text_y: float
    anchor: str
    sleeps: bool


@dataclass(frozen=True)
class Map:
    """Everything placed."""

    width: int
    height: int
    land: str
    arcs: list[Arc]
    dots: list[Dot]


@cache
def _land() -> list[tuple[tuple[float, float, float, float], list[Point]]]:
    """The rings of the land with their bounds (west, south, east, north)."""
    found = []
    for ring in json.loads(Path(__file__).with_name("land.json").read_text(encoding="utf-8")):
        lons, lats = [p[0] for p in ring], [p[1] for p in ring]
        found.append(((min(lons), min(lats), max(lons), max(lats)), [(p[0], p[1]) for p in ring]))
    return found


@dataclass(frozen=True)
class Projection:
    """Azimuthal equal-area around (``lon``, ``lat``), then scaled and moved into the picture."""

    lon: float
    lat: float
    scale: float = 1.0
    x: float = 0.0
    y: float = 0.0

    def plane(self, lon: float, lat: float) -> Point | None:
        """Return a point on the plane in earth radii; nothing near the far side of the globe."""
        turn, up, mid = math.radians(lon - self.lon), math.radians(lat), math.radians(self.lat)
        cosine = math.sin(mid) * math.sin(up) + math.cos(mid) * math.cos(up) * math.cos(turn)
        if cosine < -0.85:
            return None
        k = math.sqrt(2 / (1 + cosine))
        return (
            k * math.cos(up) * math.sin(turn),
            -k * (math.cos(mid) * math.sin(up) - math.sin(mid) * math.cos(up) * math.cos(turn)),
        )

    def at(self, lon: float, lat: float) -> Point | None:
        """Return a point in the picture."""
        found = self.plane(lon, lat)
        return (found[0] * self.scale + self.x, found[1] * self.scale + self.y) if found else None


def project(places: Sequence[Place], width: int = WIDTH, height: int = HEIGHT, least: float = LEAST_SPAN) -> Projection:
    """Return the projection that shows all places with some room around them."""
    vectors = [_vector(p) for p in places]
    x, y, z = (sum(axis) for axis in zip(*vectors, strict=True))
    middle = Projection(math.degrees(math.atan2(y, x)), math.degrees(math.atan2(z, math.hypot(x, y))))
    spots = [spot for p in places if (spot := middle.plane(p.lon, p.lat))]
    west, east = min(s[0] for s in spots), max(s[0] for s in spots)
    north, south = min(s[1] for s in spots), max(s[1] for s in spots)
    scale = min((width - 2 * PAD) / max(east - west, least), (height - 2 * PAD) / max(south - north, least))
    return Projection(
        middle.lon, middle.lat, scale, width / 2 - (west + east) / 2 * scale, height / 2 - (north + south) / 2 * scale
    )


def _vector(p: Place) -> tuple[float, float, float]:
    lon, lat = math.radians(p.lon), math.radians(p.lat)
    return math.cos(lat) * math.cos(lon), math.cos(lat) * math.sin(lon), math.sin(lat)


def draw_map(
    legs: Sequence[tuple[Place, Place, Mode]], sleeps: Sequence[Place], width: int = WIDTH, height: int = HEIGHT
) -> Map | None:
    """Draw legs as arcs and stays as points; nothing to draw without legs."""
    if not legs:
        return None
    places = [p for leg in legs for p in leg[:2]]
    projection = project(places, width, height)
    arcs, seen = [], {}
    for origin, target, mode in legs:
        pair = tuple(sorted((origin.town, target.town)))
        seen[pair] = seen.get(pair, 0) + 1
        arcs.append(
            Arc(
                _arc(projection, origin, target, seen[pair]),
                mode.value,
                say(
                    "{value}, {origin} to {target}",
                    value=mode.value.capitalize(),
                    origin=place_said(origin.name),
                    target=place_said(target.name),
                ),
            )
        )
    towns = {p.town for p in sleeps}
    return Map(width, height, land(projection, width, height), arcs, _dots(projection, places, towns, width))


def _arc(projection: Projection, origin: Place, target: Place, number: int) -> str:
    one, other = projection.at(origin.lon, origin.lat), projection.at(target.lon, target.lat)
    if one is None or other is None:
        return ""
    (x1, y1), (x2, y2) = one, other
    # Bent to its left, a little more for each further leg between the same towns.
    bend = 0.1 + 0.06 * (number - 1)
    mx, my = (x1 + x2) / 2 + (y2 - y1) * bend, (y1 + y2) / 2 - (x2 - x1) * bend
    return f"M{x1:.1f} {y1:.1f}Q{mx:.1f} {my:.1f} {x2:.1f} {y2:.1f}"


Box = tuple[float, float, float, float]


def _dots(projection: Projection, places: Sequence[Place], sleeps: set[str], width: int) -> list[Dot]:
    """One dot a town; a name that would lie on another stands on the other side, above or below."""
    dots: list[Dot] = []
    taken: list[Box] = []
    for place in {p.town: p for p in places}.values():
        spot = projection.at(place.lon, place.lat)
        if spot is None:
            continue
        x, y = spot
        sides = [
            (x + 9, y + 4, "start"), (x - 9, y + 4, "end"), (x, y - 11, "middle"), (x, y + 20, "middle"), (x + 9, y + 18, "start"),
            (x + 9, y - 12, "start"),
        ]  # fmt: skip
        boxes = [_word_box(place.town, *side) for side in sides]
        best = next((n for n, box in enumerate(boxes) if _is_clear(box, taken, width)), 0)
        text_x, text_y, anchor = sides[best]
        taken += [boxes[best], (x - 5, y - 5, x + 5, y + 5)]
        dots.append(
            Dot(round(x, 1), round(y, 1), place.town, round(text_x, 1), round(text_y, 1), anchor, place.town in sleeps)
        )
    return dots


def _word_box(word: str, x: float, y: float, anchor: str) -> Box:
    room = len(word) * 7.2
    left = x - (room if anchor == "end" else room / 2 if anchor == "middle" else 0)
    return left, y - 12, left + room, y + 3


def _is_clear(box: Box, taken: Sequence[Box], width: int) -> bool:
    left, top, right, bottom = box
    inside = left > 2 and right < width - 2
    return inside and not any(left < r and west < right and top < b and t < bottom for west, t, r, b in taken)


@lru_cache(maxsize=256)
def land(projection: Projection, width: int, height: int) -> str:
    """Return the outlines of the land inside the picture as one path."""
    # How far the picture reaches, in degrees, with room to spare; far rings are never looked at.
    reach = math.degrees(math.hypot(width, height) / projection.scale) * 0.75 + 2
    parts = []
    for (west, south, east, north), ring in _land():
        if south > projection.lat + reach or north < projection.lat - reach:
            continue
        squeeze = max(0.05, math.cos(math.radians(min(85.0, abs(projection.lat) + reach * 0.5))))
        wide = reach / squeeze
        if wide < 170 and (west > projection.lon + wide or east < projection.lon - wide):
            continue
        points = [spot for lon, lat in ring if (spot := projection.at(lon, lat))]
        clipped = clip(_thinned(points), -8.0, -8.0, width + 8.0, height + 8.0)
        if len(clipped) > 2:
            parts.append("M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in clipped) + "Z")
    return "".join(parts)


def _thinned(points: list[Point], least: float = 0.8) -> list[Point]:
    """Leave out points closer to the one before than can be seen."""
    kept: list[Point] = []
    for point in points:
        if not kept or abs(point[0] - kept[-1][0]) + abs(point[1] - kept[-1][1]) >= least:
            kept.append(point)
    return kept


def clip(points: list[Point], left: float, top: float, right: float, bottom: float) -> list[Point]:
    """Cut a ring to a rectangle, side by side (Sutherland and Hodgman, 1974)."""
    for axis, limit, sign in ((0, left, 1), (0, right, -1), (1, top, 1), (1, bottom, -1)):
        if not points:
            return []
        kept: list[Point] = []
        for one, other in zip(points, points[1:] + points[:1], strict=True):
            in_one, in_other = (one[axis] - limit) * sign >= 0, (other[axis] - limit) * sign >= 0
            if in_one:
                kept.append(one)
            if in_one != in_other:
                t = (limit - one[axis]) / (other[axis] - one[axis])
                kept.append((one[0] + (other[0] - one[0]) * t, one[1] + (other[1] - one[1]) * t))
        points = kept
    return points
