"""Moving house, read: the parties of a move, what the answers entitle to, and what of that counts for one party."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from itertools import pairwise

from wainwright import clock
from wainwright.core.allowance import Head
from wainwright.core.asking import meant_for
from wainwright.core.journey import Mode
from wainwright.core.money import Money
from wainwright.core.moving import Entitlements, Halt, Mover, Planned, entitlements, heads_of, rank_of
from wainwright.core.questions import Question, asked
from wainwright.core.said import say, say_many
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import Rulebook, groups_of
from wainwright.trips.models import Leg, Trip
from wainwright.trips.under import legs_of

TICKETED = (Mode.AIR, Mode.RAIL, Mode.FERRY, Mode.COACH)


@dataclass(frozen=True)
class Move:
    """What being part of a move changes for one party's trip.

    ``own`` says whether it is the employee's; ``drives`` whether its own vehicle earns mileage, and ``why_not`` if not.
    """

    entitled: Entitlements
    own: bool
    drives: bool = True
    why_not: str = ""


def asked_of(book: Rulebook, trip: Trip, answers: Mapping[str, str] | None = None) -> list[Question]:
    """Return the firm's questions that are asked on a trip, as of the day on which it was sent, today where it still is planned:
    those of a move on the employee's own alone, the others on other trips. ``answers``: as if those were given.
    """
    if trip.is_move and trip.moves_with_id is not None:
        return []
    about, sent = "move" if trip.is_move else "trip", None if trip.editable else trip.sent
    mine = asked_about(book, about, trip.traveller, clock.day_of(sent, trip.firm.zone) if sent else None)
    abroad = any(each.where for each in mine) and any(
        leg.target["country"] != trip.firm.country for leg in legs_of(trip)
    )
    return asked(mine, trip.answers if answers is None else answers, abroad)


def asked_about(book: Rulebook, about: str, member: Membership, day: date | None = None) -> list[Question]:
    """Return the firm's questions about a kind of trip that somebody is asked on a day (today), whatever the trip is like."""
    day = day or clock.today(book.firm.zone)
    mine = [each for each in book.questions if each.about == about and each.in_force(day)]
    groups = groups_of(member, book.names_countries) if any(each.groups for each in mine) else frozenset()
    return [each for each in mine if meant_for(each.groups, groups)]


def employees(trip: Trip) -> Trip:
    """Return the employee's own trip of a move: itself, or the one that it goes with."""
    return trip.moves_with if trip.moves_with_id is not None and trip.moves_with is not None else trip


def whole_move(trip: Trip) -> list[Trip]:
    """Return every party's trip of a move that counts, the employee's first. One query."""
    first = employees(trip)
    return [first, *first.parties.exclude(state__in=("Called off", "Turned down")).order_by("pk")]


def planned_by(parties: Sequence[Trip], currency: str) -> list[Planned]:
    """Return what is planned for each party of a move. One query."""
    tickets: dict[int, int] = {}
    driven: dict[int, Decimal] = {}
    for leg in Leg.objects.filter(trip__in=parties, booking__isnull=True):
        if leg.mode in TICKETED:
            tickets[leg.trip_id] = tickets.get(leg.trip_id, 0) + leg.estimate_minor
        elif leg.mode == Mode.OWN_CAR and not leg.driven_by:
            driven[leg.trip_id] = driven.get(leg.trip_id, Decimal(0)) + (leg.km or 0)
    return [
        Planned(each.party, Money.from_minor(tickets.get(each.pk, 0), currency), driven.get(each.pk, Decimal(0)))
        for each in parties
    ]


def move_of(trip: Trip, book: Rulebook) -> Move | None:
    """Return what being part of a move changes for a trip; nothing for other trips. Three queries at most."""
    if not trip.is_move:
        return None
    first = employees(trip)
    entitled = entitlements(asked_of(book, first), first.answers, trip.currency)
    own = first.pk == trip.pk
    if entitled.vehicles is None:
        return Move(entitled, own)
    parties = whole_move(trip)
    driving = set(
        Leg.objects.filter(trip__in=parties, mode=Mode.OWN_CAR, driven_by="").values_list("trip_id", flat=True)
    )
    drives = [(str(each.pk), each.pk in driving) for each in parties]
    if str(trip.pk) not in dict(drives) or rank_of(drives, str(trip.pk)) <= entitled.vehicles:
        return Move(entitled, own)
    count = (
        say_many("{count} own vehicle", "{count} own vehicles", entitled.vehicles)
        if entitled.vehicles
        else say("no own vehicle")
    )
    return Move(
        entitled,
        own,
        False,
        say("By the answer to the firm's question {count} earns mileage: nothing for this one", count=count),
    )


def heads(trip: Trip, kin: Mapping[str, str]) -> tuple[Head, ...]:
    """Return for whom a trip earns the daily allowance; nothing where it is the traveller alone."""
    if not trip.is_move or not (trip.movers or trip.moves_with_id):
        return ()
    movers = [Mover(row["name"], row["kin"]) for row in trip.movers]
    return heads_of("" if trip.moves_with_id else trip.traveller.person.name, movers, kin)


def halts(legs: Sequence[Leg]) -> list[Halt]:
    """Return where a journey stops between its legs, and why."""
    return [
        Halt(f"leg:{one.pk}", one.target["town"], one.arrives_at, other.leaves_at, one.stop_reason)
        for one, other in pairwise(legs)
    ]
