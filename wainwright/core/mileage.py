"""Mileage: distance times rate, in yearly bands, with passengers, and odometer readings checked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from wainwright.core.money import Money
from wainwright.core.said import as_figure, joined, say
from wainwright.core.workings import Figure, Step, Workings, plain

KM_PER_MILE = Decimal("1.609344")


class OdometerError(ValueError):
    """An odometer reading that cannot be: lower than the start, or inside another reading."""


@dataclass(frozen=True, slots=True)
class MileageRate:
    """Rates for a kind of vehicle from a date on.

    ``bands`` are (up to so many in the year, amount for each), the last one open (``None``), in the rate's own ``unit``:
    "km" or "mi". ``passenger`` is paid for each passenger and unit on top.
    """

    vehicle: str
    since: date
    currency: str
    bands: tuple[tuple[Decimal | None, Decimal], ...]
    passenger: Decimal = Decimal(0)
    unit: str = "km"

    def distance(self, km: Decimal) -> Decimal:
        """Return a distance in the rate's own unit; miles that were turned into km come back exactly."""
        return from_km(km, self.unit)


def in_km(distance: Decimal, unit: str) -> Decimal:
    """Return a distance typed in ``unit`` in km, exactly."""
    return distance if unit == "km" else distance * KM_PER_MILE


def from_km(km: Decimal, unit: str) -> Decimal:
    """Return km as a distance in ``unit``, "km" or "mi"."""
    return km if unit == "km" else km / KM_PER_MILE


def mileage_year(day: date, month: int, first: int) -> tuple[date, date]:
    """Return the first and last day of the firm's mileage year around ``day``, which begins on ``first`` of ``month``.

    A year that begins on 29 February begins on 1 March where there is none.
    """

    def begins(year: int) -> date:
        try:
            return date(year, month, first)
        except ValueError:
            return date(year, month, 28) + timedelta(days=1)

    year = day.year if day >= begins(day.year) else day.year - 1
    return begins(year), begins(year + 1) - timedelta(days=1)


def rate_on(rates: Sequence[MileageRate], vehicle: str, day: date) -> MileageRate:
    """Return the rate in force for ``vehicle`` on ``day``. Raises ``LookupError`` where there is none.

    One without bands ends the rate before it.
    """
    fitting = [rate for rate in rates if rate.vehicle == vehicle and rate.since <= day]
    newest = max(fitting, key=lambda rate: rate.since, default=None)
    if newest is None or not newest.bands:
        raise LookupError(
            say("no mileage rate for {vehicle} on {day}", vehicle=vehicle, day=as_figure(day, "%d %b %Y"))
        )
    return newest


def commute_off(
    origin: str, target: str, there_and_back: bool, home: str, way_km: Decimal, already: Decimal = Decimal(0)
) -> Decimal:
    """Return how many km of the way from home to work, ``way_km`` long, a ride takes the place of.

    One way for each time that it leaves home (the place with the code ``home``) or comes back there, and never more than
    there and back in a day, of which ``already`` km were taken off other rides.
    """
    if not home:
        return Decimal(0)
    ends = ((origin == home) + (target == home)) * (2 if there_and_back else 1)
    return max(Decimal(0), min(ends * way_km, 2 * way_km - already))


def mileage(
    km: Decimal, rate: MileageRate, so_far: Decimal, passengers: int = 0, commute: Decimal = Decimal(0)
) -> Figure:
    """Work out what ``km`` earn after ``so_far`` km of the same kind of vehicle in the same year, in the rate's own unit.

    ``commute`` is the way from home to the usual place of work, taken off first (``commute_off`` says how much). Rounded
    once at the end. Raises ``ValueError`` for negative input.
    """
    if km < 0 or so_far < 0 or passengers < 0 or commute < 0:
        raise ValueError(say("distances and passengers are not negative"))
    steps, unit = [], rate.unit
    if commute:
        km = max(Decimal(0), km - commute)
        steps.append(
            Step(
                say("{said} {unit} from home to work taken off", said=_said(rate.distance(commute)), unit=unit),
                joined("", (_said(rate.distance(km)), " ", unit)),
            )
        )
    whole = rate.distance(km)
    sum_, left, done = Decimal(0), whole, rate.distance(so_far)
    for upper, amount in rate.bands:
        room = left if upper is None else max(Decimal(0), min(left, upper - done))
        if room:
            sum_ += room * amount
            band = say(", band up to {upper} {unit} a year", upper=plain(upper), unit=unit) if upper is not None else ""
            result = str(Money.rounded(room * amount, rate.currency))
            steps.append(
                Step(joined("", (_said(room), " ", unit, " × ", amount, band)), result, rate.vehicle, rate.since)
            )
            left, done = left - room, done + room
    if passengers and rate.passenger:
        extra = whole * rate.passenger * passengers
        sum_ += extra
        people = say("1 passenger") if passengers == 1 else say("{passengers} passengers", passengers=passengers)
        steps.append(
            Step(
                joined("", (people, ": ", _said(whole), " ", unit, " × ", rate.passenger)),
                str(Money.rounded(extra, rate.currency)),
            )
        )
    return Figure(
        Money.rounded(sum_, rate.currency),
        Workings(say("Mileage, {said} {unit}", said=_said(whole), unit=unit), tuple(steps)),
    )


def _said(distance: Decimal) -> str:
    """A distance for reading: to a hundredth, without needless zeros."""
    return plain(round(distance, 2))


@dataclass(frozen=True, slots=True)
class Reading:
    """An odometer at the start and the end of a ride, in km."""

    start: Decimal
    end: Decimal


def by_odometer(reading: Reading, others: Sequence[Reading] = ()) -> Decimal:
    """Return the distance of a reading. Raises ``OdometerError`` when it cannot be true."""
    if reading.end < reading.start:
        raise OdometerError(
            say(
                "the odometer ends at {end}, lower than its start {start}",
                end=plain(reading.end),
                start=plain(reading.start),
            )
        )
    for other in others:
        if reading.start < other.end and other.start < reading.end:
            raise OdometerError(
                say(
                    "the odometer overlaps another ride, {start} to {end}",
                    start=plain(other.start),
                    end=plain(other.end),
                )
            )
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
    title = say("Own car beside the cheapest other way")
    if one_way_km <= limit_km or ticket is None:
        why = say("within the firm's distance") if one_way_km <= limit_km else say("no other way on offer")
        return WayCompared(drive, Money.zero(drive.currency), Workings(title, (Step(why, str(drive)),)))
    allowed = min(drive, ticket)
    steps = (
        Step(
            say("{one_way_km} km one way, beyond {limit_km} km", one_way_km=plain(one_way_km), limit_km=plain(limit_km))
        ),
        Step(say("The lower of {drive} driving and {ticket} ticket", drive=drive, ticket=ticket), str(allowed)),
    )
    return WayCompared(allowed, drive - allowed, Workings(title, steps))
