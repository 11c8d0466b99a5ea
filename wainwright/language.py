"""The languages that are read here: words by gettext, days and numbers by the language's own customs.

A page is in the language of who reads it: their own, else the firm's, else the browser's. A letter is what leaves the house
in the firm's name: an order of travel, an itinerary by mail, an invitation. Whoever writes one does so within
``written_for(firm)``.
"""

from __future__ import annotations

import re
from contextlib import AbstractContextManager
from datetime import date, datetime
from decimal import Decimal
from typing import Protocol

from babel import Locale
from babel.dates import format_interval, format_skeleton
from babel.numbers import format_decimal, get_decimal_symbol, get_group_symbol
from django.conf import settings
from django.utils import translation
from django.utils.translation import get_language, gettext
from django.utils.translation import gettext_noop as later

from wainwright.core.money import Money
from wainwright.core.said import joined
from wainwright.core.workings import day_text
from wainwright.formats.countries import countries
from wainwright.formats.typed_words import in_english
from wainwright.vocabulary import WORDS

ENGLISH = "en"
# Code (BCP 47) and its name in itself, as whoever reads it looks for it.
LANGUAGES = (("en", "English"), ("nb", "Norsk bokmål"), ("de", "Deutsch"))
# Why somebody signs, as ``core.routing`` says it, and the same for translation: names in words, sums in groups called so.
REASONS = (
    (re.compile(r"line manager of (?P<name>.+)"), later("line manager of %(name)s")),
    (re.compile(r"owner of (?P<code>.+)"), later("owner of %(code)s")),
    (re.compile(r"(?P<amount>[\d,.]+) is over (?P<name>.+)'s limit of (?P<limit>[\d,.]+)"), later("%(amount)s is over %(name)s's limit of %(limit)s")),
    (re.compile(r"(?P<amount>[\d,.]+) is over what (?P<name>.+) may sign of their own"), later("%(amount)s is over what %(name)s may sign of their own")),
)  # fmt: skip
SUMS = ("amount", "limit")


class Firm(Protocol):
    """Whoever has letters."""

    language: str


def written_for(firm: Firm) -> AbstractContextManager[None]:
    """What is written within this is in the language of a firm's letters."""
    return translation.override(firm.language)


def code_of(person_language: str, firm_language: str) -> str:
    """The language that somebody reads: their own choice, else that of their firm."""
    code = person_language or firm_language
    return settings.LANGUAGE_CODE if code not in dict(LANGUAGES) or code == ENGLISH else code


def read_by(person_language: str, firm_language: str) -> AbstractContextManager[None]:
    """What is written within this is in the language of whoever gets it: a mail."""
    return translation.override(code_of(person_language, firm_language))


def locale() -> Locale | None:
    """The language that is written in now; nothing for English, which the core writes by itself."""
    code = (translation.get_language() or ENGLISH).split("-")[0]
    return None if code == ENGLISH else Locale.parse(code)


def country_names() -> dict[str, str]:
    """The name of each country by its code, in the language that is read, in the order of the names."""
    return countries(str(locale() or ENGLISH))


def day_words(day: date, year: bool = False) -> str:
    """``Mon 12 Oct`` (``12 Oct 2026`` where the year matters) in the language that is written in."""
    there = locale()
    if there is None:
        return day_text(day, year)
    return format_skeleton("yMMMd" if year else "MMMEd", _date(day), locale=there)


def range_words(first: date, last: date) -> str:
    """``6.–8. oktober 2026``: a span of days in a language other than English."""
    return format_interval(first, last, "yMMMMd", locale=locale())


def decimal_words(number: Decimal | int | float, grouped: bool = False) -> str:
    """A number with the decimals that it has, in the language that is written in; ``grouped``: thousands apart."""
    exact = Decimal(str(number))
    return in_signs(f"{exact:,f}" if grouped else f"{exact:f}")


def decimal_comma() -> bool:
    """Whether the language that is read writes a comma before the decimals."""
    there = locale()
    return there is not None and get_decimal_symbol(there) == ","


def in_box(number: Decimal | str) -> str:
    """A number as it stands in a box to be typed over: the language's sign before the decimals, thousands not parted."""
    text = f"{number:f}" if isinstance(number, Decimal) else f"{number}"
    return text.replace(".", ",") if decimal_comma() else text


def typed_words(text: str) -> str:
    """A line about a journey as people type it in the language that they read, in the words that are understood."""
    there = locale()
    return text if there is None else in_english(text, str(there))


def in_signs(text: str) -> str:
    """A number as English writes it (``1,240.50``), with the signs of the language that is written in."""
    there = locale()
    if there is None:
        return text
    signs = {".": get_decimal_symbol(there), ",": get_group_symbol(there), "-": "−"}
    return "".join(signs.get(sign, sign) for sign in text)


# What ``strftime`` calls the parts of a day, and CLDR.
_PARTS = {"%a": "E", "%A": "EEEE", "%b": "MMM", "%B": "MMMM", "%d": "d", "%Y": "y"}


def strftime_words(value: date, spec: str) -> str:
    """What ``strftime`` writes, with the language's own names of days and months, in its own order."""
    there = locale()
    if there is None:
        return f"{value:{spec}}"
    clock = f"{value:%H:%M}" if "%H:%M" in spec else f"{value:%H}" if "%H" in spec else ""
    skeleton = "".join(
        _PARTS[part] for part in ("%Y", "%B", "%b", "%A", "%a", "%d") if part in spec.replace("%-d", "%d")
    )
    days = format_skeleton(skeleton, _date(value), locale=there) if skeleton else ""
    return " ".join(filter(None, (days, clock))) or f"{value:{spec}}"


def lowered(words: str) -> str:
    """Words within a sentence: with a small letter first, but in German, where a noun keeps its large one."""
    return words if get_language() == "de" else words[:1].lower() + words[1:]


def sum_words(amount: Money) -> str:
    """An amount with its decimals, in the language that is written in; no currency."""
    there = locale()
    if there is None:
        return str(amount).replace("-", "−")
    return _grouped(amount.amount, there)


def _grouped(amount: Decimal, there: Locale) -> str:
    places = max(0, -int(amount.as_tuple().exponent))
    pattern = "#,##0" + ("." + "0" * places if places else "")
    return format_decimal(amount, pattern, there).replace("-", "−")


def _number(text: str) -> str:
    """A sum as the core writes it, in the language."""
    there = locale()
    return text if there is None else _grouped(Decimal(text.replace(",", "")), there)


def reason_words(why: str) -> str:
    """Why somebody signs, as the route keeps it ("line manager of Maren; owner of P-0417 Fjord gauges"), in the language."""
    return joined("; ", (_reason(each) for each in why.split("; ")))


def _reason(why: str) -> str:
    for pattern, words in REASONS:
        if found := pattern.fullmatch(why):
            said = {key: _number(value) if key in SUMS else value for key, value in found.groupdict().items()}
            return gettext(words) % said
    return gettext(why) if why in WORDS else why


def _date(day: date) -> date:
    return day.date() if isinstance(day, datetime) else day
