"""A calendar file that somebody was sent (RFC 5545): the ways and stays in it, told apart from other appointments.

Nobody writes a journey into a calendar in one form: it stands in the title, the place or the text, in many languages. What
is not understood as a way or a stay is named and left out; nothing is put anywhere before its owner has looked at it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event

from wainwright.core.journey import Place
from wainwright.core.said import say
from wainwright.core.text import clean, one_line
from wainwright.formats.gazetteer import folded
from wainwright.formats.mail import Reservation
from wainwright.formats.places import airport_of, find_places
from wainwright.formats.places import place as place_of
from wainwright.formats.problems import Unreadable
from wainwright.formats.written import possible

MOST_BYTES, MOST_EVENTS, MOST_TEXT = 2_000_000, 500, 2000
# Words that name a way or a stay, without accents, as the first letters of a word.
_MODES = (
    ("air", ("flight", "flug", "vol", "vlucht", "fly", "flyg", "volo", "vuelo", "voo", "lot", "lento", "plane")),
    ("ferry", ("ferry", "fahre", "faehre", "ferge", "farja", "faerge", "veerboot", "veerdienst", "traghetto", "balsa", "prom", "boat", "lautta")),
    ("coach", ("coach", "bus", "autocar", "autobus", "autokar", "buss")),
    ("rail", ("train", "zug", "tog", "tag", "trein", "treno", "tren", "comboio", "pociag", "juna", "rail", "ice", "tgv")),
)  # fmt: skip
_STAYS = frozenset((
    "hotel", "hotell", "hostel", "lodging", "stay", "accommodation", "unterkunft", "ubernachtung", "overnatting", "overnachting",
    "boende", "hebergement", "alojamiento", "alloggio", "alojamento", "nocleg", "check-in", "checkin", "inn", "guesthouse", "albergo",
))  # fmt: skip
_TO = r"(?:-+>|→|⇒|>|–|—|-|/|\bto\b|\bnach\b|\btil\b|\btill\b|\bnaar\b|\bvers\b|\ba\b|\bpara\b|\bdo\b)"
_CODES = re.compile(rf"\b([A-Z]{{3}})\b\)?\s*{_TO}\s*(?:[^()\n]{{0,40}}\()?\b([A-Z]{{3}})\b")
_SPLIT = re.compile(rf"\s*{_TO}\s*", re.IGNORECASE)
_FLIGHT = re.compile(r"\b([A-Z][A-Z0-9]|[0-9][A-Z])\s?(\d{2,4})\b")
_LABEL = r"^\s*(?:{})\s*[:=]\s*(.+)$"
_FROM = re.compile(_LABEL.format("from|departure|depart|von|ab|abflug|abfahrt|fra|avgang|de|depart|da|partenza|van|vertrek|salida|origem|z"), re.I | re.M)  # fmt: skip
_WHERE_TO = re.compile(_LABEL.format("to|arrival|arrive|nach|an|ankunft|til|ankomst|a|arrivee|arrivo|naar|aankomst|llegada|destino|do"), re.I | re.M)  # fmt: skip
_NUMBER = re.compile(
    r"(?:booking|reservation|reference|ref|confirmation|pnr|buchung\w*|bestilling\w*|bokning\w*|code)\W{0,3}(?:(?:number|reference|ref|no|nr|code)\W{0,3}){0,2}\b((?-i:[A-Z0-9]{5,12}))\b",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class CalendarFile:
    """The ways and stays of a calendar file, by when they begin; and what else is in it, each with why it is left out."""

    journeys: tuple[Reservation, ...]
    left: tuple[str, ...]


def is_calendar(content: bytes) -> bool:
    """Say whether a file begins as a calendar does."""
    return content[:200].lstrip(b"\xef\xbb\xbf \t\r\n").upper().startswith(b"BEGIN:VCALENDAR")


def read_calendar(content: bytes) -> CalendarFile:
    """Read a calendar file. Raises ``Unreadable`` for one that is damaged, too large, or holds no appointment."""
    if len(content) > MOST_BYTES or content.upper().count(b"BEGIN:VEVENT") > MOST_EVENTS:
        raise Unreadable(
            say(
                "The calendar holds more than {most_events} appointments. Send those of one journey.",
                most_events=MOST_EVENTS,
            )
        )
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("cp1252", "replace")
    try:
        events = [
            each for each in Calendar.from_ical(text.replace("\x00", "")).walk("VEVENT") if isinstance(each, Event)
        ]
    # The library meets damaged lines with whatever its depths raise.
    except (ValueError, KeyError, IndexError, AttributeError, TypeError) as error:
        raise Unreadable(say("The calendar file is damaged. Send it anew from where it was made.")) from error
    journeys: list[Reservation] = []
    left: list[str] = []
    for event in events:
        found = _journey(event)
        if isinstance(found, Reservation):
            journeys.append(found)
        else:
            left.append(found)
    if not events:
        raise Unreadable(say("There is no appointment in this calendar file."))
    return CalendarFile(tuple(sorted(journeys, key=lambda each: each.leaves)), tuple(left))


def _journey(event: Event) -> Reservation | str:
    """A way or a stay, else what it is called and why it is none."""
    title = one_line(_text(event, "summary"), 120) or say("An appointment without a title")
    if _text(event, "status").upper() == "CANCELLED":
        return say("{title}: it was called off", title=title)
    try:
        begins, ends = _times(event)
        possible(begins.date())
        possible(ends.date())
    except (KeyError, ValueError, TypeError, AttributeError, OverflowError):
        return say("{title}: its times cannot be read", title=title)
    where, about = one_line(_text(event, "location"), 200), clean(_text(event, "description"))[:MOST_TEXT]
    words = set(re.findall(r"[a-z-]+", folded(f"{title} {about[:200]}")))
    number = match[1].upper() if (match := _NUMBER.search(about)) else ""
    if words & _STAYS and ends.date() > begins.date():
        place = _place_in(where) or _place_in(title)
        if place is None:
            return say("{title}: in which town it is cannot be read", title=title)
        name = re.sub(r"^(?:hotel|stay|check-?in)\s*(?:at|in)?\s*[:–-]\s*", "", title, flags=re.IGNORECASE)
        return Reservation("stay", name, number, "", place.town, _wall(begins, place), _wall(ends, place), None)
    ends_of = _ends(title, where, about)
    if ends_of is None:
        return say("{title}: no way from one place to another", title=title)
    origin, target = ends_of
    flight = _FLIGHT.search(title) or _FLIGHT.search(about)
    mode = next((code for code, known in _MODES if words & set(known)), "")
    if not mode:
        mode = "air" if flight or (_is_airport(origin) and _is_airport(target)) else "rail"
    if mode == "air":
        origin, target = airport_of(origin) or origin, airport_of(target) or target
    leaves, arrives = _wall(begins, origin), _wall(ends, target)
    name = " ".join(flight.groups()) if flight and mode == "air" else title
    return Reservation(mode, name, number, _named(origin), _named(target), leaves, arrives, None)


def _text(event: Event, name: str) -> str:
    value = event.get(name)
    return str(value[0] if isinstance(value, list) else value) if value is not None else ""


def _times(event: Event) -> tuple[datetime, datetime]:
    """When it begins and ends. A day stands for its noon: of a stay only the days count."""
    begins = event.decoded("dtstart")
    if event.get("dtend") is not None:
        ends = event.decoded("dtend")
    else:
        span = event.decoded("duration") if event.get("duration") is not None else timedelta()
        ends = begins + span
    first, last = (at if isinstance(at, datetime) else datetime.combine(at, time(12)) for at in (begins, ends))
    if first.tzinfo is None and last.tzinfo is not None:
        last = last.replace(tzinfo=None)
    return first, last


def _wall(at: datetime, place: Place) -> datetime:
    """A time as the wall time of a place; one without a zone is that already."""
    if at.tzinfo is None:
        return at
    return at.astimezone(UTC).astimezone(ZoneInfo(place.zone)).replace(tzinfo=None, second=0, microsecond=0)


def _ends(title: str, where: str, about: str) -> tuple[Place, Place] | None:
    """Where a way leads from and to, by the codes of airports, by the title, by labels in the text, by the place."""
    for text in (title, where, about):
        for match in _CODES.finditer(text):
            one, other = place_of(match[1]), place_of(match[2])
            if one is not None and other is not None and one.code != other.code:
                return one, other
    for text in (title, where, *about.splitlines()[:20]):
        if (pair := _pair(text)) is not None:
            return pair
    origin, target = _FROM.search(about), _WHERE_TO.search(about)
    if origin and target:
        one, other = _place_in(origin[1]), _place_in(target[1])
        if one is not None and other is not None and one.code != other.code:
            return one, other
    here, pieces = _place_in(where), _SPLIT.split(title)
    if here is not None and len(pieces) > 1:
        there = _first(pieces[-1])
        if there is not None and there.town != here.town:
            return here, there
    return None


def _pair(text: str) -> tuple[Place, Place] | None:
    """Two places on both sides of one "to"."""
    for match in _SPLIT.finditer(text[:200]):
        one, other = _last(text[: match.start()]), _first(text[match.end() :])
        if one is not None and other is not None and one.town != other.town:
            return one, other
    return None


def _last(text: str) -> Place | None:
    """The place with which a text ends: its longest name of up to four words."""
    words = re.sub(r"[^\w\s'-]", " ", text).split()
    return next(filter(None, (_known(" ".join(words[-n:])) for n in range(min(4, len(words)), 0, -1))), None)


def _first(text: str) -> Place | None:
    """The place with which a text begins."""
    words = re.sub(r"[^\w\s'-]", " ", text).split()
    return next(filter(None, (_known(" ".join(words[:n])) for n in range(min(4, len(words)), 0, -1))), None)


def _place_in(text: str) -> Place | None:
    """A place that stands between commas, the last first, since an address ends with its town and country."""
    for piece in reversed(re.split(r"[,;\n(]", text)):
        plain = re.sub(r"\b[A-Z]{0,2}-?\d[\w-]*\b", " ", piece)
        found = _known(" ".join(plain.split())) or _last(plain) or _first(plain)
        if found is not None:
            return found
    return None


def _known(text: str) -> Place | None:
    """A place whose name or code is exactly this."""
    wanted = folded(text)
    if len(wanted) < 3:
        return None
    named: Iterator[Place] = (
        each for each in find_places(text, 6) if wanted in (folded(each.town), folded(each.name), each.code.casefold())
    )
    return next(named, None)


def _is_airport(place: Place) -> bool:
    return len(place.code) == 3


def _named(place: Place) -> str:
    """How a place is found again: an airport by its code, a town by its name."""
    return place.code if _is_airport(place) else place.town
