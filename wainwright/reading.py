"""Sentences in the language of who reads them: those that are being said, and those that were kept.

A sentence (``core.said``) is English as it is made, compared, kept and signed. It leaves English here, as it is shown. What
was kept of it (in the trail, in a statement, in news) is known again by its message; nothing that was signed is written anew.
"""

from __future__ import annotations

import re
from datetime import date
from decimal import Decimal
from functools import cache
from itertools import islice
from pathlib import Path
from typing import Any

from babel.messages.mofile import read_mo
from django.utils.translation import gettext, ngettext

from wainwright.core import said
from wainwright.core.money import Money
from wainwright.core.recognising import GOES_ON, Found, Messages
from wainwright.core.said import Cased, Joined, Kept, Said, Shown
from wainwright.language import LANGUAGES, day_words, in_signs, locale, lowered, range_words, strftime_words, sum_words
from wainwright.vocabulary import WORDS

# Single words that sentences name: what a figure may be besides a name, a number or a day.
VOCABULARY = frozenset(WORDS)
_NUMBER = re.compile(r"[−-]?\d{1,3}(?:,\d{3})+(?:\.\d+)?|[−-]?\d+\.\d+")
# A sum and where it is from: "54.00 Rotterdam".
_SUM = re.compile(r"([−-]?\d{1,3}(?:,\d{3})*\.\d+) (.+)")
# A sum behind what it is of: "2 × 165.00", "Cork – Dublin, 518 km, 217.56", "3120 → 6445: 18.68".
_LAST = re.compile(r"(.*(?: × |, |: ))([−-]?\d{1,3}(?:,\d{3})*\.\d+)")
_DAY = re.compile(r"(Mon|Tue|Wed|Thu|Fri|Sat|Sun) (\d{1,2}) ([A-Z][a-z]{2})( \d\d:\d\d)?")
_YEAR = re.compile(r"(\d{1,2}) ([A-Z][a-z]{2}) (\d{4})")
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
_FULL = re.compile(r"(\d{1,2}) (January|February|March|April|May|June|July|August|September|October|November|December)")
# How many: "3 refused".
_COUNTED = re.compile(r"(\d+) (\D+)")
_ABOUT = re.compile(": ")
MOST_COLONS = 3
_WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def read(sentence: Said) -> str:
    """Return a sentence in the language that is read now."""
    if locale() is None:
        return sentence.english
    if isinstance(sentence, Shown):
        return _shown(sentence)
    if isinstance(sentence, Kept):
        return _again(sentence.english)
    if isinstance(sentence, Cased):
        words = figure_words(sentence.inner)
        return words[:1].upper() + words[1:] if sentence.large else lowered(words)
    if isinstance(sentence, Joined):
        return _once_stopped(figure_words(sentence.sign).join(figure_words(each) for each in sentence.parts))
    if not sentence.message.strip():
        return sentence.message
    one, message = sentence.one, sentence.message
    words = ngettext(one, message, sentence.number) if one else gettext(message)
    if not sentence.figures:
        return words
    return _once_stopped(words.format(**{name: figure_words(each) for name, each in sentence.figures.items()}))


_STOPS = re.compile(r"(?<!\.)\.\.(?!\.)")


def _once_stopped(words: str) -> str:
    """A sentence that ends in a day ("7. sep.") has one full stop."""
    return _STOPS.sub(".", words) if ".." in words else words


def figure_words(figure: Any) -> str:
    """Return a figure of a sentence as the language writes it: sums, numbers, days, sentences; names stay as they are."""
    if isinstance(figure, Said):
        return read(figure)
    if isinstance(figure, Money):
        return sum_words(figure)
    if isinstance(figure, Decimal):
        return in_signs(f"{figure:f}")
    text = f"{figure}"
    return in_signs(text) if _NUMBER.fullmatch(text) else _of_vocabulary(text) or text


def _of_vocabulary(text: str) -> str | None:
    """A word of the vocabulary, as it stands there or with its first letter the other way."""
    if text in VOCABULARY:
        return gettext(text)
    first, rest = text[:1], text[1:]
    if (small := first.lower() + rest) in VOCABULARY:
        words = gettext(small)
        return words[:1].upper() + words[1:]
    if (large := first.upper() + rest) in VOCABULARY:
        words = gettext(large)
        return lowered(words)
    return None


def _shown(figure: Shown) -> str:
    value = figure.value
    if isinstance(value, tuple):
        return range_words(*value)
    if isinstance(value, date):
        return (
            day_words(value, figure.spec == "year")
            if figure.spec in ("day", "year")
            else strftime_words(value, figure.spec)
        )
    return in_signs(figure.english) if isinstance(value, Decimal | int | float) else figure.english


def again(text: str | None) -> str:
    """Return a text that was kept in English in the language that is read; as it stands where no message of ours is known in it."""
    if not text:
        return ""
    if isinstance(text, Said):
        return read(text)
    return str(text) if locale() is None else _again(str(text))


def read_out(value: Any) -> Any:
    """Return what goes out as JSON with its sentences in the language that is read: as they stand they would go out in English."""
    if isinstance(value, dict):
        return {key: read_out(each) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [read_out(each) for each in value]
    return str(value) if isinstance(value, Said) else value


# Where several sentences, or the parts of one, are joined; the widest first.
_JOINTS = ("\n", "; ", ". ", " · ", "), ", ": ", " (", ")", ", ", " from ", " of ")
# These stand in names too: they part a text only where what stands before them is ours.
_WEAK = (" from ", " of ")


def _again(text: str, joints: tuple[str, ...] = _JOINTS) -> str:
    """A kept text: one sentence, or several, or a working with its rule and its result: each part that is known is said again."""
    for joint in (". ", "; "):
        if joint in text and joint in joints:
            whole = messages().find(text)
            if whole is not None and joint in whole.many and not any(joint in each for each in whole.figures.values()):
                # The sign is the message's own: "None; one costs {bag_fee}".
                return _words(whole)
            # Sentence by sentence where each is known: the last value of the first would take in all that follows.
            sentences = [_known(part) for part in _parts(text, joint)]
            if None not in sentences:
                return _between(joint).join(filter(None, sentences))
    if (words := _known(text)) is not None:
        return words
    # What it is about, then what is said of it, be it several sentences: "C-0008 Boat survey: the payment failed. It can be paid again."
    for found in islice(_ABOUT.finditer(text), MOST_COLONS) if ": " in joints else ():
        if (words := _known(text[found.end() :])) is not None:
            return f"{_again(text[: found.start()], joints)}: {words}"
    for n, joint in enumerate(joints):
        if joint in text:
            parts = _parts(text, joint)
            again = [_again(part, joints[n + 1 :]) if part else "" for part in parts]
            # Where no part is a sentence of ours the text is not ours either: "kinds of expense" is a name, though its last word is known.
            ours = again != parts and not (joint in _WEAK and parts[0] and again[0] == parts[0])
            return _between(joint).join(again) if ours else text
    return _figure(text)


# What stands between the parts in the language that is read, where it is not the sign itself.
_JOINED = {
    ". ": lambda: " ", "), ": lambda: ", ", " from ": lambda: gettext(" from {day}").removesuffix("{day}"), " of ": lambda: f" {gettext('of')} ",
}  # fmt: skip


def _between(joint: str) -> str:
    return _JOINED[joint]() if joint in _JOINED else joint


def _parts(text: str, joint: str) -> list[str]:
    """A text in its parts; sentences keep their full stops, and what closes a bracket the bracket."""
    parts, kept = text.split(joint), {". ": ".", "), ": ")"}.get(joint, "")
    return [f"{part}{kept}" for part in parts[:-1]] + parts[-1:]


def _known(text: str) -> str | None:
    if (word := _of_vocabulary(text)) is not None:
        return word
    for sign in GOES_ON:
        # What goes on with a sentence is a message that begins with the sign between.
        if (more := messages().find(text, sign)) is not None:
            return _words(more).removeprefix(sign)
    found = messages().find(text)
    if found is None and text.endswith(".") and (bare := messages().find(text[:-1])) is not None:
        return f"{_words(bare)}."
    if found is None and text[:1].islower() is False and text[:1].isalpha():
        # One that began with a small letter, and was given a large one for where it stood.
        small = messages().find(text[:1].lower() + text[1:])
        if small is not None and (words := _words(small)):
            return words[:1].upper() + words[1:]
    return None if found is None else _words(found)


def _words(found: Found) -> str:
    words = gettext(found.many) if found.one == found.many else ngettext(found.one, found.many, found.number)
    if not found.figures:
        return words
    return _once_stopped(words.format(**{name: _figure(each) for name, each in found.figures.items()}))


def _figure(text: str) -> str:
    """A figure of a kept text: a day, a number, a word of the vocabulary, or another sentence."""
    if _NUMBER.fullmatch(text):
        return in_signs(text)
    if (day := _YEAR.fullmatch(text)) and day[2] in _MONTHS:
        return day_words(date(int(day[3]), _MONTHS.index(day[2]) + 1, int(day[1])), year=True)
    if day := _FULL.fullmatch(text):
        # Of a day without its year; a leap year has all of them.
        return strftime_words(date(2000, _MONTHS.index(day[2][:3]) + 1, min(int(day[1]), 29)), "%-d %B")
    if (day := _DAY.fullmatch(text)) and day[3] in _MONTHS:
        return _weekday(day) + (day[4] or "")
    if " " in text and (words := _known(text)) is not None:
        return words
    if (sum_ := _SUM.fullmatch(text)) is not None:
        return f"{in_signs(sum_[1])} {sum_[2]}"
    if (last := _LAST.fullmatch(text)) is not None:
        return f"{last[1]}{in_signs(last[2])}"
    if (counted := _COUNTED.fullmatch(text)) and (word := _of_vocabulary(counted[2])) is not None:
        return f"{counted[1]} {word}"
    if ", " in text and _NUMBER.search(text) is None:
        # A list of which each part is known: "3 entered, 1 refused".
        each = {part: _figure(part) for part in text.split(", ")}
        if all(part != words for part, words in each.items()):
            return ", ".join(each.values())
    return _of_vocabulary(text) or _led(text)


# What a booking or a leg begins with: "Flight Cork – Bergen and back" says what it is, and names.
_LEADING = ("Hire car", "Own car", "On foot", "Flight", "Rail", "Ferry", "Coach", "Air", "Taxi")


def _led(text: str) -> str:
    for word in _LEADING:
        if text.startswith(f"{word} "):
            rest = text.removeprefix(f"{word} ")
            back = gettext(" and back") if rest.endswith(" and back") else ""
            return f"{_of_vocabulary(word) or gettext(word)} {rest.removesuffix(' and back')}{back}"
    return text


def _weekday(day: re.Match[str]) -> str:
    """A day without its year: any year does in which it falls on that weekday."""
    month, number = _MONTHS.index(day[3]) + 1, int(day[2])
    for year in range(2000, 2029):
        try:
            guess = date(year, month, number)
        except ValueError:
            continue
        if guess.weekday() == _WEEKDAYS.index(day[1]):
            return day_words(guess)
    return day[0]


@cache
def messages() -> Messages:
    """Every message that a kept text may be made of: those of the catalog of the first language besides English."""
    path = Path(__file__).parent / "locale" / LANGUAGES[1][0] / "LC_MESSAGES" / "django.mo"
    with path.open("rb") as file:
        ids = [each.id for each in read_mo(file) if each.id]
    return Messages((each[0], each[1]) if isinstance(each, list | tuple) else (each, each) for each in ids)


said.read_by(read)
