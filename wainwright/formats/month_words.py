"""The names of months in the languages of papers and files around: from the locale data of Babel (Unicode CLDR)."""

from __future__ import annotations

from collections import Counter
from functools import lru_cache

from babel import Locale
from text_unidecode import unidecode

LANGUAGES = ("en", "de", "fr", "es", "it", "nl", "nb", "nn", "sv", "da", "fi", "et", "lv", "lt", "pl", "pt", "is")
LEAST_LETTERS = 3


@lru_cache(maxsize=1)
def month_words() -> dict[str, int]:
    """Return the number of the month by each of its names, short and long, in small letters and also without accents.

    Where languages disagree, most of them decide; a name on which they are divided is left out.
    """
    found: dict[str, Counter[int]] = {}
    for language in LANGUAGES:
        months = Locale.parse(language).months
        own: set[tuple[str, int]] = set()
        for use in ("format", "stand-alone"):
            for width in ("wide", "abbreviated"):
                for number, name in months[use].get(width, {}).items():
                    plain = name.casefold().strip(". ")
                    own |= {(word, number) for word in (plain, unidecode(plain), *_short(plain))}
        for word, number in own:
            if len(word) >= LEAST_LETTERS and word.isalpha():
                found.setdefault(word, Counter())[number] += 1
    return {word: decided for word, said in found.items() if (decided := _most(said))}


def _most(said: Counter[int]) -> int:
    """The month that more than two thirds mean, or none."""
    (number, count), *_ = said.most_common(1)
    return number if count * 3 > said.total() * 2 else 0


def _short(word: str) -> list[str]:
    """How a long name is cut short on tills and in tables: to three or four letters."""
    return [word[:3], word[:4]] if len(word) > LEAST_LETTERS + 1 else []
