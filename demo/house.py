"""A household that moves for the firm: one party by own car and ferry, one by air with a stop on the way."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal

from wainwright.core.journey import Mode
from wainwright.formats.places import best_place, place
from wainwright.people.models import Membership
from wainwright.trips.models import Trip
from wainwright.trips.services import details, moving, plan

ANSWERS = {"flat": "yes", "goods": "The firm's mover", "vehicles": "1"}


def tell(member: Membership, today: date) -> Trip:
    """Plan it for a Tuesday nine weeks ahead: one question is still open, and nothing is sent yet."""
    tuesday = today + timedelta(days=64 - today.weekday())
    trip = plan.start_trip(
        member, "Move to Aberdeen", "Leading the dredging crew there for three years", member.coding, kind="move"
    )
    own, air = Mode.OWN_CAR.value, Mode.AIR.value
    home, dublin, holyhead, aberdeen = place("ORK"), _town("Dublin"), _town("Holyhead"), place("ABZ")
    at = datetime.combine
    wednesday = tuesday + timedelta(days=1)
    moving.add_mover(member, trip.pk, "Ugnė Petrauskaitė", "child", apart=False)
    for mode, origin, target, leaves, arrives, cost in (
        (own, home, dublin, at(tuesday, time(9)), at(tuesday, time(12, 30)), 0),
        ("ferry", dublin, holyhead, at(tuesday, time(14, 50)), at(tuesday, time(18, 5)), 148),
        (own, holyhead, aberdeen, at(wednesday, time(8, 30)), at(wednesday, time(17)), 0),
    ):
        drive = plan.find_drive(member.firm, origin, target, leaves.date(), passengers=1) if mode == own else None
        plan.add_leg(
            member,
            trip.pk,
            mode,
            origin,
            target,
            leaves,
            arrives,
            Decimal(cost),
            "self" if mode == own else "firm",
            drive,
        )
    _stop(member, trip, "Holyhead", "A night's rest")
    party = moving.add_mover(member, trip.pk, "Rasa Petrauskienė", "partner", apart=True)
    amsterdam = place("AMS")
    plan.add_leg(
        member, party.pk, air, home, amsterdam, at(tuesday, time(13, 5)), at(tuesday, time(16)), Decimal(164), "firm"
    )
    plan.add_leg(
        member,
        party.pk,
        air,
        amsterdam,
        aberdeen,
        at(wednesday, time(10, 20)),
        at(wednesday, time(11, 5)),
        Decimal(131),
        "firm",
    )
    _stop(member, party, "Amsterdam", "A private stay")
    details.answer(member, trip.pk, ANSWERS)
    return Trip.objects.get(pk=trip.pk)


def _town(name: str):
    found = best_place(name)
    if found is None:
        raise LookupError(name)
    return found


def _stop(member: Membership, trip: Trip, town: str, reason: str) -> None:
    leg = next(leg for leg in trip.legs.all() if leg.target["town"] == town)
    moving.say_of_leg(member, trip.pk, leg.pk, reason, "")
