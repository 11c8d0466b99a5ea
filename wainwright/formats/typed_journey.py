"""A simple journey as people type it in one line: "cork rotterdam mon 14 dec to wed 16, flight"."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, time, timedelta

from wainwright.core.journey import Mode, Place
from wainwright.core.said import as_figure, say
from wainwright.formats.places import best_place
from wainwright.formats.typed_leg import DAYS, MODES, TIME, NotALeg, next_date, time_of, two_places
from wainwright.formats.typed_words import MONTHS, apart, whole

_MONTH = "(" + "|".join(MONTHS) + ")[a-z]*"
_WEEKDAY = r"(?:(mon|tue|tues|wed|wednes|thu|thur|thurs|fri|sat|satur|sun)(?:day)?\b)"
# The longest way to write a day first: 2026-12-14, 14.12.2026, mon 14 dec, dec 14, wed 16, wed, tomorrow.
_DATE = re.compile(
    rf"\b(?P<iso>\d{{4}}-\d{{1,2}}-\d{{1,2}})\b|\b(?P<dotted>\d{{1,2}}[./]\d{{1,2}}[./]\d{{4}})\b"
    rf"|(?:\b{_WEEKDAY}[ ,.]*)?\b(?P<day>\d{{1,2}})(?:st|nd|rd|th)?\.?\s*(?P<month>{_MONTH})(?:\s+(?P<year>\d{{4}}))?\b"
    rf"|(?:\b{_WEEKDAY}[ ,.]*)?\b(?P<month2>{_MONTH})\s+(?P<day2>\d{{1,2}})(?:st|nd|rd|th)?(?:,?\s+(?P<year2>\d{{4}}))?\b"
    rf"|\b{_WEEKDAY}(?:[ ,.]*(?P<alone>\d{{1,2}})(?:st|nd|rd|th)?\b(?![:.]\d))?|\b(?P<tomorrow>tomorrow)\b"
)
# "14 - 16 dec" says its month once.
_SPAN = re.compile(rf"\b(\d{{1,2}})\.?\s*(?:-|–|to)\s*(\d{{1,2}})\.?\s+{_MONTH}")
_EXAMPLE = say("cork rotterdam mon 14 dec to wed 16, flight")
_CONNECTS = re.compile(r"\b(from|on|by|and back|and|back|return|returning|until|till|there)\b|[,;–—/]")


@dataclass(frozen=True, slots=True)
class TypedJourney:
    """What was understood: ``mode`` and ``back`` are missing where nothing was said of them, ``out`` where no day was."""

    origin: Place
    target: Place
    mode: Mode | None
    out: date | None
    back: date | None
    out_time: time | None = None
    back_time: time | None = None


def read_journey(text: str, home: Place | None, today: date) -> TypedJourney:
    """Understand one line; without a place to start from it is ``home``. Raises ``NotALeg`` saying what is missing."""
    rest = whole(text[:200])
    mode, rest = _mode_anywhere(rest)
    days, rest = _days(_SPAN.sub(r"\1 \3 to \2 \3", rest), today)
    times = [time_of(match) for match in TIME.finditer(rest)]
    rest = TIME.sub(" ", rest)
    if len(days) > 2:
        raise NotALeg(
            say("Two days are enough: when you go and when you come back. For example: {example}", example=_EXAMPLE)
        )
    if len(days) == 2 and days[1] < days[0]:
        raise NotALeg(
            say(
                "You would be back on {days}, before you go on {days_2}. Change one of the days.",
                days=as_figure(days[1], "%d %b"),
                days_2=as_figure(days[0], "%d %b"),
            )
        )
    origin, target = _ends(rest, home)
    if origin.code == target.code:
        raise NotALeg(
            say(
                "That goes from {town} to {town}. Say where you go. For example: {example}",
                town=origin.town,
                example=_EXAMPLE,
            )
        )
    return TypedJourney(
        origin, target, mode, days[0] if days else None, days[1] if len(days) > 1 else None,
        times[0] if times else None, times[1] if len(times) > 1 else None,
    )  # fmt: skip


def _mode_anywhere(text: str) -> tuple[Mode | None, str]:
    for word, mode in MODES:
        if found := re.search(rf"\b(?:by |on )?{word}s?\b", text):
            return mode, f"{text[: found.start()]} {text[found.end() :]}"
    return None, text


def _days(text: str, today: date) -> tuple[list[date], str]:
    """The days in the order in which they stand, each the next such day after the one before it."""
    found: list[date] = []
    for match in _DATE.finditer(text):
        found.append(_day_of(match, found[-1] if found else today))
    return found, _DATE.sub(" , ", text)


def _day_of(match: re.Match[str], since: date) -> date:
    try:
        if match["iso"]:
            year, month, day = (int(part) for part in match["iso"].split("-"))
            return date(year, month, day)
        if match["dotted"]:
            day, month, year = (int(part) for part in re.split(r"[./]", match["dotted"]))
            return date(year, month, day)
        named, number = match["month"] or match["month2"], match["day"] or match["day2"]
        if named:
            month = MONTHS.index(named[:3]) + 1
            if match["year"] or match["year2"]:
                return date(int(match["year"] or match["year2"]), month, int(number))
            return next_date(int(number), month, since)
        if match["tomorrow"]:
            return since + timedelta(days=1)
        if match["alone"]:
            return _next_number(int(match["alone"]), since)
    except ValueError as error:
        raise NotALeg(say("There is no day “{match}”.", match=match[0].strip())) from error
    weekday = next(g for g in match.groups() if g and g[:3] in DAYS)
    return since + timedelta(days=(DAYS.index(weekday[:3]) - since.weekday()) % 7)


def _next_number(day: int, since: date) -> date:
    """The next day of that number, in this month or a later one."""
    if not 1 <= day <= 31:
        raise ValueError(day)
    found = since
    while found.day != day:
        found += timedelta(days=1)
    return found


def _ends(text: str, home: Place | None) -> tuple[Place, Place]:
    """Where it begins and where it goes: parted by "to" or a dash, else by two names that are known."""
    text = " ".join(_CONNECTS.sub(" , ", text).split()).strip(" ,-")
    text = re.sub(r"(?:^|\s)to$|^to\s|,\s*to\s*,|,\s*to$", " , ", text).strip(" ,-")
    parts = [p.strip(" ,-") for p in re.split(r"\bto\b|\s-\s|->|→", text)]
    parts = [" ".join(p.replace(",", " ").split()) for p in parts if p.strip(" ,-")]
    if not parts:
        raise NotALeg(say("Where do you go? For example: {example}", example=_EXAMPLE))
    if len(parts) > 2:
        raise NotALeg(
            say(
                "One place to go to, and back; more legs are added on the trip's page. For example: {example}",
                example=_EXAMPLE,
            )
        )
    if len(parts) == 2:
        return _known(parts[0]), _known(parts[1])
    if best_place(apart(parts[0])) is None and (both := two_places(parts[0])):
        return _known(both[0]), _known(both[1])
    target = _known(parts[0])
    if home is None:
        raise NotALeg(say("Where from? For example: {example}", example=_EXAMPLE))
    return home, target


def _known(name: str) -> Place:
    name = apart(name)
    found = best_place(name)
    if found is None:
        raise NotALeg(say("No place is known as “{name}”. Try the town, or an airport's three letters.", name=name))
    return found
