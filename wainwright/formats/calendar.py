"""iCalendar (RFC 5545): an itinerary as a calendar file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event


@dataclass(frozen=True, slots=True)
class Appointment:
    """One move as an appointment: wall times at both ends, each with its zone."""

    uid: str
    title: str
    begins: datetime
    begins_zone: str
    ends: datetime
    ends_zone: str
    place: str
    text: str


def write_calendar(name: str, appointments: Sequence[Appointment], now: datetime) -> bytes:
    """Write a calendar file. ``now`` (aware) is the stamp of every entry."""
    calendar = Calendar()
    calendar.add("prodid", "-//Wainwright//Itinerary//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("x-wr-calname", name)
    for each in appointments:
        event = Event()
        event.add("uid", each.uid)
        event.add("summary", each.title)
        event.add("dtstamp", now)
        event.add("dtstart", each.begins.replace(tzinfo=ZoneInfo(each.begins_zone)))
        event.add("dtend", each.ends.replace(tzinfo=ZoneInfo(each.ends_zone)))
        event.add("location", each.place)
        event.add("description", each.text)
        calendar.add_component(event)
    calendar.add_missing_timezones()
    content: bytes = calendar.to_ical()
    return content
