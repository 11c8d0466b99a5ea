"""Countries by their codes of ISO 3166-1 and their names in the languages that are read here, as Babel has them."""

from __future__ import annotations

from functools import cache
from unicodedata import normalize

from babel import Locale

# Regions that Babel names by two letters, and no country.
_NO_COUNTRY = {"EU", "EZ", "UN", "QO", "XA", "XB", "ZZ"}


# Whose names of countries are understood where they are typed, the first before the others.
_TYPED_IN = ("en", "nb", "de")


@cache
def countries(language: str = "en") -> dict[str, str]:
    """Return the name of each country in a language by its code, in the order of the names."""
    named = ((code, str(name)) for code, name in Locale.parse(language).territories.items())
    rows = [(code, name) for code, name in named if len(code) == 2 and code.isalpha() and code not in _NO_COUNTRY]
    return dict(sorted(rows, key=lambda row: _sorted_by(row[1])))


def _sorted_by(name: str) -> str:
    """Åland stands with A, as people who look for it expect in every one of the languages."""
    return normalize("NFKD", name).encode("ascii", "ignore").decode().casefold() or name


@cache
def _codes() -> dict[str, str]:
    known: dict[str, str] = {}
    for language in _TYPED_IN:
        known = {name.casefold(): code for code, name in countries(language).items()} | known
    return known


def country_code(text: str) -> str:
    """Return the code of a country that is typed by its code or its name; nothing where it is none."""
    typed = " ".join(text.split())
    return typed.upper() if typed.upper() in countries() else _codes().get(typed.casefold(), "")
