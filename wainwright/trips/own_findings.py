"""Stops and questions that are no rule of the firm's but stand in the way all the same."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from wainwright.accounts.selectors import Books
from wainwright.bookings.models import Booking
from wainwright.core.coding import Coding, check_coding
from wainwright.core.journey import moment
from wainwright.core.permissions import Permission
from wainwright.core.presence import Moved, missed
from wainwright.core.routing import Route
from wainwright.core.rules import Cure, Finding, Level
from wainwright.core.said import as_figure, joined, say
from wainwright.core.workings import day_text
from wainwright.formats.places import place
from wainwright.rulebook.models import Explanation
from wainwright.rulebook.selectors import Rulebook
from wainwright.trips.figures import TripFigures, b_key
from wainwright.trips.models import Leg, Night, Paper, Trip
from wainwright.trips.moving import asked_of, halts


@dataclass(frozen=True)
class Seen:
    """What is looked at."""

    trip: Trip
    book: Rulebook
    books: Books
    legs: Sequence[Leg]
    nights: Sequence[Night]
    bookings: Sequence[Booking]
    papers: Sequence[Paper]
    figures: TripFigures
    permissions: Sequence[Permission]
    reasons: Mapping[str, Explanation]


def own_findings(seen: Seen) -> list[Finding]:
    """Return everything that must be put right or explained before this plan can go."""
    found: list[Finding] = []
    for look in (_journey, _coding, _questions, _stops, _bookings, _permissions):
        found += look(seen)
    return sorted(found, key=lambda finding: finding.level != Level.STOP)


# What answers an Explain of ours: reasons that fit it, as each rule of the firm's names its own.
REASONS = {
    "gap": (say("Somebody takes me there"), say("A way of my own in between"), say("Arranged on the spot")),
    "not-home": (say("Holidays follow"), say("The way home is another's affair"), say("Another trip follows")),
    "not-from-home": (say("I am there already"), say("The way there is another's affair")),
    "in-time": (say("They know and wait"), say("It can be joined later")),
    "left-before": (say("They know"), say("It is moved to earlier")),
    "permission": (
        say("Needed for the work"),
        say("Nothing else was to be had"),
        say("Cheaper as a whole"),
        say("Safety or health"),
    ),
}


def _finding(
    seen: Seen, code: str, text: str, cure: str, to: str, about: str = "", level: Level = Level.STOP
) -> Finding:
    named = REASONS.get(code.partition("-")[0] if code.startswith("permission") else code, ())
    reasons = named if level == Level.EXPLAIN else ()
    return Finding(
        f"{code}@{about or seen.trip.subject}", code, level, text, "", Cure(cure, to), to, reasons=reasons
    )  # fmt: skip


def _journey(seen: Seen) -> Iterator[Finding]:
    if not seen.legs:
        yield _finding(seen, "no-legs", say("The trip has no legs yet."), say("Say where you go"), "legs")
    if seen.figures.fault:
        yield _finding(seen, "no-rate", seen.figures.fault, say("Look at the legs"), "legs")
    for before, after in zip(seen.legs, seen.legs[1:], strict=False):
        if before.target["town"] != after.origin["town"]:
            text = say(
                "You arrive in {town} on {arrives}, and the next leg leaves from {town_2} on {leaves}. "
                "How you get there is missing.",
                town=before.target["town"],
                arrives=day_text(before.arrives),
                town_2=after.origin["town"],
                leaves=day_text(after.leaves),
            )
            yield _finding(seen, "gap", text, say("Say how you get there"), "legs", f"leg:{after.pk}", Level.EXPLAIN)
    yield from _ends(seen)
    for index, row in enumerate(seen.trip.engagements):
        if seen.legs and (found := _misses(seen.legs, row)):
            code, text, cure = found
            yield _finding(seen, code, text, cure, "legs", f"engagement:{index}", Level.EXPLAIN)


def _misses(legs: Sequence[Leg], row: Mapping[str, str]) -> tuple[str, str, str] | None:
    """Why the traveller is not where something waits when it begins, and the cure; nothing where they are there."""
    when, town = datetime.fromisoformat(row["at"]), row["town"]
    moves = [Moved(leg.origin["town"], leg.target["town"], leg.leaves_at, leg.arrives_at) for leg in legs]
    found = missed(moves, town, moment(when, row["zone"]))
    if found is None:
        return None
    waits = say(
        "{title} in {town} on {when} at {when_2}",
        title=row["title"],
        town=town,
        when=day_text(when),
        when_2=as_figure(when, "%H:%M"),
    )
    if found.how == "never":
        return "in-time", say("No leg brings you to {waits}.", waits=waits), say("Say how you get there")
    if found.how == "late" and found.by is not None:
        late = legs[found.by]
        text = say(
            "You arrive in {town} on {arrives} at {arrives_2}, after {title} on {when} at {when_2}.",
            town=town,
            arrives=day_text(late.arrives),
            arrives_2=as_figure(late.arrives, "%H:%M"),
            title=row["title"],
            when=day_text(when),
            when_2=as_figure(when, "%H:%M"),
        )
        return "in-time", text, say("Arrive earlier")
    now = (
        say("under way to {where}", where=found.where)
        if found.under_way
        else say("in {where} already", where=found.where)
    )
    return (
        "left-before",
        say("The journey leaves too early for {waits}: by then you are {now}.", waits=waits, now=now),
        say("Leave later"),
    )


def _ends(seen: Seen) -> Iterator[Finding]:
    """A journey that leaves from where one is not, or does not come back to where it began."""
    if not seen.legs:
        return
    first, last = seen.legs[0], seen.legs[-1]
    code = seen.trip.profile.get("home") or ""
    home = place(code) if code else None
    begins, ends = first.origin["town"], last.target["town"]
    if home is not None and begins != home.town:
        text = say(
            "The journey begins in {begins} on {leaves}, and your home on this trip is {town}. How "
            "you get to {begins} is missing.",
            begins=begins,
            leaves=day_text(first.leaves),
            town=home.town,
        )
        yield _finding(
            seen, "not-from-home", text, say("Say how you get there"), "legs", f"leg:{first.pk}", Level.EXPLAIN
        )
    # Who moves house does not come back.
    if not seen.trip.is_move and ends not in (begins, home.town if home else begins):
        text = say(
            "The journey ends in {ends} on {arrives} at {arrives_2}: the way home to {town} is missing.",
            ends=ends,
            arrives=day_text(last.arrives),
            arrives_2=as_figure(last.arrives, "%H:%M"),
            town=home.town if home else begins,
        )
        yield _finding(seen, "not-home", text, say("Add the way home"), "home", f"leg:{last.pk}", Level.EXPLAIN)


def _coding(seen: Seen) -> Iterator[Finding]:
    trip = seen.trip
    if trip.starts is None:
        return
    codings = [(trip.coding, "head")]
    for row in trip.shares:
        codings += [(Coding.of(part["codes"]), "split") for part in row["parts"]]
    told = set()
    for coding, where in codings:
        for fault in check_coding(coding, seen.books.codes, trip.starts):
            if fault.text not in told:
                told.add(fault.text)
                yield _finding(seen, f"coding-{fault.code}", fault.text, say("Change the coding"), where)
    keys = {f"line:{e.key}" for e in seen.figures.estimates}
    for row in trip.shares:
        if row["about"].startswith("line:") and row["about"] not in keys:
            text = say("The split of “{label}” is about a cost that is no longer on the plan.", label=row["label"])
            yield _finding(seen, "split-gone", text, say("Take the split off"), "split", row["about"])


def _questions(seen: Seen) -> Iterator[Finding]:
    for question in asked_of(seen.book, seen.trip):
        if question.required and not seen.trip.answers.get(question.code, ""):
            text = say("“{question_text}” is not answered.", question_text=question.text)
            yield _finding(seen, "question", text, say("Answer it"), "questions", f"question:{question.code}")


def _stops(seen: Seen) -> Iterator[Finding]:
    """Where one stops on the way of a move, there is a reason."""
    for halt in halts(seen.legs) if seen.trip.is_move else ():
        if halt.asks:
            text = say(
                "You stop in {town} from {arrives} to {leaves}. Why is not said.",
                town=halt.town,
                arrives=day_text(halt.arrives),
                leaves=day_text(halt.leaves),
            )
            yield _finding(seen, "stop-reason", text, say("Say why"), halt.key, halt.key)


def _bookings(seen: Seen) -> Iterator[Finding]:
    legs_of: dict[int, list[Leg]] = {}
    for leg in seen.legs:
        if leg.booking_id:
            legs_of.setdefault(leg.booking_id, []).append(leg)
    for b in seen.bookings:
        if b.state == "Asked":
            text = say(
                "{b_label} was asked for and has had no answer yet. It is asked again by itself.", b_label=b.label
            )
            yield _finding(seen, "unanswered", text, say("Look at it"), "basket", b_key(b))
        if b.stands and b.price_now_minor is not None:
            yield _finding(
                seen, "price-changed", joined("", (b.label, ": ", b.problem)), say("Decide on it"), "basket", b_key(b)
            )
        legs = legs_of.get(b.pk, [])
        if b.stands and b.hops and legs and legs[0].leaves.date().isoformat() != b.first_day:
            held = day_text(date.fromisoformat(b.first_day))
            text = say(
                "{b_label} is {state} for {held}, and the trip has it on {leaves} now.",
                b_label=b.label,
                state=b.state.lower(),
                held=held,
                leaves=day_text(legs[0].leaves),
            )
            yield _finding(seen, "old-date", text, say("Change or cancel it"), "basket", b_key(b))
        if b.stands and b.kind == "stay" and not by_hand_nights(seen, b):
            text = say(
                "{b_label} is {state}, and its nights are no longer on the trip.",
                b_label=b.label,
                state=b.state.lower(),
            )
            yield _finding(seen, "old-nights", text, say("Change or cancel it"), "basket", b_key(b))


def by_hand_nights(seen: Seen, booking: Booking) -> bool:
    """Say whether as many nights as were booked still lie on a room."""
    wanted = int(booking.keys[0].split("/")[3]) if booking.keys else 0
    return sum(night.booking_id == booking.pk for night in seen.nights) == wanted


def _permissions(seen: Seen) -> Iterator[Finding]:
    kinds = {paper.kind for paper in seen.papers}
    explained = {identity.partition("@")[2] for identity in seen.reasons}
    for permission in seen.permissions:
        identity = f"permission-{permission.code}@{seen.trip.subject}"
        said = identity in seen.reasons or any(cause.about in explained for cause in permission.causes)
        judged = permission.code in ("long-drive", "outside-quarters", "cabin")
        if not said and not judged:
            text = say(
                "{permission_title}: {permission_words}. This stands on the trip with a comment.",
                permission_title=permission.title,
                permission_words=permission.words,
            )
            yield _finding(
                seen, f"permission-{permission.code}", text, say("Say why it is needed"), "explain", level=Level.EXPLAIN
            )
        if permission.paper and permission.paper not in kinds:
            text = say(
                "The {paper} is missing. {permission_title}: {permission_words}.",
                paper=permission.paper,
                permission_title=permission.title,
                permission_words=permission.words,
            )
            yield _finding(
                seen, f"paper-{permission.code}", text, say("Attach the {paper}", paper=permission.paper), "papers"
            )


def route_findings(trip: Trip, route: Route) -> list[Finding]:
    """Return what is wrong with the road that a plan would go: who is to sign is not known, or may not."""
    cure = Cure(say("See the route"), "route")
    return [Finding(f"route@{trip.subject}", "route", Level.STOP, fault, "", cure, "route") for fault in route.faults]
