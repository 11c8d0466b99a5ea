"""Rides in one's own car: the distance, the rate by date and yearly band, and what is not possible."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from itertools import pairwise

from django.db import transaction
from django.db.models import Q, Sum

from wainwright import clock
from wainwright.core.journey import Place
from wainwright.core.mileage import MileageRate, OdometerError, Reading, by_odometer, mileage, rate_on
from wainwright.core.said import joined, say
from wainwright.core.workings import Figure, plain
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.services.editing import changed, mine
from wainwright.expenses.services.receipts import attach
from wainwright.expenses.services.taking import RowRefusal, must_be_possible
from wainwright.outside import service
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import mileage_rates, mileage_year_of, rulebook
from wainwright.trail.services import record
from wainwright.trips.driving import way_to_work
from wainwright.trips.models import place_data

MOST_KM = 5000
# A ride whose claim was turned down gives its distance back, until it is claimed anew.
COUNTS = Q(claim__isnull=False) | Q(turned_down_in__isnull=True)
# A track's distance is typed in the rate's unit to a tenth.
TRACK_ROUNDING = Decimal("0.1")


@dataclass(frozen=True)
class Ride:
    """A ride as typed. ``km`` is one way and empty where it is to be looked up; ``odometer`` (start, end) is the whole ride.

    ``profile`` is the copy of the profile that its trip uses; without one it is the profile itself. ``track`` is what a
    recorded track calls itself, and its km.
    """

    day: date
    origin: Place
    target: Place
    vehicle: str
    there_and_back: bool = False
    passengers: int = 0
    km: Decimal | None = None
    description: str = ""
    via: tuple[Place, ...] = ()
    odometer: tuple[Decimal, Decimal] | None = None
    reason: str = ""
    profile: Mapping[str, str] | None = None
    track: tuple[str, Decimal] | None = None


@dataclass(frozen=True)
class Driven:
    """How far a ride was: the km in all, what the road is long, and how it was found out."""

    km: Decimal
    looked_up: Decimal
    how: str


def distance(member: Membership, ride: Ride, without: int = 0) -> Driven:
    """Find out how far a ride was; ``without`` is one whose odometer is not asked, since this takes its place. Raises ``Refusal`` where it cannot be, or is longer than the road without a reason."""
    stops = [ride.origin, *ride.via, ride.target]
    legs = [service("roads").between(one, other) for one, other in pairwise(stops)]
    factor = 2 if ride.there_and_back else 1
    road = sum((leg.km for leg in legs), Decimal(0)) * factor
    if ride.odometer is not None:
        driven = Driven(
            _odometer(member, ride, without),
            road,
            say(
                "odometer {odometer} to {odometer_2}",
                odometer=plain(ride.odometer[0]),
                odometer_2=plain(ride.odometer[1]),
            ),
        )
    elif ride.km is not None:
        by_track = ride.track is not None and abs(ride.km - ride.track[1]) <= TRACK_ROUNDING
        how = say("by the track {track}", track=ride.track[0]) if ride.track is not None and by_track else say("typed")
        driven = Driven(ride.km * factor, road, say("{how}, {km} km one way", how=how, km=plain(round(ride.km, 2))))
    else:
        way = [stop.town for stop in ride.via] or [town.capitalize() for leg in legs for town in leg.via]
        how = say("estimated from the straight line") if any(leg.estimated for leg in legs) else say("looked up")
        length = plain(round(road / factor, 2))
        driven = Driven(
            road,
            road,
            say("{road} km one way, {how}, by way of {towns}", road=length, how=how, towns=joined(", ", way))
            if way
            else say("{road} km one way, {how}", road=length, how=how),
        )
    if not 0 < driven.km <= MOST_KM:
        raise Refusal(say("A ride is longer than nothing and no longer than 5,000 km."), "km")
    share = rulebook(member.firm).policy.km_share
    most = road * (1 + share / 100)
    if road and driven.km > most and len(ride.reason.strip()) < 5:
        raise Refusal(
            say(
                "{km} km is more than {share} % over the {road} km by road. Say why, or add the places on the way.",
                km=plain(round(driven.km, 2)),
                share=plain(share),
                road=plain(round(road, 2)),
            ),
            "reason",
        )
    return driven


def _odometer(member: Membership, ride: Ride, without: int) -> Decimal:
    reading = Reading(*ride.odometer) if ride.odometer else Reading(Decimal(0), Decimal(0))
    near = (
        Expense.objects.filter(
            owner=member, vehicle=ride.vehicle, odometer_start__lt=reading.end, odometer_end__gt=reading.start
        )
        .exclude(pk=without)
        .values_list("odometer_start", "odometer_end")[:5]
    )
    try:
        return by_odometer(reading, [Reading(*row) for row in near])
    except OdometerError as error:
        raise Refusal(say("Check the readings: {error}.", error=error), "odometer_end") from error


@dataclass(frozen=True)
class Priced:
    """What a ride earns: how far it was, the amount with its workings, and where it stands in the year's bands.

    ``commute`` km of it are the way to work and earn nothing.
    """

    driven: Driven
    figure: Figure
    so_far: Decimal
    rate: MileageRate
    commute: Decimal

    @property
    def km(self) -> Decimal:
        """What counts: the ride without the way to work."""
        return self.driven.km - self.commute


def priced(member: Membership, ride: Ride, without: int = 0) -> Priced:
    """Work out what a ride earns; nothing is kept. ``without`` is a ride that this takes the place of. Raises ``Refusal``."""
    must_be_possible(member.firm.zone, ride.day)
    driven = distance(member, ride, without)
    try:
        rate = rate_on(mileage_rates(member.firm), ride.vehicle, ride.day)
    except LookupError as error:
        raise Refusal(
            say("There is {error}. An administrator can add one under Rules.", error=error), "vehicle"
        ) from error
    so_far = km_so_far(member, ride.day, ride.vehicle, without)
    off = _to_work(member, ride, without)
    if off >= driven.km:
        raise Refusal(
            say(
                "That is no further than your way to work, {distance} {unit} that day, which the firm "
                "takes off a ride from home or back there: nothing is left to claim.",
                distance=plain(round(rate.distance(off), 2)),
                unit=rate.unit,
            ),
            "target",
        )
    return Priced(driven, mileage(driven.km, rate, so_far, ride.passengers, off), so_far, rate, off)


def _to_work(member: Membership, ride: Ride, without: int) -> Decimal:
    """The way to work that a ride takes the place of: there and back at most in a day, whichever vehicle is driven."""
    kept = {"home": member.home_code, "work": member.work_code} | dict(ride.profile or {})
    way = way_to_work(rulebook(member.firm).policy, kept["home"], kept["work"])
    if way is None:
        return Decimal(0)
    rides = Expense.objects.filter(owner=member, kind=Expense.Kind.MILEAGE, date=ride.day).exclude(pk=without)
    already = rides.filter(COUNTS).aggregate(km=Sum("commute_km"))["km"] or Decimal(0)
    return way.off(ride.origin, ride.target, ride.there_and_back, already)


@transaction.atomic
def type_ride(member: Membership, ride: Ride) -> Expense:
    """Record a ride: distance looked up, typed or by odometer; rate by date and yearly band. Raises ``Refusal``."""
    known = priced(member, ride)
    expense = Expense(
        firm=member.firm, owner=member, kind=Expense.Kind.MILEAGE, category="mileage", currency=member.firm.currency, created=clock.now()
    )  # fmt: skip
    _fill(expense, ride, known)
    expense.save()
    record(member, say("typed a ride"), expense.key, after=_said(expense))
    return expense


@transaction.atomic
def ride_of_track(member: Membership, receipt_id: int, ride: Ride) -> Expense:
    """Record the ride of a recorded track that lies in one's tray; the track's picture is its evidence. Raises ``Refusal``, ``Stale``."""
    receipt = Receipt.objects.filter(owner=member, pk=receipt_id, kind=Receipt.Kind.TRACK, expense__isnull=True).first()
    if receipt is None:
        raise Stale(say("The ride of that track was recorded already."))
    expense = type_ride(member, replace(ride, track=_track_of(receipt)))
    attach(member, receipt.pk, expense)
    return expense


def with_track(member: Membership, ride: Ride, receipt_id: int) -> Ride:
    """Return a ride with the track of one's own that it is made of, if it is of any."""
    receipt = Receipt.objects.filter(owner=member, pk=receipt_id, kind=Receipt.Kind.TRACK).first()
    return replace(ride, track=_track_of(receipt)) if receipt is not None else ride


def _track_of(receipt: Receipt) -> tuple[str, Decimal] | None:
    track = receipt.invoice.get("track")
    return (receipt.name, Decimal(track["km"])) if track else None


@transaction.atomic
def change_ride(member: Membership, expense_id: int, version: int, ride: Ride) -> Expense:
    """Change a ride of one's own that was not sent: it is worked out anew, by the rate and the band of its day. Raises ``Refusal``, ``Stale``."""
    expense = mine(member, expense_id, version)
    if expense.kind != Expense.Kind.MILEAGE:
        raise Refusal(say("This is no ride."))
    before = _said(expense)
    track = expense.receipts.filter(kind=Receipt.Kind.TRACK).first()
    if track is not None:
        ride = replace(ride, track=_track_of(track))
    if expense.claim is not None and expense.claim.trip is not None:
        ride = replace(ride, profile=expense.claim.trip.profile)
    _fill(expense, ride, priced(member, ride, without=expense.pk))
    changed(member, expense, say("changed a ride"), before, _said(expense))
    return expense


def _fill(expense: Expense, ride: Ride, known: Priced) -> None:
    driven, figure = known.driven, known.figure
    reason = f"; {ride.reason.strip()}" if ride.reason.strip() else ""
    expense.date, expense.amount_minor, expense.vehicle, expense.passengers = (
        ride.day,
        figure.amount.minor,
        ride.vehicle,
        ride.passengers,
    )
    expense.origin, expense.target, expense.via = (
        place_data(ride.origin),
        place_data(ride.target),
        [place_data(each) for each in ride.via],
    )
    expense.km, expense.unit, expense.back_again, expense.guests = (
        known.km,
        known.rate.unit,
        ride.there_and_back,
        ride.description.strip()[:200],
    )
    expense.commute_km = known.commute
    expense.km_looked_up, expense.km_reason = driven.looked_up, ride.reason.strip()[:200]
    expense.odometer_start, expense.odometer_end = ride.odometer or (None, None)
    expense.workings = [
        # Names first, then a sentence: each part is known again by itself where it is kept.
        joined(": ", (f"{ride.origin.town} – {ride.target.town}", joined("", (driven.how, reason)))),
        *figure.workings.lines(),
    ]


def _said(expense: Expense) -> dict[str, object]:
    return {"date": str(expense.date), "km": str(expense.km), "amount": expense.amount_minor}


@transaction.atomic
def type_rides(member: Membership, rides: Sequence[Ride]) -> list[Expense]:
    """Record several rides by date, since the yearly band follows the order; all or none. Raises ``Refusal`` naming the row."""
    done = []
    for row, ride in sorted(enumerate(rides), key=lambda pair: pair[1].day):
        try:
            done.append(type_ride(member, ride))
        except Refusal as refusal:
            raise RowRefusal(row, refusal) from refusal
    return done


def km_so_far(member: Membership, day: date, vehicle: str, without: int = 0) -> Decimal:
    """Return what the person has driven with a kind of vehicle in the firm's mileage year of ``day``.

    A claim that was turned down gives its distance back; ``without`` is a ride that is not counted.
    """
    return km_between(member.pk, *mileage_year_of(member.firm, day), vehicle, without)


def km_between(member_id: int, first: date, last: date, vehicle: str, without: int = 0) -> Decimal:
    """Return the km of a person's rides with a kind of vehicle between two days, of all that is not turned down."""
    rides = Expense.objects.filter(
        owner_id=member_id, kind=Expense.Kind.MILEAGE, vehicle=vehicle, date__range=(first, last)
    ).exclude(pk=without)
    return rides.filter(COUNTS).aggregate(km=Sum("km"))["km"] or Decimal(0)
