"""Moving house, read: the parties of a move, what the answers entitle to, and what of that counts for one party."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import pairwise
from typing import Any

from wainwright.core.allowance import Head
from wainwright.core.journey import Mode
from wainwright.core.money import Money
from wainwright.core.moving import Entitlements, Halt, Mover, Planned, entitlements, heads_of, rank_of
from wainwright.rulebook.models import Policy
from wainwright.trips.models import Leg, Trip

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


def asked_of(policy: Policy, trip: Trip) -> list[dict[str, Any]]:
    """Return the firm's questions that are asked on a trip: those of a move on the employee's own alone, the others on other trips."""
    if trip.is_move:
        return asked_about(policy, "move") if trip.moves_with_id is None else []
    return asked_about(policy, "trip")


def asked_about(policy: Policy, kind: str) -> list[dict[str, Any]]:
    """Return the firm's questions about a kind of trip."""
    return [question for question in policy.questions if question.get("about", "trip") == kind]


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


def move_of(trip: Trip, policy: Policy) -> Move | None:
    """Return what being part of a move changes for a trip; nothing for other trips. Three queries at most."""
    if not trip.is_move:
        return None
    first = employees(trip)
    entitled = entitlements(asked_about(policy, "move"), first.answers, trip.currency)
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
        f"{entitled.vehicles} own vehicle{'' if entitled.vehicles == 1 else 's'}"
        if entitled.vehicles
        else "no own vehicle"
    )
    return Move(
        entitled, own, False, f"By the answer to the firm's question {count} earns mileage: nothing for this one"
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
