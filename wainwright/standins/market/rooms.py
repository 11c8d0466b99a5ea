"""Rooms in real towns in made-up houses, and the quarters that two places supply."""

from __future__ import annotations

import math
import random
from datetime import date, timedelta
from functools import lru_cache

from wainwright.core.journey import Place
from wainwright.formats.places import place as place_of
from wainwright.ports.market import StayOffer
from wainwright.standins.market.air import in_currency

FIRST = ("Lamp", "Anchor", "Tide", "Harbour", "Lantern", "Heron", "Slate", "Juniper", "Compass", "Rowan", "Mill", "Signal")  # fmt: skip
SECOND = ("Quay Hotel", "Rooms", "Inn", "Guesthouse", "House", "Yard Hotel", "Lodge", "Court Hotel")
# Town and country -> the quarters that are supplied there.
SUPPLIED = {("Florø", "NO"): "Gauge House, quarters", ("Aberdeen", "GB"): "Survey Bunkhouse, quarters"}
# Houses that a town has in any case, with their price in euros.
KNOWN = {("Bergen", "NO"): (("Lamp Quay Hotel", 142.0),), ("Florø", "NO"): (("Florø Rooms", 158.0),)}
STREETS = ("Lantern Row", "Ropewalk", "Slate Lane", "Pilot Street", "Cooper's Steps", "Tar Yard", "Beacon Road", "Chandler Street")  # fmt: skip
DIAL = {"NO": "47", "GB": "44", "IE": "353", "NL": "31", "DK": "45", "PL": "48", "PT": "351"}
LEVEL = {"NO": 1.35, "GB": 1.15, "IE": 1.2, "NL": 1.15, "DK": 1.25, "PL": 0.75, "PT": 0.9}


@lru_cache(maxsize=256)
def rooms(code: str, first: date, nights: int, today: date, currency: str) -> tuple[StayOffer, ...]:
    """Return the rooms of a town for some nights; dearer as they fill, sold out when full."""
    at = place_of(code)
    if at is None or nights < 1:
        return ()
    spot = (at.town, at.country)
    shape = random.Random(f"rooms {at.town} {at.country}")
    found, houses = [], _houses(spot, shape)
    if spot in SUPPLIED:
        houses.insert(0, (SUPPLIED[spot], 0.0))
    ahead = max(0, (first - today).days)
    for number, (name, euros) in enumerate(houses):
        where = _near(at, shape)
        load = random.Random(f"{name}{first}")
        supplied, contracted = euros == 0.0, number == 1
        left = load.randrange(0, 9) if not supplied else load.randrange(0, 3)
        late = 1 + 0.5 * math.exp(-ahead / 7)
        weekend = 0.88 if first.isoweekday() >= 5 else 1.0
        a_night = in_currency(euros * late * weekend * load.uniform(0.92, 1.1) * (0.9 if contracted else 1.0), currency)
        found.append(
            StayOffer(f"stay/{code}/{first}/{nights}/{today}/{currency}/{number}", name, where, first, nights, a_night,
                      in_currency(0 if supplied else 3 if at.country in ("NL", "PT") else 0, currency), left, supplied, contracted,
                      shape.random() < 0.5 and not supplied, first - timedelta(days=2) if shape.random() < 0.6 else None,
                      *_reached(name, at))
        )  # fmt: skip
    return tuple(found)


def _reached(name: str, at: Place) -> tuple[str, str]:
    """A made-up street and a number that nobody has."""
    rng = random.Random(f"reached {name} {at.town}")
    street = f"{rng.randrange(1, 90)} {rng.choice(STREETS)}, {at.town}"
    return street, f"+{DIAL.get(at.country, '00')} 000 {rng.randrange(1000, 9999)}"


def _houses(spot: tuple[str, str], shape: random.Random) -> list[tuple[str, float]]:
    houses = list(KNOWN.get(spot, ()))
    names = {name for name, _ in houses}
    while len(houses) < 8:
        name = f"{shape.choice(FIRST)} {shape.choice(SECOND)}"
        price = shape.uniform(64, 128) * LEVEL.get(spot[1], 1.0)
        if name not in names:
            names.add(name)
            houses.append((name, price))
    return houses


def _near(centre: Place, shape: random.Random) -> Place:
    """A spot within about three kilometres of the middle of a town."""
    km, turn = 0.2 + 2.8 * shape.random() ** 1.5, shape.uniform(0, 2 * math.pi)
    lat = centre.lat + km * math.cos(turn) / 111.2
    lon = centre.lon + km * math.sin(turn) / (111.2 * math.cos(math.radians(centre.lat)))
    return Place(centre.code, centre.town, centre.town, centre.country, centre.zone, round(lat, 5), round(lon, 5))
