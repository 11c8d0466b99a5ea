"""iCalendar (RFC 5545): an itinerary as a calendar file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache
from zoneinfo import ZoneInfo

from icalendar import Alarm, Calendar, Event, Timezone

from wainwright.core.text import clean, one_line


@dataclass(frozen=True, slots=True)
class Appointment:
    """One move or stay as an appointment: wall times at both ends, each with its zone; an alarm so long before, if any."""

    uid: str
    title: str
    begins: datetime
    begins_zone: str
    ends: datetime
    ends_zone: str
    place: str
    text: str
    alarm: timedelta | None = None


@cache
def _timezone(zone: str) -> bytes:
    """A zone with its changes of clock, as it stands in a calendar; written once, since that takes longer than the rest."""
    content: bytes = Timezone.from_tzid(zone).to_ical()
    return content


def write_calendar(name: str, appointments: Sequence[Appointment], now: datetime) -> bytes:
    """Write a calendar file. ``now`` (aware) is the stamp of every entry."""
    calendar = Calendar()
    calendar.add("prodid", "-//Wainwright//Itinerary//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("x-wr-calname", one_line(str(name)))
    for each in appointments:
        event = Event()
        event.add("uid", each.uid)
        event.add("summary", one_line(str(each.title)))
        event.add("dtstamp", now)
        event.add("dtstart", each.begins.replace(tzinfo=ZoneInfo(each.begins_zone)))
        event.add("dtend", each.ends.replace(tzinfo=ZoneInfo(each.ends_zone)))
        event.add("location", one_line(str(each.place)))
        event.add("description", clean(str(each.text)))
        if each.alarm is not None:
            alarm = Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", one_line(str(each.title)))
            alarm.add("trigger", -each.alarm)
            event.add_component(alarm)
        calendar.add_component(event)
    content: bytes = calendar.to_ical()
    # Before what refers to them: the first line that is this and no more, since texts may hold it within theirs.
    before, line, after = content.partition(b"\r\nBEGIN:VEVENT\r\n")
    zones = b"".join(_timezone(zone) for zone in sorted(calendar.get_missing_tzids()))
    return before + b"\r\n" + zones + line[2:] + after if zones else content
