"""A search as a sentence: its parts, read from the address and from what the trip knows."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta

from wainwright import clock
from wainwright.bookings.choices import asked_window
from wainwright.bookings.models import Booking
from wainwright.core.fares import Asked
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.fields import whole
from wainwright.formats.places import as_typed, best_place
from wainwright.trips.models import Trip
from wainwright.trips.replacing import meant
from wainwright.trips.selectors import TripFile
from wainwright.trips.whole import Part

LATEST = 330
MOST_PARTS = 6
WHEN = {
    "any": say("any time"),
    "after": say("leaving after"),
    "before": say("leaving before"),
    "by": say("arriving by"),
}


@dataclass
class Said:
    """One part of the sentence as typed, with what it means once it is understood."""

    origin: str = ""
    target: str = ""
    on: str = ""
    when: str = "any"
    at: str = ""
    part: Part | None = None
    asked: Asked | None = None
    wrong: str = ""


def first_guess(trip: Trip, legs: list) -> list[Said]:
    """Everything that the trip knows is filled in: out and back over its ends, else from home."""
    home_code = trip.profile.get("home") or trip.traveller.home_code
    home = best_place(home_code) if home_code else None
    today = clock.today(trip.firm.zone)
    start = trip.starts or today + timedelta(days=21)
    if not legs:
        return [Said(as_typed(home) if home else "", "", start.isoformat())]
    first, last = legs[0], legs[-1]
    out = Said(as_typed(first.start), as_typed(first.end), first.leaves.date().isoformat())
    for row in trip.engagements:
        when = datetime.fromisoformat(row["at"])
        if row["town"] == first.target["town"] and when.date() == first.leaves.date():
            out.when, out.at = "by", f"{when:%H:%M}"
    if len(legs) == 1:
        return [out]
    return [out, Said(as_typed(last.start), as_typed(last.end), last.leaves.date().isoformat())]


def from_address(query) -> list[Said]:
    """Read the parts of the sentence; what a later part does not say follows from the one before."""
    lists = {name: query.getlist(name)[:MOST_PARTS] for name in ("from", "to", "on", "when", "at")}
    said = []
    for n in range(len(lists["to"])):
        got = {name: values[n].strip()[:120] if n < len(values) else "" for name, values in lists.items()}
        if n and not (got["to"] or got["on"]):
            continue
        one = Said(got["from"], got["to"], got["on"], got["when"] if got["when"] in WHEN else "any", got["at"][:5])
        if n and not one.origin:
            one.origin = said[-1].target
        said.append(one)
    if query.get("more") and said and len(said) < MOST_PARTS:
        last = said[-1]
        said.append(Said(last.target, said[0].origin if len(said) == 1 else "", last.on))
    return said


def understand(said: list[Said], today: date) -> list[Said]:
    """Find places, days and windows of every part; what is wrong is said at the part."""
    before: date | None = None
    for one in said:
        try:
            one.part, one.asked = _part(one, today, before)
            before = one.part.day
        except Refusal as refusal:
            one.wrong = refusal.message
    return said


def _part(one: Said, today: date, before: date | None) -> tuple[Part, Asked]:
    places = []
    for word, text in ((say("from where"), one.origin), (say("to where"), one.target)):
        if not text:
            raise Refusal(say("Say {word}.", word=word))
        found = best_place(text)
        if found is None:
            raise Refusal(say("No place is known as “{text}”. Try the town, or an airport's three letters.", text=text))
        places.append(found)
    if places[0].code == places[1].code:
        raise Refusal(say("That begins where it ends. Change one of the two places."))
    try:
        day = date.fromisoformat(one.on)
    except ValueError as error:
        raise Refusal(say("Say on which day.")) from error
    if day < today:
        raise Refusal(say("That day has passed. Choose a later one."))
    if day > today + timedelta(days=LATEST):
        raise Refusal(say("Ways are on offer up to {latest} days ahead. Choose an earlier day.", latest=LATEST))
    if before is not None and day < before:
        raise Refusal(say("That is before the part before it. Change one of the days."))
    if one.when != "any":
        try:
            datetime.strptime(one.at, "%H:%M")
        except ValueError as error:
            raise Refusal(say("Say the hour, for example 10:00.")) from error
    zone = places[1].zone if one.when == "by" else places[0].zone
    return Part(places[0], places[1], day), asked_window(day, zone, one.when, one.at)


def in_place_of(file: TripFile, said: list[Said], number: str | None) -> Booking | None:
    """The booking whose place is taken by what is chosen: the one named, else one between the same towns at about that time."""
    wanted = whole(number)
    booked = [leg for leg in file.legs if leg.booking_id]
    for part in [one.part for one in said if one.part]:
        found = meant(booked, part.origin.town, part.target.town, part.day)
        wanted = wanted or (found[0].booking_id if found else 0)
    return next((b for b in file.bookings if b.pk == wanted and b.stands and not b.by_hand), None)
