"""Moving house with a family: parties that travel apart, who goes along, joined and parted again; stops and who drives."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from wainwright import clock
from wainwright.core.journey import Mode
from wainwright.core.moving import Mover
from wainwright.core.said import joined, say
from wainwright.core.states import TRIP
from wainwright.errors import Refusal, Stale
from wainwright.people.models import Membership
from wainwright.people.numbering import next_number
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import record
from wainwright.trips.models import Leg, Trip
from wainwright.trips.moving import employees, whole_move
from wainwright.trips.profile import copy_of
from wainwright.trips.services.base import changed, mine
from wainwright.trips.services.nights import rebuild_nights
from wainwright.trips.services.road import call_off
from wainwright.trips.under import legs_of

MOST_PARTIES, MOST_MOVERS = 6, 12


@transaction.atomic
def add_mover(member: Membership, trip_id: int, name: str, kin: str, apart: bool) -> Trip:
    """Say that a relative moves too: along on this trip, or apart with a trip, and a claim, of their own.

    Returns the trip on which they move. Raises ``Refusal``, ``Stale``.
    """
    trip = _move(member, trip_id)
    mover = _checked(trip, name, kin)
    if not apart:
        trip.movers = [*trip.movers, _row(mover)]
        changed(member, trip, say("took a relative along"), None, _row(mover))
        return trip
    return _party(member, trip, [mover])


@transaction.atomic
def take_off(member: Membership, trip_id: int, names: Sequence[str]) -> None:
    """Say that some who go along on this trip do not move after all. Raises ``Refusal`` for the last of a party."""
    trip = _move(member, trip_id)
    if not names:
        raise Refusal(say("Tick who does not move."))
    gone = [_one(trip, name) for name in names]
    rest = [row for row in trip.movers if Mover(row["name"], row["kin"]) not in gone]
    if trip.moves_with_id and not rest:
        raise Refusal(
            say(
                "Nobody would be left on {trip_title}. Call it off instead, or join it to another.",
                trip_title=trip.title,
            )
        )
    before, trip.movers = trip.movers, rest
    changed(member, trip, say("took a relative off"), before, rest)


@transaction.atomic
def part(member: Membership, trip_id: int, names: Sequence[str]) -> Trip:
    """Part some who go along into a party of their own, with the legs of this trip to begin from. Raises ``Refusal``."""
    trip = _move(member, trip_id)
    if not names:
        raise Refusal(say("Tick who travels apart."))
    going = [_one(trip, name) for name in dict.fromkeys(names)]
    rest = [row for row in trip.movers if Mover(row["name"], row["kin"]) not in going]
    if trip.moves_with_id and not rest:
        raise Refusal(say("{party} travel apart already, and nobody would be left here.", party=trip.party))
    before, trip.movers = trip.movers, rest
    changed(member, trip, say("parted a party"), before, rest)
    party = _party(member, trip, going)
    for leg in legs_of(trip):
        # What was booked was booked for this party alone: the other has it to plan anew.
        leg.pk, leg.trip, leg.booking_id = None, party, None
        leg.driven_by = (leg.driven_by or trip.traveller.person.name) if leg.mode == Mode.OWN_CAR else ""
        leg.save(force_insert=True)
    rebuild_nights(party)
    party.save()
    return party


@transaction.atomic
def join(member: Membership, party_id: int, into_id: int) -> Trip:
    """Join a party to another trip of the same move, along on which they travelled; its own plan is called off.

    Raises ``Refusal`` where it has costs, bookings or a claim of its own, saying which; ``Stale``.
    """
    party, into = mine(member, party_id, editable=False), _move(member, into_id)
    if party.moves_with_id is None:
        raise Refusal(say("Relatives are joined to the employee's trip, not the other way round."))
    if party.pk == into.pk or into.pk not in {each.pk for each in whole_move(party)}:
        raise Refusal(say("Choose another trip of the same move."))
    _must_be_bare(party)
    into.movers = [*into.movers, *party.movers]
    changed(member, into, say("joined a party"), None, {"joined": party.code, "movers": party.movers})
    call_off(member, party.pk)
    return into


@transaction.atomic
def say_of_leg(member: Membership, trip_id: int, leg_id: int, stop_reason: str, driven_by: str) -> None:
    """Say why one stops where a leg ends, and whose vehicle it is where somebody else drives. Raises ``Refusal``, ``Stale``."""
    trip = _move(member, trip_id)
    leg = Leg.objects.filter(trip=trip, pk=leg_id).first()
    if leg is None:
        raise Stale(say("That leg is gone already."))
    if driven_by.strip() and leg.mode != Mode.OWN_CAR:
        raise Refusal(say("Who drives is asked for an own vehicle alone."), "driven_by")
    before = {"stop": leg.stop_reason, "driven by": leg.driven_by}
    leg.stop_reason, leg.driven_by = stop_reason.strip()[:80], driven_by.strip()[:80]
    leg.save(update_fields=["stop_reason", "driven_by"])
    changed(member, trip, say("said why and how"), before, {"stop": leg.stop_reason, "driven by": leg.driven_by})


def _move(member: Membership, trip_id: int) -> Trip:
    trip = mine(member, trip_id)
    if not trip.is_move:
        raise Refusal(say("Nobody moves house on this trip."))
    return trip


def _checked(trip: Trip, name: str, kin: str) -> Mover:
    name, shares = " ".join(name.split())[:60], rulebook(trip.firm).policy.kin
    if len(name) < 2:
        raise Refusal(say("Say who moves too, by name."), "name")
    if kin not in shares:
        raise Refusal(say("Say what they are to you."), "kin")
    parties = whole_move(trip)
    known = [row["name"] for each in parties for row in each.movers]
    if name.casefold() in {each.casefold() for each in [*known, trip.traveller.person.name]}:
        raise Refusal(say("{name} stands on this move already.", name=name), "name")
    if len(known) >= MOST_MOVERS:
        raise Refusal(say("A move has at most {most_movers} relatives.", most_movers=MOST_MOVERS), "name")
    return Mover(name, kin)


def _one(trip: Trip, name: str) -> Mover:
    found = next((row for row in trip.movers if row["name"] == name), None)
    if found is None:
        raise Stale(say("{name} does not stand on this trip any more.", name=name[:60]))
    return Mover(found["name"], found["kin"])


def _row(mover: Mover) -> dict[str, str]:
    return {"name": mover.name, "kin": mover.kin}


def _party(member: Membership, trip: Trip, movers: Sequence[Mover]) -> Trip:
    """Start the trip of a party of relatives, coded as the employee's."""
    first = employees(trip)
    if len(whole_move(first)) > MOST_PARTIES:
        raise Refusal(
            say("A move has at most {most_parties} parties that travel apart.", most_parties=MOST_PARTIES), "name"
        )
    number = next_number(Trip, member.firm)
    party = Trip(
        firm=member.firm, traveller=member, number=number, kind="move", moves_with=first, purpose=first.purpose,
        movers=[_row(each) for each in movers], currency=first.currency, profile=copy_of(member), created=clock.now(),
    )  # fmt: skip
    party.title = f"{first.title}: {party.party}"[:120]
    party.take_coding(first.coding)
    party.save()
    record(member, say("started the trip of a party"), party.subject, after={"party": party.party, "of": first.code})
    return party


def _must_be_bare(party: Trip) -> None:
    """Raise ``Refusal`` where calling a party's trip off would lose something, saying what and what to do."""
    if not TRIP.can(party.state, "call_off"):
        raise Stale(
            say(
                "{party_title} stands at {state}: it cannot be joined to another now.",
                party_title=party.title,
                state=party.state,
            )
        )
    standing = [booking.label for booking in party.bookings.all() if booking.stands or booking.state == "Asked"]
    if standing:
        raise Refusal(
            say(
                "{standing} is booked for {party}. Cancel it first, then join them.",
                standing=standing[0],
                party=party.party,
            )
        )
    claims = [claim.code for claim in party.live_claims]
    if claims:
        raise Refusal(
            say(
                "{party} have a claim of their own, {claims}. Withdraw it first, then join them.",
                party=party.party,
                claims=claims[0],
            )
        )
    planned = [other.label for other in party.others.all()]
    if planned:
        raise Refusal(
            say(
                "Costs are planned for {party}: {list}. Take them off first, then join them.",
                party=party.party,
                list=joined(", ", planned[:3]),
            )
        )
