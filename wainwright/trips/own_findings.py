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
    "gap": ("Somebody takes me there", "A way of my own in between", "Arranged on the spot"),
    "not-home": ("Holidays follow", "The way home is another's affair", "Another trip follows"),
    "not-from-home": ("I am there already", "The way there is another's affair"),
    "in-time": ("They know and wait", "It can be joined later"),
    "left-before": ("They know", "It is moved to earlier"),
    "permission": ("Needed for the work", "Nothing else was to be had", "Cheaper as a whole", "Safety or health"),
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
        yield _finding(seen, "no-legs", "The trip has no legs yet.", "Say where you go", "legs")
    if seen.figures.fault:
        yield _finding(seen, "no-rate", seen.figures.fault, "Look at the legs", "legs")
    for before, after in zip(seen.legs, seen.legs[1:], strict=False):
        if before.target["town"] != after.origin["town"]:
            text = (
                f"You arrive in {before.target['town']} on {day_text(before.arrives)}, and the next leg leaves from "
                f"{after.origin['town']} on {day_text(after.leaves)}. How you get there is missing."
            )
            yield _finding(seen, "gap", text, "Say how you get there", "legs", f"leg:{after.pk}", Level.EXPLAIN)
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
    waits = f"{row['title']} in {town} on {day_text(when)} at {when:%H:%M}"
    if found.how == "never":
        return "in-time", f"No leg brings you to {waits}.", "Say how you get there"
    if found.how == "late" and found.by is not None:
        late = legs[found.by]
        text = (
            f"You arrive in {town} on {day_text(late.arrives)} at {late.arrives:%H:%M}, after {row['title']} "
            f"on {day_text(when)} at {when:%H:%M}."
        )
        return "in-time", text, "Arrive earlier"
    now = f"under way to {found.where}" if found.under_way else f"in {found.where} already"
    return "left-before", f"The journey leaves too early for {waits}: by then you are {now}.", "Leave later"


def _ends(seen: Seen) -> Iterator[Finding]:
    """A journey that leaves from where one is not, or does not come back to where it began."""
    if not seen.legs:
        return
    first, last = seen.legs[0], seen.legs[-1]
    code = seen.trip.profile.get("home") or ""
    home = place(code) if code else None
    begins, ends = first.origin["town"], last.target["town"]
    if home is not None and begins != home.town:
        text = f"The journey begins in {begins} on {day_text(first.leaves)}, and your home on this trip is {home.town}. How you get to {begins} is missing."
        yield _finding(seen, "not-from-home", text, "Say how you get there", "legs", f"leg:{first.pk}", Level.EXPLAIN)
    # Who moves house does not come back.
    if not seen.trip.is_move and ends not in (begins, home.town if home else begins):
        text = f"The journey ends in {ends} on {day_text(last.arrives)} at {last.arrives:%H:%M}: the way home to {home.town if home else begins} is missing."
        yield _finding(seen, "not-home", text, "Add the way home", "home", f"leg:{last.pk}", Level.EXPLAIN)


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
                yield _finding(seen, f"coding-{fault.code}", fault.text, "Change the coding", where)
    keys = {f"line:{e.key}" for e in seen.figures.estimates}
    for row in trip.shares:
        if row["about"].startswith("line:") and row["about"] not in keys:
            text = f"The split of “{row['label']}” is about a cost that is no longer on the plan."
            yield _finding(seen, "split-gone", text, "Take the split off", "split", row["about"])


def _questions(seen: Seen) -> Iterator[Finding]:
    for question in asked_of(seen.book, seen.trip):
        if question.required and not seen.trip.answers.get(question.code, ""):
            text = f"“{question.text}” is not answered."
            yield _finding(seen, "question", text, "Answer it", "questions", f"question:{question.code}")


def _stops(seen: Seen) -> Iterator[Finding]:
    """Where one stops on the way of a move, there is a reason."""
    for halt in halts(seen.legs) if seen.trip.is_move else ():
        if halt.asks:
            text = f"You stop in {halt.town} from {day_text(halt.arrives)} to {day_text(halt.leaves)}. Why is not said."
            yield _finding(seen, "stop-reason", text, "Say why", halt.key, halt.key)


def _bookings(seen: Seen) -> Iterator[Finding]:
    legs_of: dict[int, list[Leg]] = {}
    for leg in seen.legs:
        if leg.booking_id:
            legs_of.setdefault(leg.booking_id, []).append(leg)
    for b in seen.bookings:
        if b.state == "Asked":
            text = f"{b.label} was asked for and has had no answer yet. It is asked again by itself."
            yield _finding(seen, "unanswered", text, "Look at it", "basket", b_key(b))
        if b.stands and b.price_now_minor is not None:
            yield _finding(seen, "price-changed", f"{b.label}: {b.problem}", "Decide on it", "basket", b_key(b))
        legs = legs_of.get(b.pk, [])
        if b.stands and b.hops and legs and legs[0].leaves.date().isoformat() != b.first_day:
            held = day_text(date.fromisoformat(b.first_day))
            text = f"{b.label} is {b.state.lower()} for {held}, and the trip has it on {day_text(legs[0].leaves)} now."
            yield _finding(seen, "old-date", text, "Change or cancel it", "basket", b_key(b))
        if b.stands and b.kind == "stay" and not by_hand_nights(seen, b):
            text = f"{b.label} is {b.state.lower()}, and its nights are no longer on the trip."
            yield _finding(seen, "old-nights", text, "Change or cancel it", "basket", b_key(b))


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
            text = f"{permission.title}: {permission.words}. This stands on the trip with a comment."
            yield _finding(
                seen, f"permission-{permission.code}", text, "Say why it is needed", "explain", level=Level.EXPLAIN
            )
        if permission.paper and permission.paper not in kinds:
            text = f"The {permission.paper} is missing. {permission.title}: {permission.words}."
            yield _finding(seen, f"paper-{permission.code}", text, f"Attach the {permission.paper}", "papers")


def route_findings(trip: Trip, route: Route) -> list[Finding]:
    """Return what is wrong with the road that a plan would go: who is to sign is not known, or may not."""
    cure = Cure("See the route", "route")
    return [Finding(f"route@{trip.subject}", "route", Level.STOP, fault, "", cure, "route") for fault in route.faults]
