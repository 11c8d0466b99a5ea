"""Distances over the globe."""

from __future__ import annotations

import math

from wainwright.core.journey import Place

EARTH_KM = 6371.0


def great_circle_km(one: Place, other: Place) -> float:
    """Return the distance over the globe in km."""
    lat1, lon1, lat2, lon2 = map(math.radians, (one.lat, one.lon, other.lat, other.lon))
    half = math.sin((lat2 - lat1) / 2) ** 2 + math.cos(lat1) * math.cos(lat2) * math.sin((lon2 - lon1) / 2) ** 2
    return 2 * EARTH_KM * math.asin(math.sqrt(min(1.0, half)))
