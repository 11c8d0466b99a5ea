"""From a trip's rows to the core's values and back to figures: the one place where that happens."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal
from functools import cached_property

from wainwright.bookings.models import CATEGORY, Booking
from wainwright.core.advance import proposed_advance
from wainwright.core.allowance import (
    Allowance,
    Grants,
    NightAllowed,
    NoRate,
    Stay,
    allowed_night,
    daily_allowance,
    stays_of,
)
from wainwright.core.fx import RateTable
from wainwright.core.journey import Journey, Meal, Mode, Place
from wainwright.core.journey import Leg as CoreLeg
from wainwright.core.journey import Night as CoreNight
from wainwright.core.mileage import against_ticket, mileage, rate_on
from wainwright.core.money import Money, add_up, total
from wainwright.core.said import joined, say
from wainwright.core.workings import Figure, Step, Workings
from wainwright.formats.places import called_on_journeys
from wainwright.rulebook.selectors import Rulebook, exchange_of
from wainwright.trips.driving import way_to_work
from wainwright.trips.models import Leg, Night, OtherCost, Trip
from wainwright.trips.moving import TICKETED, Move, heads

CATEGORY_OF_MODE = {
    Mode.AIR: "air", Mode.RAIL: "transit", Mode.FERRY: "ferry", Mode.COACH: "transit", Mode.HIRE_CAR: "hire",
    Mode.OWN_CAR: "mileage", Mode.TAXI: "taxi", Mode.ON_FOOT: "transit",
}  # fmt: skip
THROUGHOUT = "meals-throughout"
# Journeys that were made, or are on their way to be; how long ago a stay may have begun.
MADE, LONG_AGO = ("Authorised", "Under way", "Back", "Closed"), 3 * 366


@dataclass(frozen=True)
class Estimate:
    """One expected cost. ``workings`` are there where it was worked out."""

    key: str
    label: str
    category: str
    day: date | None
    amount: Money
    paid_by: str
    cheapest: Money | None = None
    cabin: str = ""
    contract_passed: bool = False
    ride: tuple[str, ...] = ()
    by: str = ""
    one_way_km: Decimal | None = None
    ticket: Money | None = None
    drive: Money | None = None
    workings: tuple[str, ...] = ()


@dataclass(frozen=True)
class TripFigures:
    """Everything that follows from a plan. ``quarters`` names supplied quarters by night spent elsewhere."""

    journey: Journey
    allowance: Allowance
    nights: tuple[NightAllowed, ...]
    estimates: tuple[Estimate, ...]
    proposed_advance: Figure
    quarters: dict[str, str]
    fault: str = ""

    def sum(self, *paid_by: str) -> Money:
        """What the estimates of some payers come to."""
        currency = self.allowance.amount.currency
        return total((e.amount for e in self.estimates if not paid_by or e.paid_by in paid_by), currency)

    @cached_property
    def total(self) -> Money:
        """The whole trip: estimates and allowance."""
        return self.sum() + self.allowance.amount

    def by_category(self, names: dict[str, str]) -> list[tuple[str, Money]]:
        """The estimates by category, in words."""
        return list(add_up((names.get(e.category, e.category), e.amount) for e in self.estimates).items())


def journey_of(legs: Iterable[Leg], nights: Iterable[Night], supplied: Iterable[str]) -> Journey:
    """Build the core's journey. Raises ``ValueError`` where legs overlap."""
    marks = set()
    for mark in supplied:
        day, _, meal = mark.partition(":")
        marks.add((date.fromisoformat(day), Meal(meal)))
    return Journey(
        tuple(CoreLeg(leg.start, leg.end, Mode(leg.mode), leg.leaves, leg.arrives, f"leg:{leg.pk}") for leg in legs),
        tuple(CoreNight(n.date, Place(**n.place), n.name, n.supplied, n.lodging) for n in nights),
        frozenset(marks),
    )


def quarters_in(book: Rulebook, town: str, country: str) -> dict[str, str] | None:
    """Return the quarters that are supplied in a town, or nothing."""
    for row in book.policy.quarters:
        if row["country"] == country and town.casefold() in {
            name.casefold() for name in (row["town"], *called_on_journeys(row["town"], country))
        }:
            return row
    return None


def grants_of(trip: Trip, book: Rulebook, earlier: tuple[Stay, ...] | None = None) -> Grants:
    """Return what was granted for a trip beyond the scheme, for whom it earns, and stays before it.

    Those are looked up, in one query where they count, unless the caller has them.
    """
    if earlier is None:
        earlier = stays_before(trip, book.stays_go_on) if book.stays_go_on else ()
    return Grants(any(p.get("code") == THROUGHOUT for p in trip.permissions), heads(trip, book.policy.kin), earlier)


def stays_before(trip: Trip, within: int) -> tuple[Stay, ...]:
    """Return where the traveller stayed on journeys before a trip, so that a stay may go on. One query."""
    if trip.starts is None:
        return ()
    before = Night.objects.filter(
        trip__traveller=trip.traveller_id, trip__firm=trip.firm_id, trip__state__in=MADE, date__lt=trip.starts
    ).exclude(trip=trip)
    since = trip.starts - timedelta(days=LONG_AGO)
    rows = before.filter(date__gte=since).values_list("date", "place")
    return stays_of(((day, place["town"], place["country"]) for day, place in rows), within)


def earned(
    journey: Journey, nights: Iterable[Night], book: Rulebook, currency: str, grants: Grants | None = None
) -> tuple[Allowance, tuple[NightAllowed, ...], str]:
    """Return the allowance, the nights against their ceilings, and the fault where a place has no rate (else "")."""
    rows = {n.date: n for n in nights}
    try:
        table = exchange_of(book, journey.starts.date(), journey.ends.date()) if journey.legs else None
        allowance = daily_allowance(journey, book.schemes, book.rates, currency, grants, table)
        allowed = tuple(
            night_allowed(n, rows[n.date], book, Money.from_minor(rows[n.date].cost_minor, currency), table=table) if n.date in rows else
            allowed_night(n, Money.zero(currency), book.schemes, book.rates, table=table) for n in journey.nights
        )  # fmt: skip
    except NoRate as error:
        fault = say("There is {error}. An administrator can add one under Rules.", error=error)
        return Allowance((), Money.zero(currency), Workings(say("Daily allowance"), (Step(fault),))), (), fault
    return allowance, allowed, ""


def night_allowed(
    night: CoreNight, row: Night, book: Rulebook, cost: Money, tax: Money | None = None, table: RateTable | None = None
) -> NightAllowed:
    """Return what of a night's cost is allowed, with the permission and the quarters of its trip. Raises ``NoRate``."""
    found = allowed_night(night, cost, book.schemes, book.rates, tax, lifted=row.lifted, table=table)
    supplied = quarters_in(book, night.place.town, night.place.country)
    if supplied is None or night.supplied:
        return found
    if row.full:
        step = Step(
            say(
                "{name} was full: {who}, {when}, {reference}",
                name=supplied["name"],
                who=row.full["who"],
                when=row.full["when"],
                reference=row.full["reference"],
            )
        )
        return replace(found, workings=Workings(found.workings.title, (step, *found.workings.steps)))
    step = Step(
        say("{name} is supplied here; nothing is allowed without a record that it was full", name=supplied["name"]), "0"
    )
    nothing = Money.zero(cost.currency)
    return replace(found, allowed=nothing, over=cost, workings=Workings(found.workings.title, (step,)))


def figures(
    trip: Trip, book: Rulebook, legs: list[Leg], nights: list[Night], others: list[OtherCost], bookings: list[Booking],
    explained: frozenset[str] = frozenset(), driven: Mapping[str, Decimal] | None = None, outstanding: Money | None = None,
    move: Move | None = None,
) -> TripFigures:  # fmt: skip
    """Work out a plan's figures. A place without a rate is a fault in words, and earns nothing until mended.

    ``explained`` are the identities of findings with a reason, ``driven`` the km of the mileage year so far by kind of vehicle,
    ``outstanding`` the advances of other trips that are still out, ``move`` what being part of a move changes.
    """
    currency = trip.currency
    journey = journey_of(legs, nights, trip.meals_off)
    allowance, allowed, fault = earned(journey, nights, book, currency, grants_of(trip, book))
    estimates = _estimates(currency, legs, nights, others, bookings, move.entitled.tickets if move else "")
    estimates += _drives(trip, legs, book, explained, dict(driven or {}), move)
    if move is not None and move.own:
        estimates += [
            Estimate(line.key, line.name, line.category, None, line.amount, line.paid_by, workings=(line.why,))
            for line in move.entitled.lines
        ]
    own = total((e.amount for e in estimates if e.paid_by == "self"), currency)
    policy = book.policy
    advance = proposed_advance(
        own + allowance.amount, policy.advance_percent, policy.advance_unit, outstanding, policy.advance_blocks
    )
    quarters = {}
    for night in nights:
        supplied = quarters_in(book, night.place["town"], night.place["country"])
        if supplied is not None and not night.supplied and not night.full:
            quarters[f"night:{night.date.isoformat()}"] = supplied["name"]
    estimates.sort(key=lambda e: (e.day or date.max, e.key))
    return TripFigures(journey, allowance, allowed, tuple(estimates), advance, quarters, fault)


def _estimates(
    currency: str, legs: list[Leg], nights: list[Night], others: list[OtherCost], bookings: list[Booking], tickets: str
) -> list[Estimate]:
    def money(minor: int) -> Money:
        return Money.from_minor(minor, currency)

    found = [estimate for booking in bookings for estimate in _of_booking(booking)]
    for leg in legs:
        mode = Mode(leg.mode)
        if leg.booking_id is None and leg.estimate_minor and mode != Mode.OWN_CAR:
            label = joined("", (leg.mode.capitalize(), " ", leg.origin["town"], " – ", leg.target["town"]))
            found.append(
                Estimate(f"leg:{leg.pk}", label, CATEGORY_OF_MODE[mode], leg.leaves.date(), money(leg.estimate_minor),
                         tickets if tickets and mode in TICKETED else leg.paid_by, ride=(leg.origin["town"], leg.target["town"]), by=leg.mode)
            )  # fmt: skip
    for night in nights:
        if night.cost_minor and not night.supplied:
            label = night.name or say("Night in {town}", town=night.place["town"])
            key = f"night:{night.date.isoformat()}"
            found.append(Estimate(key, label, "lodging", night.date, money(night.cost_minor), night.paid_by))
    for other in others:
        found.append(
            Estimate(f"other:{other.pk}", other.label, other.category, other.day, money(other.amount_minor), other.paid_by)
        )  # fmt: skip
    return found


def _of_booking(b: Booking) -> list[Estimate]:
    """A booking's own cost, and what a cancelled one leaves behind. Rooms cost by the night, so not here."""
    day = date.fromisoformat(b.first_day) if b.first_day else b.departure.date()
    found = []
    if b.stands and b.kind != "stay":
        measured = b.cheapest if not b.by_hand else None
        found.append(
            Estimate(b_key(b), b.label, b.category, day, b.price, b.paid_by, measured, b.cabin, b.contract_passed)
        )
    if b.lost_minor:
        found.append(
            Estimate(
                f"lost:{b.pk}",
                say("Given up: {b_label}", b_label=b.label)[:160],
                CATEGORY[b.kind],
                day,
                b.lost,
                b.paid_by,
            )
        )
    return found


def b_key(booking: Booking) -> str:
    """The key of a booking among the estimates."""
    return f"booking:{booking.pk}"


def _drives(
    trip: Trip, legs: Sequence[Leg], book: Rulebook, explained: frozenset[str], driven: dict[str, Decimal],
    move: Move | None = None,
) -> list[Estimate]:  # fmt: skip
    """What the own car earns, worked out band by band; beyond the firm's distance the lower of drive and ticket.

    Where the firm says so, the way to work is taken off what leaves home or comes back there.
    Who is driven by somebody else earns nothing, nor does a vehicle too many of a move, which says so.
    """
    found = []
    to_work = way_to_work(book.policy, trip.profile.get("home", ""), trip.profile.get("work", ""))
    taken_off: dict[date, Decimal] = {}
    for leg in legs:
        if leg.mode != Mode.OWN_CAR or leg.km is None or leg.driven_by:
            continue
        key, label = (
            f"leg:{leg.pk}",
            say(
                "Own {vehicle} {town} – {town_2}",
                vehicle=leg.vehicle,
                town=leg.origin["town"],
                town_2=leg.target["town"],
            ),
        )
        if move is not None and not move.drives:
            nothing = Money.zero(trip.currency)
            found.append(Estimate(key, label, "mileage", leg.leaves.date(), nothing, "self", workings=(move.why_not,)))
            continue
        try:
            rate = rate_on(book.mileage, leg.vehicle, leg.leaves.date())
        except LookupError as error:
            # It stands there with nothing, and says why, rather than being left out.
            why = say("There is {error}: it earns nothing. An administrator can add one under Rules.", error=error)
            found.append(
                Estimate(key, label, "mileage", leg.leaves.date(), Money.zero(trip.currency), "self", workings=(why,))
            )
            continue
        day = leg.leaves.date()
        off = to_work.off(leg.start, leg.end, already=taken_off.get(day, Decimal(0))) if to_work else Decimal(0)
        taken_off[day] = taken_off.get(day, Decimal(0)) + off
        worked = mileage(leg.km, rate, driven.get(leg.vehicle, Decimal(0)), leg.passengers, off)
        driven[leg.vehicle] = driven.get(leg.vehicle, Decimal(0)) + max(Decimal(0), leg.km - off)
        steps = [*worked.workings.lines(), say("Distance: {km_by}", km_by=leg.km_by)]
        ticket = Money.of(leg.compared["price"], trip.currency) if leg.compared.get("price") else None
        compared = against_ticket(worked.amount, leg.km, Decimal(book.policy.drive_km), ticket)
        reasoned = any(i.endswith(f"@{key}") for i in explained)
        amount = worked.amount if reasoned else compared.allowed
        if ticket is not None:
            steps += [say("{way} costs {ticket}", way=leg.compared["way"], ticket=ticket), *compared.workings.lines()]
            steps += (
                [say("A reason was given: the drive counts in full")] if reasoned and compared.over.minor > 0 else []
            )
        found.append(
            Estimate(key, label, "mileage", leg.leaves.date(), amount, "self", ride=(leg.origin["town"], leg.target["town"]),
                     by=leg.mode, one_way_km=leg.km, ticket=ticket, drive=worked.amount, workings=tuple(steps))
        )  # fmt: skip
    return found
