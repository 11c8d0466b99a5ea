"""Mileage: distance times rate, in yearly bands, with passengers, and odometer readings checked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from wainwright.core.money import Money
from wainwright.core.workings import Figure, Step, Workings, plain

KM_PER_MILE = Decimal("1.609344")


class OdometerError(ValueError):
    """An odometer reading that cannot be: lower than the start, or inside another reading."""


@dataclass(frozen=True, slots=True)
class MileageRate:
    """Rates for a kind of vehicle from a date on.

    ``bands`` are (up to so many km in the year, amount a km), the last one open (``None``).
    ``passenger`` is paid for each passenger and km on top.
    """

    vehicle: str
    since: date
    currency: str
    bands: tuple[tuple[Decimal | None, Decimal], ...]
    passenger: Decimal = Decimal(0)


def rate_on(rates: Sequence[MileageRate], vehicle: str, day: date) -> MileageRate:
    """Return the rate in force for ``vehicle`` on ``day``. Raises ``LookupError`` where there is none."""
    fitting = [rate for rate in rates if rate.vehicle == vehicle and rate.since <= day]
    if not fitting:
        raise LookupError(f"no mileage rate for {vehicle} on {day:%d %b %Y}")
    return max(fitting, key=lambda rate: rate.since)


def mileage(
    km: Decimal, rate: MileageRate, so_far: Decimal, passengers: int = 0, commute: Decimal = Decimal(0)
) -> Figure:
    """Work out what ``km`` earn after ``so_far`` km in the same year.

    ``commute`` is the way from home to the usual place of work, taken off first. Rounded once at
    the end. Raises ``ValueError`` for negative input.
    """
    if km < 0 or so_far < 0 or passengers < 0 or commute < 0:
        raise ValueError("distances and passengers are not negative")
    steps = []
    if commute:
        km = max(Decimal(0), km - commute)
        steps.append(Step(f"{plain(commute)} km from home to work taken off", f"{plain(km)} km"))
    sum_, left, done = Decimal(0), km, so_far
    for upper, amount in rate.bands:
        room = left if upper is None else max(Decimal(0), min(left, upper - done))
        if room:
            sum_ += room * amount
            band = f", band up to {plain(upper)} km a year" if upper is not None else ""
            result = str(Money.rounded(room * amount, rate.currency))
            steps.append(Step(f"{plain(room)} km × {amount}{band}", result, rate.vehicle, rate.since))
            left, done = left - room, done + room
    if passengers and rate.passenger:
        extra = km * rate.passenger * passengers
        sum_ += extra
        people = "1 passenger" if passengers == 1 else f"{passengers} passengers"
        steps.append(Step(f"{people}: {plain(km)} km × {rate.passenger}", str(Money.rounded(extra, rate.currency))))
    return Figure(Money.rounded(sum_, rate.currency), Workings(f"Mileage, {plain(km)} km", tuple(steps)))


@dataclass(frozen=True, slots=True)
class Reading:
    """An odometer at the start and the end of a ride, in km."""

    start: Decimal
    end: Decimal


def by_odometer(reading: Reading, others: Sequence[Reading] = ()) -> Decimal:
    """Return the distance of a reading. Raises ``OdometerError`` when it cannot be true."""
    if reading.end < reading.start:
        raise OdometerError(f"the odometer ends at {plain(reading.end)}, lower than its start {plain(reading.start)}")
    for other in others:
        if reading.start < other.end and other.start < reading.end:
            raise OdometerError(f"the odometer overlaps another ride, {plain(other.start)} to {plain(other.end)}")
    return reading.end - reading.start


def to_km(miles: Decimal) -> Decimal:
    """Turn miles into kilometres (1 mi = 1.609344 km, exact by definition)."""
    return miles * KM_PER_MILE


@dataclass(frozen=True, slots=True)
class WayCompared:
    """Driving beside the cheapest other way: the lower of the two is allowed unless explained."""

    allowed: Money
    over: Money
    workings: Workings


def against_ticket(drive: Money, one_way_km: Decimal, limit_km: Decimal, ticket: Money | None) -> WayCompared:
    """Compare driving with ``ticket`` beyond the firm's distance of ``limit_km`` one way."""
    title = "Own car beside the cheapest other way"
    if one_way_km <= limit_km or ticket is None:
        why = "within the firm's distance" if one_way_km <= limit_km else "no other way on offer"
        return WayCompared(drive, Money.zero(drive.currency), Workings(title, (Step(why, str(drive)),)))
    allowed = min(drive, ticket)
    steps = (
        Step(f"{plain(one_way_km)} km one way, beyond {plain(limit_km)} km"),
        Step(f"The lower of {drive} driving and {ticket} ticket", str(allowed)),
    )
    return WayCompared(allowed, drive - allowed, Workings(title, steps))
