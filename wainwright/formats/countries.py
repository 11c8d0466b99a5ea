"""Countries by their codes of ISO 3166-1 and their English names, as Babel has them."""

from __future__ import annotations

from functools import cache

from babel import Locale

# Regions that Babel names by two letters, and no country.
_NO_COUNTRY = {"EU", "EZ", "UN", "QO", "XA", "XB", "ZZ"}


@cache
def countries() -> dict[str, str]:
    """Return the English name of each country by its code, in the order of the names."""
    named = ((code, str(name)) for code, name in Locale("en").territories.items())
    rows = [(code, name) for code, name in named if len(code) == 2 and code.isalpha() and code not in _NO_COUNTRY]
    return dict(sorted(rows, key=lambda row: row[1]))


@cache
def _codes() -> dict[str, str]:
    return {name.casefold(): code for code, name in countries().items()}


def country_code(text: str) -> str:
    """Return the code of a country that is typed by its code or its name; nothing where it is none."""
    typed = " ".join(text.split())
    return typed.upper() if typed.upper() in countries() else _codes().get(typed.casefold(), "")
