"""What comes next on a trip that is authorised: the one thing that somebody under way looks for."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from wainwright import clock
from wainwright.core.said import as_figure, joined, say
from wainwright.core.workings import day_text, moment_text
from wainwright.drawing.ribbon import minutes
from wainwright.trips.letters import rows_of
from wainwright.trips.panels.base import Page

NEAR = timedelta(days=2)


@dataclass(frozen=True)
class Coming:
    """The next move or bed: when, what, what to know of it, and what follows on the same day."""

    when: str
    what: str
    note: str
    then: list[str]
    opens: str


def coming_up(page: Page) -> Coming | None:
    """Return what is next, from now on, in the local time of its place; nothing before it is authorised or once it is back."""
    if page.trip.state not in ("Authorised", "Under way"):
        return None
    now = clock.now()
    zones = {f"leg:{leg.pk}": leg.origin["zone"] for leg in page.file.legs}
    zones |= {f"stay:{stay[0].date}": stay[0].place["zone"] for stay in page.file.stays}
    ahead = []
    for row in rows_of(page.file):
        zone = ZoneInfo(zones.get(row.key, page.trip.firm.zone))
        ends = row.ends if row.mode == "stay" else row.at
        if ends.replace(tzinfo=zone) > now:
            ahead.append((row, row.at.replace(tzinfo=zone)))
    if not ahead:
        return None
    row, at = ahead[0]
    left = at - now
    when = (
        moment_text(row.at) if row.mode != "stay" else say("Tonight") if left < timedelta(days=1) else day_text(row.at)
    )
    if row.mode != "stay" and timedelta() < left < NEAR:
        when += say(", in {minutes}", minutes=minutes(left))
    note = joined("; ", filter(None, [row.note, say("seat {seats}", seats=row.seats) if row.seats else ""]))
    day = max(row.at.date(), now.astimezone(at.tzinfo).date())
    later = [each for each, _ in ahead[1:] if each.at.date() == day] or [each for each, _ in ahead[1:2]]
    then = [joined("", (_hour(each.at, each.mode, day), each.title)) for each in later]
    return Coming(when, row.title, note, then, _opens(row.key))


def _hour(at: datetime, mode: str, today: date) -> str:
    day = "" if at.date() == today else joined("", (day_text(at), " "))
    return day if mode == "stay" else joined("", (day, as_figure(at, "%H:%M"), " "))


def _opens(key: str) -> str:
    kind, _, which = key.partition(":")
    return {"leg": f"leg-{which}", "stay": f"night-{which}", "car": f"booking-{which}"}[kind]
