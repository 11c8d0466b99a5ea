"""Places from open data (``gazetteer``): airports and towns, found by code or by name."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from functools import cache, lru_cache
from itertools import accumulate, islice, takewhile
from math import cos, radians

from wainwright.core.journey import Place, place_said
from wainwright.core.said import joined
from wainwright.formats.countries import country_code
from wainwright.formats.gazetteer import Airport, Town, airports, folded, other_names, towns

# Degrees: some hundred kilometres.
NEAR = 0.9


@cache
def _names() -> list[tuple[str, int, str]]:
    """What the search looks through: (folded name, weight, code) of every place; built once on first use."""
    names = list(towns().names())
    names += [(name, towns()[code].people, code) for (name, _), code in _called_by_airports().items()]
    for code, airport in airports().items():
        served, city = _served(airport), folded(airport.city)
        own = towns()[served] if served else None
        weight = own.people if own else 0
        # Under the name that airports use, and under the town's own.
        called, rest = {city, own.folded if own else city}, f"{folded(airport.name)} {code.lower()}"
        names += [(f"{each} {rest}", weight - 1, code) for each in sorted(called)]
    return names


def _served(airport: Airport) -> str | None:
    """The code of the town that an airport serves, or nothing."""
    return _town_code(folded(airport.city), airport.country)


def place(code: str) -> Place | None:
    """Return the place of a code, or nothing."""
    # Only what is a place is kept: what somebody sends as a code may be anything.
    known = code in airports() or (code.startswith("town-") and code in towns())
    return _made(code) if known else None


@cache
def _made(code: str) -> Place:
    """The place of a code that is one; made when it is asked for, since few of all places ever are."""
    if (airport := airports().get(code)) is not None:
        # As the towns' data writes it: whoever flies to Dusseldorf is in Düsseldorf, where the rate is.
        served = _served(airport)
        town_name = towns()[served].name if served else airport.city
        name = place_said(f"{town_name} airport")
        return Place(code, name, town_name, airport.country, airport.zone, airport.lat, airport.lon)
    row = towns()[code]
    return Place(code, row.name, row.name, row.country, row.zone, row.lat, row.lon)


def country_of(code: str) -> str:
    """Return the country of a place's code, or nothing."""
    found = place(code)
    return found.country if found is not None else ""


def find_places(text: str, most: int = 8) -> list[Place]:
    """Find places by code, name or part of a name, without accents, or by what a town is called in another language.

    An exact code stands before all, then what has exactly this name, then what is called so elsewhere; the largest first.
    """
    wanted = folded(text)
    if not wanted:
        return []
    found = []
    if (exact := _of_code(text.strip())) is not None:
        found.append(exact)
    hits = [
        (0 if name == wanted else 2 if name.startswith(wanted) else 4, -weight, code)
        for name, weight, code in _holding(wanted)
    ]
    hits += _called_elsewhere(wanted)
    # A place may be there by its name and by several others.
    for code in dict.fromkeys(code for *_, code in sorted(hits)):
        if len(found) >= most:
            break
        if (hit := _made(code)) not in found:
            found.append(hit)
    return found[:most]


@cache
def _one_text() -> tuple[str, list[int]]:
    """All names one after the other, and where each begins: searched as one text, which is twenty times as fast."""
    names = [name for name, _, _ in _names()]
    return "\n".join(names), list(accumulate((len(name) + 1 for name in names[:-1]), initial=0))


def _holding(wanted: str) -> Iterator[tuple[str, int, str]]:
    """Every name that holds a folded text, which has no line's end in it."""
    (text, starts), names = _one_text(), _names()
    at = text.find(wanted)
    while at >= 0:
        row = bisect_right(starts, at) - 1
        yield names[row]
        at = text.find(wanted, starts[row + 1]) if row + 1 < len(starts) else -1


def _called_elsewhere(wanted: str) -> Iterator[tuple[int, int, str]]:
    """Hits among the names that towns have in other languages; where one is exact, the airports of the town as well."""
    for name, code in _elsewhere(wanted):
        people = towns()[code].people
        yield 1 if name == wanted else 3, -people, code
        if name == wanted:
            for airport in _airports_of(code):
                yield 1, 1 - people, airport


def _elsewhere(beginning: str) -> Iterator[tuple[str, str]]:
    """The names of towns in other languages that begin so, and their codes; of fewer than three letters none."""
    names, codes = other_names() if len(beginning) > 2 else ([], [])
    start = bisect_left(names, beginning)
    hits = ((names[n], codes[n]) for n in range(start, len(names)))
    return takewhile(lambda hit: hit[0].startswith(beginning), hits)


@cache
def _names_in_order() -> list[str]:
    return sorted({name for name, _, _ in _names()})


def is_known(text: str) -> bool:
    """Whether some place has this name, in whatever language, a longer one that goes on after it, or this code: asked without a search."""
    wanted = folded(text)
    names = _names_in_order()

    def first(beginning: str) -> str:
        at = bisect_left(names, beginning)
        return names[at] if at < len(names) else ""

    return (
        first(wanted) == wanted
        or first(f"{wanted} ").startswith(f"{wanted} ")
        or any(name == wanted for name, _ in islice(_elsewhere(wanted), 1))
        or _of_code(text.strip()) is not None
    )


def is_called(at: Place, wanted: str) -> bool:
    """Whether a place has a folded name in some language."""
    if wanted in (folded(at.name), folded(at.town)):
        return True
    return any(name == wanted and code == at.code for name, code in _elsewhere(wanted))


def _of_code(text: str) -> Place | None:
    """The place of a code as somebody types it, or as it is kept."""
    return place(text.upper()) or place(text.lower())


def best_place(text: str) -> Place | None:
    """Return the one place that a typed text most likely means: "Cork airport (ORK)", "ork", "florø", "Bergen, Norway"."""
    text = text.strip()
    if text.endswith(")") and "(" in text and (inside := _of_code(text[text.rindex("(") + 1 : -1].strip())):
        return inside
    name, comma, country = text.rpartition(",")
    if comma and (there := known_town(name, country_code(country))):
        return there
    return next(iter(find_places(text, 1)), None)


def as_typed(at: Place) -> str:
    """Return how a place stands in a box, so that ``best_place`` finds it again: by an airport's letters, a town's country."""
    if len(at.code) > 3 and _largest().get((folded(at.town), at.country)) == at.code:
        return f"{at.town}, {at.country}"
    return joined("", (place_said(at.name), " (", at.code, ")"))


@cache
def _largest() -> dict[tuple[str, str], str]:
    """Codes of towns by folded name and country, the largest of a name."""
    return dict(zip(towns().spots(), towns(), strict=True))


def _town_code(name: str, country: str) -> str | None:
    """The code of the largest town of a folded name in a country, as itself or as airports call it."""
    return _largest().get((name, country)) or _called_by_airports().get((name, country))


def town(name: str, country: str) -> Place | None:
    """Return the largest town of a name in a country, or nothing."""
    code = _town_code(folded(name), country)
    return place(code) if code else None


def known_town(name: str, country: str) -> Place | None:
    """Return the town of a country that a text names, in whatever language; nothing where none is known so."""
    return town(name, country) or next((_made(code) for code in _elsewhere_in(folded(name), country)), None)


@lru_cache(maxsize=50_000)
def called_on_journeys(name: str, country: str) -> tuple[str, ...]:
    """Return what journeys call a town that is written in some other way: Düsseldorf for Dusseldorf, Copenhagen for København."""
    found = known_town(name, country) if name else None
    return (found.town,) if found is not None and found.town.casefold() != name.casefold() else ()


@cache
def _airports_by_town() -> dict[tuple[str, str], list[str]]:
    """Codes of airports by the folded town they serve and its country."""
    found: dict[tuple[str, str], list[str]] = {}
    for code, row in airports().items():
        found.setdefault((folded(row.city), row.country), []).append(code)
    return found


@cache
def _called_by_airports() -> dict[tuple[str, str], str]:
    """Codes of towns by the folded name, and the country, under which airports serve them and which is not their own: Cologne is Köln."""
    found: dict[tuple[str, str], str] = {}
    for (name, country), serving in _airports_by_town().items():
        if (name, country) not in _largest():
            there = (code for code in _elsewhere_in(name, country) if any(_is_near(code, each) for each in serving))
            if code := next(there, None):
                found[name, country] = code
    return found


def _elsewhere_in(name: str, country: str) -> list[str]:
    """Codes of the towns of a country that have a folded name in another language, the largest first."""
    there = {code for other, code in _elsewhere(name) if other == name and towns()[code].country == country}
    return sorted(there, key=lambda code: (-towns()[code].people, code))


def _is_near(town_code: str, airport: str) -> bool:
    """Whether an airport is near enough to a town to be its own: a hundred kilometres by the map's degrees."""
    row, at = towns()[town_code], airports()[airport]
    across = (row.lon - at.lon) * cos(radians(row.lat))
    return (row.lat - at.lat) ** 2 + across**2 < NEAR**2


@cache
def _airports_of(code: str) -> tuple[str, ...]:
    """Codes of the airports of a town."""
    row = towns()[code]
    spots = [(row.folded, row.country), *(spot for spot, served in _called_by_airports().items() if served == code)]
    return tuple(airport for spot in spots for airport in _airports_by_town().get(spot, ()))


# Where a town has several airports, the one that scheduled flights use.
_MAIN = {
    ("london", "GB"): "LHR",
    ("oslo", "NO"): "OSL",
    ("rotterdam", "NL"): "RTM",
    ("berlin", "DE"): "BER",
    ("brussels", "BE"): "BRU",
    ("rome", "IT"): "FCO",
    ("milan", "IT"): "MXP",
    ("istanbul", "TR"): "IST",
    ("kyiv", "UA"): "KBP",
    ("new york city", "US"): "JFK",
    ("washington", "US"): "IAD",
    ("chicago", "US"): "ORD",
    ("houston", "US"): "IAH",
    ("toronto", "CA"): "YYZ",
    ("montreal", "CA"): "YUL",
    ("beijing", "CN"): "PEK",
    ("seoul", "KR"): "ICN",
}


def airport_of(at: Place) -> Place | None:
    """Return the airport of a place: itself, or the one that serves its town; nothing where there is none."""
    if len(at.code) == 3:
        return at
    spot = (folded(at.town), at.country)
    if spot in _MAIN:
        return place(_MAIN[spot])
    codes = _airports_of(at.code) if at.code in towns() else _airports_by_town().get(spot, ())
    return place(min(codes)) if codes else None


def nearest(lat: float, lon: float) -> Place:
    """Return the town that is nearest to a spot (degrees)."""
    narrow = cos(radians(lat))

    def off(row: Town) -> float:
        # Around the antimeridian 359 degrees are one.
        across = abs(row.lon - lon)
        return float((row.lat - lat) ** 2 + (min(across, 360 - across) * narrow) ** 2)

    return _made(min(towns(), key=lambda code: off(towns()[code])))
