"""The track of a ride as a receiver of positions writes it (GPX 1.0 and 1.1): how far, when, from where to where."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from itertools import pairwise
from math import cos, radians

import gpxpy
import gpxpy.gpx
from gpxpy.geo import haversine_distance

from wainwright.core.said import as_figure, say
from wainwright.core.workings import plain
from wainwright.formats.places import nearest
from wainwright.formats.problems import Unreadable
from wainwright.formats.sheets import drawn_sheet

MOST_POINTS, DRAWN = 500_000, 2_000
LEAST_M, MOST_KM = 100.0, 5_000
# Faster than any car: such a point is a receiver's error, and is left out.
FASTEST = 90.0
SIDE = 480.0

Point = tuple[float, float, datetime | None]


@dataclass(frozen=True, slots=True)
class Track:
    """A ride that was recorded: km by its points, when it began and ended (UTC, if known), the places at its ends by name,
    the zone in which it began, and how many points were left out as impossible."""

    km: Decimal
    begins: datetime | None
    ends: datetime | None
    origin: str
    target: str
    zone: str
    left: int
    line: tuple[tuple[float, float], ...]


def is_track(content: bytes) -> bool:
    """Say whether an XML file's root is that of a track."""
    return b"<gpx" in content[:4000] or b":gpx" in content[:4000]


def read_track(content: bytes) -> Track:
    """Read a track. Raises ``Unreadable`` for what is damaged, holds no way, or none that a car can drive."""
    if b"<!DOCTYPE" in content or b"<!ENTITY" in content:
        raise Unreadable(say("The track names entities, which no receiver does. Send it anew from where it was made."))
    if content.count(b"lat=") > MOST_POINTS:
        raise Unreadable(
            say(
                "The track has more than {most_points} points. Send it in pieces.",
                most_points=as_figure(MOST_POINTS, ","),
            )
        )
    try:
        read = gpxpy.parse(content.decode("utf-8-sig", "replace"))
    # The library meets damaged numbers and times with whatever its depths raise.
    except (gpxpy.gpx.GPXException, ValueError, TypeError, AttributeError, KeyError) as error:
        raise Unreadable(say("The track is damaged. Send it anew from where it was made.")) from error
    pieces = [_points(segment.points) for track in read.tracks for segment in track.segments]
    if not any(len(piece) > 1 for piece in pieces):
        # What was only planned has a route and no track.
        pieces = [_points(route.points) for route in read.routes]
    kept = [_driven(piece) for piece in pieces if len(piece) > 1]
    metres = sum(haversine_distance(a[0], a[1], b[0], b[1]) for piece, _ in kept for a, b in pairwise(piece))
    if metres < LEAST_M:
        raise Unreadable(say("There is no way in this track: it does not leave its place."))
    if metres > MOST_KM * 1000:
        raise Unreadable(
            say(
                "The track is longer than {most_km} km. Send it in pieces, a ride each.",
                most_km=as_figure(MOST_KM, ","),
            )
        )
    line = [(lat, lon) for piece, _ in kept for lat, lon, _ in piece]
    times = [at for piece, _ in kept for _, _, at in piece if at is not None]
    origin, target = nearest(*line[0]), nearest(*line[-1])
    return Track(
        Decimal(str(round(metres / 1000, 1))), min(times, default=None), max(times, default=None),
        origin.town, target.town, origin.zone, sum(left for _, left in kept), tuple(line[:: max(1, len(line) // DRAWN)]) + (line[-1],),
    )  # fmt: skip


def _points(points: Sequence[gpxpy.gpx.GPXTrackPoint | gpxpy.gpx.GPXRoutePoint]) -> list[Point]:
    """The points that can be: on earth, in our time."""
    found: list[Point] = []
    for each in points:
        if abs(each.latitude) > 90 or abs(each.longitude) > 180:
            continue
        at = each.time
        if at is not None:
            at = at.replace(tzinfo=UTC) if at.tzinfo is None else at.astimezone(UTC)
            at = at if 1990 <= at.year <= 2100 else None
        found.append((each.latitude, each.longitude, at))
    return found


def _driven(points: Sequence[Point]) -> tuple[list[Point], int]:
    """A piece without the points that nobody can have reached in time, and how many those were."""
    kept, left = [points[0]], 0
    for each in points[1:]:
        last = kept[-1]
        if last[2] is not None and each[2] is not None:
            seconds = (each[2] - last[2]).total_seconds()
            if haversine_distance(last[0], last[1], each[0], each[1]) > max(seconds, 1.0) * FASTEST:
                left += 1
                continue
        kept.append(each)
    return kept, left


def track_sheet(track: Track) -> bytes:
    """The way drawn, with where and when it began and ended: the picture that is kept as evidence."""
    words = [
        say("{km} km by its points, {origin} to {target}", km=plain(track.km), origin=track.origin, target=track.target)
    ]
    words += [f"{word} {at:%d.%m.%Y %H:%M} UTC" for word, at in (("Began", track.begins), ("Ended", track.ends)) if at]
    if track.left:
        words.append(say("{left} points were left out: nobody can have driven there in time", left=track.left))
    return drawn_sheet(say("Track of a ride"), words, _svg(track.line))


def _svg(line: Sequence[tuple[float, float]]) -> str:
    """The way as a line: north is above, and a km is as long everywhere on it."""
    narrow = cos(radians(sum(lat for lat, _ in line) / len(line)))
    xs, ys = [lon * narrow for _, lon in line], [-lat for lat, _ in line]
    wide = max(max(xs) - min(xs), max(ys) - min(ys)) or 1.0
    spots = [((x - min(xs)) / wide * SIDE + 10, (y - min(ys)) / wide * SIDE + 10) for x, y in zip(xs, ys, strict=True)]
    (x, y), (to_x, to_y) = spots[0], spots[-1]
    way = " ".join(f"{x:.1f},{y:.1f}" for x, y in spots)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{SIDE + 20}" height="{SIDE + 20}">'
        f'<polyline points="{way}" fill="none" stroke="#1d3b53" stroke-width="2.5"/>'
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="6" fill="#fff" stroke="#1d3b53" stroke-width="2.5"/>'
        f'<circle cx="{to_x:.1f}" cy="{to_y:.1f}" r="6" fill="#1d3b53"/></svg>'
    )
