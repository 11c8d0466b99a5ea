"""A leg as people type it in one line: "ferry florø wed 7:30", "train bergen to oslo fri 22:59 - 6:35"."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from wainwright.core.journey import Mode, Place
from wainwright.core.said import joined, say
from wainwright.formats.gazetteer import folded
from wainwright.formats.places import airport_of, best_place, is_called, is_known
from wainwright.formats.typed_words import MONTHS, apart, whole

# Longer words first, so that "night train" is not a train to a place called Night.
MODES = (
    ("night train", Mode.RAIL), ("own car", Mode.OWN_CAR), ("my car", Mode.OWN_CAR), ("hire car", Mode.HIRE_CAR),
    ("rented car", Mode.HIRE_CAR), ("on foot", Mode.ON_FOOT), ("flight", Mode.AIR), ("plane", Mode.AIR), ("fly", Mode.AIR),
    ("air", Mode.AIR), ("train", Mode.RAIL), ("rail", Mode.RAIL), ("ferry", Mode.FERRY), ("boat", Mode.FERRY), ("ship", Mode.FERRY),
    ("coach", Mode.COACH), ("bus", Mode.COACH), ("taxi", Mode.TAXI), ("cab", Mode.TAXI), ("drive", Mode.OWN_CAR), ("car", Mode.OWN_CAR),
    ("walk", Mode.ON_FOOT),
)  # fmt: skip
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
TIME = re.compile(r"\b([01]?\d|2[0-3])[:.]([0-5]\d)\s*(am|pm)?\b|\b(1[0-2]|0?[1-9])\s*(am|pm)\b")
_DOTTED = re.compile(r"\b(\d{1,2})[./](\d{1,2})[./](\d{4})\b")
_ISO = re.compile(r"\b(\d{4})-(\d{2})-(\d{2})\b")
_DATE = re.compile(r"\b(\d{1,2})\.?\s+(" + "|".join(MONTHS) + r")[a-z]*(?:\s+(\d{4}))?\b")
_WEEKDAY = re.compile(r"\b(mon|tue|tues|wed|wednes|thu|thurs|fri|sat|satur|sun)(day)?\b")


class NotALeg(ValueError):
    """What was typed is no leg; the message says what is missing and shows an example."""


@dataclass(frozen=True, slots=True)
class TypedLeg:
    """What was understood. ``arrives`` is missing where no second time was typed."""

    mode: Mode
    origin: Place
    target: Place
    leaves: datetime
    arrives: datetime | None


def read_leg(text: str, here: Place | None, now: datetime) -> TypedLeg:
    """Understand one line; ``here`` and local ``now`` say where and when the last leg ended.

    Without a day it is the day of ``now``, a weekday is the next such day. Raises ``NotALeg``.
    """
    mode, rest = _mode(whole(text[:200]))
    # Before the hours, which may have a point as well.
    rest = _DOTTED.sub(lambda found: f"{found[3]}-{int(found[2]):02}-{int(found[1]):02}", rest)
    times = [time_of(match) for match in TIME.finditer(rest)]
    rest = TIME.sub(" ", rest)
    day, rest = _day(rest, now.date())
    start, end = _ends(re.sub(r"\b(from|at|on|arr|arrives|arriving|by)\b|[,;]|(?:^|\s)\.+(?=\s|$)", " ", rest))
    origin = _place(start) if start else here
    target = _place(end)
    if target is None:
        raise NotALeg(
            say("Where to? No place is known as “{end}”. Type for example: ferry florø wed 7:30", end=apart(end))
            if end else say("Where to? Type for example: ferry florø wed 7:30")
        )  # fmt: skip
    if origin is None:
        raise NotALeg(say("Where from? Type for example: flight cork to bergen mon 9:05"))
    if mode == Mode.AIR:
        origin, target = airport_of(origin) or origin, airport_of(target) or target
    if not times:
        raise NotALeg(say("When does it leave? Type the hour as well, for example: 7:30"))
    leaves = datetime.combine(day, times[0])
    arrives = None
    if len(times) > 1:
        arrives = datetime.combine(day, times[1])
        # Over midnight, unless the zones alone explain an earlier hour of arriving.
        if arrives < leaves and leaves - arrives > timedelta(hours=3):
            arrives += timedelta(days=1)
    return TypedLeg(mode, origin, target, leaves, arrives)


def _mode(text: str) -> tuple[Mode, str]:
    for word, mode in MODES:
        if found := re.match(rf"(?:(?:by|with) (?:the )?)?{word}\b", text):
            return mode, f" {text[found.end() :].strip()} "
    words = joined(", ", (say("flight"), say("train"), "ferry", "coach", "taxi", "hire car", "own car", say("on foot")))
    raise NotALeg(say("Begin with how you go: {words}. For example: ferry florø wed 7:30", words=words))


def time_of(match: re.Match[str]) -> time:
    """The hour that a match of ``TIME`` says."""
    hour, minute, half = (match[1] or match[4]), (match[2] or "0"), (match[3] or match[5])
    number = int(hour)
    if half == "pm" and number < 12:
        number += 12
    if half == "am" and number == 12:
        number = 0
    return time(number, int(minute))


def _day(text: str, today: date) -> tuple[date, str]:
    if found := _ISO.search(text):
        try:
            return date(int(found[1]), int(found[2]), int(found[3])), _ISO.sub(" ", text, count=1)
        except ValueError as error:
            raise NotALeg(say("There is no day {found}.", found=found[0])) from error
    if found := _DATE.search(text):
        text = _WEEKDAY.sub(" ", _DATE.sub(" ", text, count=1), count=1)
        day, month = int(found[1]), MONTHS.index(found[2]) + 1
        if not found[3]:
            return next_date(day, month, today), text
        try:
            return date(int(found[3]), month, day), text
        except ValueError as error:
            raise NotALeg(say("There is no day {found}.", found=found[0])) from error
    if found := _WEEKDAY.search(text):
        ahead = (DAYS.index(found[1][:3]) - today.weekday()) % 7
        return today + timedelta(days=ahead), _WEEKDAY.sub(" ", text, count=1)
    if "tomorrow" in text:
        return today + timedelta(days=1), text.replace("tomorrow", " ")
    return today, text.replace("today", " ")


def next_date(day: int, month: int, today: date) -> date:
    """Return the next such date, not more than two months before ``today``. Raises ``NotALeg``."""
    for year in (today.year, today.year + 1):
        try:
            found = date(year, month, day)
        except ValueError:
            continue
        if found >= today - timedelta(days=60):
            return found
    raise NotALeg(say("There is no day {day} in month {month}.", day=day, month=month))


def _ends(names: str) -> tuple[str, str]:
    """Where it begins, empty where that is not said, and where it goes: parted by "to" or a dash, or two names that are known."""
    parts = [" ".join(part.split()) for part in re.split(r"\bto\b|(?:\s|^)[–—-]+(?=\s|$)|→|->", names)]
    parts = [part for part in parts if part]
    if len(parts) > 1:
        return parts[0], " ".join(parts[1:])
    name = parts[0] if parts else ""
    found = two_places(name) if name and _place(name) is None else None
    return found or ("", name)


def two_places(text: str) -> tuple[str, str] | None:
    """Two names, or two codes, that stand one after the other or are joined by a dash; nothing where they are not two."""
    if " " not in text and "-" in text:
        one, _, two = text.partition("-")
        return (one, two) if all(_is_exact(each, False) or _is_exact(each, True) for each in (one, two)) else None
    words = text.split()
    # A code beside a name is rather a word of that name.
    for code in (True, False):
        for at in range(1, len(words)):
            one, two = " ".join(words[:at]), " ".join(words[at:])
            if _is_exact(one, code) and _is_exact(two, code):
                return one, two
    return None


def _is_exact(name: str, code: bool) -> bool:
    """Whether a name (a code) is that of a place, and not only a part of it."""
    found = _place(name) if is_known(apart(name)) else None
    if found is None:
        return False
    wanted = folded(apart(name))
    if code:
        return found.code.casefold() == wanted
    begins = any(each.startswith(f"{wanted} ") for each in (folded(found.name), folded(found.town)))
    return begins or is_called(found, wanted)


def _place(name: str) -> Place | None:
    return best_place(apart(name)) if name else None
