"""What is signed of a trip, line by line, and how the plan differs from what was signed before."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from wainwright.core.journey import place_said
from wainwright.core.said import joined, say
from wainwright.core.statement import PAYS
from wainwright.core.versions import UNANSWERED, Change, Line, changes
from wainwright.core.workings import day_text, moment_text
from wainwright.trips.frozen import Frozen, Permitted, Row, Said
from wainwright.trips.models import TripVersion
from wainwright.trips.moving import asked_of, halts
from wainwright.trips.profile import FIELDS
from wainwright.trips.selectors import TripFile

_SHOWN = ("itinerary_email", "phone", "card")


def lines_of(file: TripFile) -> list[Line]:
    """Return every line that is signed: legs, nights, days, costs, coding, permissions, findings, papers, money."""
    trip, found = file.trip, []

    def line(key: str, section: str, label: str, value: object) -> None:
        # A sentence stays one: as ``str()`` it would be signed in the language of whoever signs.
        found.append(Line(key, section, label, value if isinstance(value, str) else f"{value}"))

    line("head:title", "Trip", "Title", trip.title)
    line("head:purpose", "Trip", "Purpose", trip.purpose)
    if trip.is_move:
        line("head:party", say("Trip"), say("Who moves on it"), trip.party)
    reasons = {halt.key: halt.words for halt in halts(file.legs)} if trip.is_move else {}
    for question in asked_of(file.book, trip):
        line(f"answer:{question.code}", "Trip", question.text, trip.answers.get(question.code, UNANSWERED))
    for row in trip.engagements:
        line(
            f"engagement:{row['title']}",
            say("Trip"),
            say("In time for {title}", title=row["title"]),
            moment_text(datetime.fromisoformat(row["at"])),
        )
    for leg in file.legs:
        label = say(
            "{mode} {name} to {name_2}",
            mode=leg.mode.capitalize(),
            name=place_said(leg.origin["name"]),
            name_2=place_said(leg.target["name"]),
        )
        times = joined("", (moment_text(leg.leaves), " – ", moment_text(leg.arrives)))
        driver = say("driven by {driven_by}", driven_by=leg.driven_by) if leg.driven_by else ""
        stop = say("stop: {reasons}", reasons=reasons[f"leg:{leg.pk}"]) if reasons.get(f"leg:{leg.pk}") else ""
        line(f"leg:{leg.pk}", say("Legs"), label, joined(", ", filter(None, [times, driver, stop])))
    for allowed in file.figures.nights:
        night = allowed.night
        words = (
            say("supplied")
            if night.supplied
            else say(
                "{cost}, ceiling {ceiling}",
                cost=allowed.cost,
                ceiling=allowed.ceiling if allowed.ceiling else say("none"),
            )
        )
        kind = f", {night.lodging}" if night.lodging else ""
        line(
            f"night:{night.date}",
            say("Nights"),
            joined("", (day_text(night.date), ", ", night.name or night.place.town, kind)),
            words,
        )
    for day in file.figures.allowance.days:
        supplied = say(", supplied: {list}", list=joined(", ", day.supplied)) if day.supplied else ""
        line(
            f"day:{day.day}",
            say("Daily allowance"),
            joined("", (day_text(day.day), ", ", day.place.town)),
            joined("", (day.amount, supplied)),
        )
    for each in file.figures.estimates:
        line(f"cost:{each.key}", say("Costs"), each.label, joined("", (each.amount, ", ", PAYS[each.paid_by])))
    for coding, amount in file.borne:
        line(f"coding:{coding}", "Coding", str(coding), amount)
    for permission in file.permissions:
        line(
            f"permission:{permission.code}",
            say("Special permissions"),
            permission.title,
            joined("", (permission.words, ". “", file.comment_on(permission), "”")),
        )
    for row in trip.permissions:
        line(f"permission:{row['title']}", say("Special permissions"), row["title"], f"“{row['comment']}”")
    for finding in file.findings:
        reason = f"“{finding.reason.words}”" if finding.reason else finding.finding.level.value
        line(f"finding:{finding.finding.identity}", "Findings", finding.finding.text, reason)
    for paper in file.papers:
        line(f"paper:{paper.sha256}", "Papers", paper.kind.capitalize(), paper.name)
    for name in _SHOWN:
        line(f"profile:{name}", say("Your details"), FIELDS[name], trip.profile.get(name, "") or say("none"))
    line(
        "money:advance",
        say("Money"),
        say("Advance asked for"),
        joined("", (trip.advance, ", “", trip.advance_why, "”")) if trip.advance_why else trip.advance,
    )
    line("money:allowance", say("Money"), say("Daily allowance"), file.figures.allowance.amount)
    line("money:firm", say("Money"), say("Paid by the firm"), file.figures.sum("firm", "central"))
    line("money:total", say("Money"), say("The whole trip"), file.figures.total)
    return found


def as_data(lines: Sequence[Line]) -> list[list[str]]:
    """Lines as they are kept."""
    return [[each.key, each.section, each.label, each.value] for each in lines]


def frozen_of(file: TripFile, rows: Sequence[Row]) -> Frozen:
    """Return a plan as it stands, for keeping with a version."""
    trip = file.trip
    return Frozen(
        trip.title, trip.purpose, trip.starts, trip.ends, trip.advance, file.figures,
        tuple(file.categories), tuple(file.borne),
        tuple(
            Said(each.finding, each.reason.reason if each.reason else "", each.reason.words if each.reason else "")
            for each in file.findings
        ),
        tuple(Permitted(each, file.comment_on(each)) for each in file.permissions),
        tuple((row["title"], row["comment"]) for row in trip.permissions), tuple(rows),
    )  # fmt: skip


def since_signed(file: TripFile, version: TripVersion | None) -> list[Change]:
    """Return how the plan differs from a version; nothing where none was signed."""
    return changes([Line(*row) for row in version.lines], lines_of(file)) if version else []


def between(versions: Sequence[TripVersion]) -> list[Change]:
    """Return how the last certified of some versions differs from the certified one before."""
    certified = [each for each in versions if each.signed_name]
    if len(certified) < 2:
        return []
    before, after = certified[-2], certified[-1]
    return changes([Line(*row) for row in before.lines], [Line(*row) for row in after.lines])
