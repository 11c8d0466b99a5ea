"""Planning: title, legs, other costs, advance. Whatever follows from them is worked out, never typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from django.db import transaction

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.bookings.selectors import cheapest_that_fits
from wainwright.core.coding import Coding, check_coding
from wainwright.core.journey import Mode, Place
from wainwright.core.mileage import OdometerError, Reading, by_odometer
from wainwright.core.money import Money
from wainwright.core.rules import Finding
from wainwright.core.said import as_figure, joined, say
from wainwright.core.workings import plain
from wainwright.errors import Refusal, Stale
from wainwright.outside import service
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.people.numbering import next_number
from wainwright.rulebook import services as reasons
from wainwright.rulebook.selectors import rulebook, vehicle_kinds
from wainwright.trail.services import record
from wainwright.trips.models import KINDS, Leg, OtherCost, Trip, place_data
from wainwright.trips.profile import copy_of
from wainwright.trips.selectors import advance_with_bank
from wainwright.trips.services.base import changed, mine
from wainwright.trips.services.nights import rebuild_nights
from wainwright.trips.under import legs_of

MOST_DAYS = 120
MOST_LEGS = 40
MOST_KM = 5000


def checked_coding(member: Membership, coding: Coding) -> Coding:
    """Return the coding when it holds together today, else raise ``Refusal`` at the part that is wrong."""
    if not coding.account:
        faults = check_coding(coding, books(member.firm).codes, clock.today(member.firm.zone))
        if faults:
            raise Refusal(faults[0].text, faults[0].dimension)
    return coding


@transaction.atomic
def start_trip(
    member: Membership, title: str, purpose: str, coding: Coding, answers: dict[str, str] | None = None, kind: str = "trip"
) -> Trip:  # fmt: skip
    """Start a trip, or the employee's own of a ``move``, with a copy of the profile and its coding unless said otherwise.

    Raises ``Refusal``.
    """
    if kind not in dict(KINDS):
        raise Refusal(say("Say whether it is a trip or moving house."), "kind")
    must(member, "travel")
    if len(title.strip()) < 3:
        raise Refusal(say("Give the trip a title that others will know it by."), "title")
    if len(purpose.strip()) < 3:
        raise Refusal(say("Say in a few words what the trip is for."), "purpose")
    number = next_number(Trip, member.firm)
    trip = Trip(
        firm=member.firm, traveller=member, number=number, title=title.strip()[:120], purpose=purpose.strip()[:500],
        currency=member.firm.currency, profile=copy_of(member), answers=answers or {}, created=clock.now(), kind=kind,
    )  # fmt: skip
    trip.take_coding(checked_coding(member, coding))
    trip.save()
    record(member, say("started the trip"), trip.subject, after={"title": trip.title, "coding": str(coding)})
    return trip


@transaction.atomic
def change_head(member: Membership, trip_id: int, title: str, purpose: str, coding: Coding) -> Trip:
    """Change title, purpose and coding."""
    trip = mine(member, trip_id)
    if len(title.strip()) < 3 or len(purpose.strip()) < 3:
        raise Refusal(say("A trip needs a title and a purpose."), "title")
    before = {"title": trip.title, "coding": str(trip.coding)}
    trip.title, trip.purpose = title.strip()[:120], purpose.strip()[:500]
    trip.take_coding(checked_coding(member, coding))
    changed(member, trip, say("changed the trip's head"), before, {"title": trip.title, "coding": str(coding)})
    return trip


@dataclass(frozen=True)
class Drive:
    """How far the own car goes one way, where that comes from, and the cheapest other way as evidence."""

    km: Decimal
    by: str
    passengers: int = 0
    compared: dict[str, str] = field(default_factory=dict)
    vehicle: str = "car"


def find_drive(
    firm: Firm, origin: Place, target: Place, day: date, typed_km: Decimal | None = None,
    odometer: tuple[Decimal, Decimal] | None = None, passengers: int = 0, vehicle: str = "car",
) -> Drive:  # fmt: skip
    """Find out the distance (typed, by odometer, else looked up), and beyond the firm's distance what else there is.

    Asks outside services, so it is called before the act's transaction. Raises ``Refusal``.
    """
    if vehicle not in vehicle_kinds(firm):
        raise Refusal(
            say(
                "There is no mileage rate for {vehicle}. An administrator can add one under Rules.",
                vehicle=vehicle[:20],
            ),
            "vehicle",
        )
    if odometer is not None:
        try:
            km, by = (
                by_odometer(Reading(*odometer)),
                say("odometer {odometer} to {odometer_2}", odometer=plain(odometer[0]), odometer_2=plain(odometer[1])),
            )
        except OdometerError as error:
            raise Refusal(say("Check the readings: {error}.", error=error), "odometer_end") from error
    elif typed_km is not None:
        km, by = typed_km, "typed"
    else:
        found = service("roads").between(origin, target)
        via = say(" by way of {list}", list=joined(", ", (p.capitalize() for p in found.via))) if found.via else ""
        km = found.km
        by = (
            say("estimated from the straight line")
            if found.estimated
            else say("looked up on the road network{via}", via=via)
        )
    if not 0 < km <= MOST_KM:
        raise Refusal(say("A drive is longer than nothing and no longer than 5,000 km."), "km")
    compared: dict[str, str] = {}
    today = clock.today(firm.zone)
    if km > rulebook(firm).policy.drive_km and day >= today:
        other = cheapest_that_fits(origin, target, day, today, firm.currency)
        if other is not None:
            compared = {"price": str(other[0].amount), "way": other[1], "found": today.isoformat()}
    return Drive(km, by[:200], max(0, min(passengers, 8)), compared, vehicle)


@transaction.atomic
def add_leg(
    member: Membership, trip_id: int, mode: str, origin: Place, target: Place, leaves: datetime, arrives: datetime,
    estimate: Decimal = Decimal(0), paid_by: str = "firm", drive: Drive | None = None,
    back: tuple[datetime, datetime] | None = None,
) -> Leg:  # fmt: skip
    """Add a leg with local times, and the same way back if wanted; nights follow by themselves. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    leg = place_leg(trip, mode, origin, target, leaves, arrives, estimate, paid_by, drive=drive)
    if back is not None:
        place_leg(trip, mode, target, origin, *back, estimate, paid_by, drive=drive)
    rebuild_nights(trip)
    changed(
        member, trip, say("added a leg"), None, {"leg": str(leg), "leaves": leaves, "arrives": arrives, "back": back}
    )
    return leg


def place_leg(
    trip: Trip, mode: str, origin: Place, target: Place, leaves: datetime, arrives: datetime,
    estimate: Decimal = Decimal(0), paid_by: str = "firm", booking_id: int | None = None, drive: Drive | None = None,
) -> Leg:  # fmt: skip
    """Put a leg on a trip after checking that it fits among the others. Inside the caller's transaction."""
    leaves_at, arrives_at = check_leg(trip, origin, target, leaves, arrives)
    return Leg.objects.create(
        trip=trip, mode=mode, origin=place_data(origin), target=place_data(target), leaves_at=leaves_at,
        arrives_at=arrives_at, estimate_minor=Money.rounded(estimate, trip.currency).minor,
        paid_by="self" if mode == Mode.OWN_CAR else paid_by, booking_id=booking_id, km=drive.km if drive else None,
        km_by=drive.by if drive else "", passengers=drive.passengers if drive else 0, compared=drive.compared if drive else {},
        vehicle=drive.vehicle if drive else "car",
    )  # fmt: skip


def check_leg(
    trip: Trip, origin: Place, target: Place, leaves: datetime, arrives: datetime, besides: int | None = None
) -> tuple[datetime, datetime]:  # fmt: skip
    """Return the moments of a leg when it fits among the others of its trip (but ``besides``). Raises ``Refusal``."""
    if not (2000 <= leaves.year <= 2100 and 2000 <= arrives.year <= 2100):
        raise Refusal(say("Check the year."), "leaves")
    leaves_at = leaves.replace(tzinfo=ZoneInfo(origin.zone))
    arrives_at = arrives.replace(tzinfo=ZoneInfo(target.zone))
    if origin.code == target.code:
        raise Refusal(say("It goes from {origin} to {origin}. Say where it goes.", origin=origin.name), "target")
    if arrives_at < leaves_at:
        raise Refusal(
            say("It arrives before it leaves. Times are local to each place; check the day as well."), "arrives"
        )
    if arrives_at - leaves_at > timedelta(days=4):
        raise Refusal(say("A single move of more than four days is not likely. Check the dates."), "arrives")
    others = [leg for leg in legs_of(trip) if leg.pk != besides]
    if len(others) >= MOST_LEGS:
        raise Refusal(
            say("A trip has at most {most_legs} legs. Make a second trip for the rest.", most_legs=MOST_LEGS), "leaves"
        )
    for other in others:
        if leaves_at < other.arrives_at and other.leaves_at < arrives_at:
            raise Refusal(
                say(
                    "It overlaps {other}, {leaves} to {arrives}. Change one of them.",
                    other=other,
                    leaves=as_figure(other.leaves, "%a %d %b %H:%M"),
                    arrives=as_figure(other.arrives, "%H:%M"),
                ),
                "leaves",
            )
    days = [leaves_at, arrives_at, *(o.leaves_at for o in others), *(o.arrives_at for o in others)]
    if (max(days) - min(days)).days > MOST_DAYS:
        raise Refusal(say("A trip lasts at most {most_days} days. Check the year.", most_days=MOST_DAYS), "leaves")
    return leaves_at, arrives_at


@transaction.atomic
def remove_leg(member: Membership, trip_id: int, leg_id: int) -> None:
    """Take a leg off; a way that is held goes with its hold, all its legs together."""
    trip = mine(member, trip_id)
    leg = Leg.objects.filter(trip=trip, pk=leg_id).first()
    if leg is None:
        raise Stale(say("That leg is gone already."))
    if leg.booking_id:
        raise Refusal(say("{leg} belongs to a booking. Cancel the booking, and its legs go with it.", leg=leg))
    before = {"leg": str(leg)}
    leg.delete()
    rebuild_nights(trip)
    changed(member, trip, say("took a leg off"), before, None)


@transaction.atomic
def add_other(
    member: Membership, trip_id: int, category: str, label: str, amount: Decimal, paid_by: str, day: date | None = None
) -> OtherCost:  # fmt: skip
    """Expect another cost; a night is never one, since nights stand on the trip already. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    book, when = rulebook(trip.firm), day or trip.starts or clock.today(trip.firm.zone)
    refused = book.refuses_category(category, when, trip.traveller)
    if refused:
        raise Refusal(refused, "category")
    known = book.categories_on(when)[category]
    if known.is_lodging:
        nights = [Money.from_minor(n.cost_minor, trip.currency) for n in trip.nights.all()]
        there = (
            say(
                "{nights_count} of them, {sum} together",
                nights_count=len(nights),
                sum=sum((n.amount for n in nights), Decimal(0)),
            )
            if nights
            else say("none yet")
        )
        raise Refusal(
            say(
                "Lodging stands under Nights already ({there}); {amount} typed here would count twice. "
                "Change the night instead.",
                there=there,
                amount=amount,
            ),
            "category",
        )
    if amount <= 0:
        raise Refusal(say("Type an amount of more than nothing."), "amount")
    if day is not None and trip.starts and not trip.starts <= day <= (trip.ends or trip.starts):
        raise Refusal(say("That day is not on the trip. Leave it empty for the trip as a whole."), "day")
    minor = Money.rounded(amount, trip.currency).minor
    other = OtherCost.objects.create(
        trip=trip,
        category=category,
        label=label.strip()[:80] or known.name,
        amount_minor=minor,
        paid_by=paid_by,
        day=day,
    )
    changed(member, trip, say("added a cost"), None, {"label": other.label, "amount": minor})
    return other


@transaction.atomic
def remove_other(member: Membership, trip_id: int, other_id: int) -> None:
    """Take an expected cost off."""
    trip = mine(member, trip_id)
    other = OtherCost.objects.filter(trip=trip, pk=other_id).first()
    if other is None:
        raise Stale(say("That cost is gone already."))
    before = {"label": other.label, "amount": other.amount_minor}
    other.delete()
    changed(member, trip, say("took a cost off"), before, None)


@transaction.atomic
def ask_advance(member: Membership, trip_id: int, amount: Decimal, most: Money, why: str) -> None:
    """Ask for an advance of at most what is proposed, and say what for; nothing is as good as none. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    if trip.moves_with_id is not None:
        raise Refusal(
            say("An advance is asked for on the employee's own trip of a move, and set against that claim alone.")
        )
    if advance_with_bank(trip):
        raise Refusal(
            say("The advance of {advance} is with the bank already and stays as it is.", advance=trip.advance),
            "advance",
        )
    wanted, paid = Money.rounded(amount, trip.currency), trip.advance_paid_out
    if wanted < paid:
        raise Refusal(say("{paid} of it is paid already: it can be raised, not lowered.", paid=paid), "advance")
    if wanted.minor < 0 or wanted > max(most, paid):
        raise Refusal(say("An advance lies between nothing and the {most} proposed.", most=most), "advance")
    why = " ".join(why.split())[:200]
    if wanted > paid and not why:
        raise Refusal(say("Say what the advance is for."), "why")
    before = {"amount": trip.advance_minor, "why": trip.advance_why}
    trip.advance_why = why if wanted else ""
    trip.advance_minor, trip.advance_unpaid_minor = wanted.minor, (wanted - paid).minor if trip.advance_paid else 0
    changed(member, trip, say("asked for an advance"), before, {"amount": wanted.minor, "why": trip.advance_why})


@transaction.atomic
def explain(
    member: Membership,
    trip_id: int,
    findings: list[Finding],
    identities: list[str],
    reason: str | Mapping[str, str],
    words: str,
) -> None:
    """Give a reason to findings of the plan."""
    trip = mine(member, trip_id)
    reasons.explain(member, trip.subject, findings, identities, reason, words)
