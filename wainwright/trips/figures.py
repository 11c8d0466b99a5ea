"""From a trip's rows to the core's values and back to figures: the one place where that happens."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from wainwright.bookings.models import Booking
from wainwright.core.advance import proposed_advance
from wainwright.core.allowance import Allowance, NightAllowed, NoRate, allowed_night, daily_allowance
from wainwright.core.journey import Journey, Meal, Mode, Place
from wainwright.core.journey import Leg as CoreLeg
from wainwright.core.journey import Night as CoreNight
from wainwright.core.money import Money, total
from wainwright.core.rules import Item, Subject
from wainwright.core.workings import Figure, Step, Workings
from wainwright.people.models import Firm
from wainwright.rulebook.selectors import Rulebook
from wainwright.trips.models import Leg, Night, OtherCost, Trip

CATEGORY_OF_MODE = {
    Mode.AIR: "air", Mode.RAIL: "transit", Mode.FERRY: "ferry", Mode.COACH: "transit", Mode.HIRE_CAR: "hire",
    Mode.OWN_CAR: "mileage", Mode.TAXI: "taxi", Mode.ON_FOOT: "transit",
}  # fmt: skip


@dataclass(frozen=True)
class Estimate:
    """One expected cost."""

    key: str
    label: str
    category: str
    day: date | None
    amount: Money
    paid_by: str
    cheapest: Money | None = None


@dataclass(frozen=True)
class TripFigures:
    """Everything that follows from a plan."""

    journey: Journey
    allowance: Allowance
    nights: tuple[NightAllowed, ...]
    estimates: tuple[Estimate, ...]
    proposed_advance: Figure
    fault: str = ""

    def sum(self, *paid_by: str) -> Money:
        """What the estimates of some payers come to."""
        currency = self.allowance.amount.currency
        return total((e.amount for e in self.estimates if not paid_by or e.paid_by in paid_by), currency)

    @property
    def total(self) -> Money:
        """The whole trip: estimates and allowance."""
        return self.sum() + self.allowance.amount

    def by_category(self, names: dict[str, str]) -> list[tuple[str, Money]]:
        """The estimates by category, in words."""
        sums: dict[str, Money] = {}
        for each in self.estimates:
            name = names.get(each.category, each.category)
            sums[name] = sums[name] + each.amount if name in sums else each.amount
        return list(sums.items())


def journey_of(legs: Iterable[Leg], nights: Iterable[Night], supplied: Iterable[str]) -> Journey:
    """Build the core's journey. Raises ``ValueError`` where legs overlap."""
    marks = set()
    for mark in supplied:
        day, _, meal = mark.partition(":")
        marks.add((date.fromisoformat(day), Meal(meal)))
    return Journey(
        tuple(CoreLeg(leg.start, leg.end, Mode(leg.mode), leg.leaves, leg.arrives, f"leg:{leg.pk}") for leg in legs),
        tuple(CoreNight(n.date, Place(**n.place), n.name, n.supplied) for n in nights),
        frozenset(marks),
    )


def earned(
    journey: Journey, nights: Iterable[Night], book: Rulebook, currency: str
) -> tuple[Allowance, tuple[NightAllowed, ...], str]:
    """Return the allowance, the nights against their ceilings, and the fault where a place has no rate (else "")."""
    costs = {n.date: Money.from_minor(n.cost_minor, currency) for n in nights}
    try:
        allowance = daily_allowance(journey, book.scheme, book.rates, currency)
        allowed = tuple(allowed_night(n, costs[n.date], book.scheme, book.rates) for n in journey.nights)
    except NoRate as error:
        fault = f"There is {error}. An administrator can add one under Rules."
        return Allowance((), Money.zero(currency), Workings("Daily allowance", (Step(fault),))), (), fault
    return allowance, allowed, ""


def figures(
    trip: Trip, book: Rulebook, legs: list[Leg], nights: list[Night], others: list[OtherCost], bookings: list[Booking]
) -> TripFigures:
    """Work out a plan's figures. A place without a rate is a fault in words, and earns nothing until mended."""
    currency = trip.currency
    journey = journey_of(legs, nights, trip.supplied)
    allowance, allowed, fault = earned(journey, nights, book, currency)
    estimates = _estimates(currency, legs, nights, others, bookings)
    own = total((e.amount for e in estimates if e.paid_by == "self"), currency)
    advance = proposed_advance(own + allowance.amount, book.policy.advance_percent, book.policy.advance_unit)
    return TripFigures(journey, allowance, allowed, tuple(estimates), advance, fault)


def _estimates(
    currency: str, legs: list[Leg], nights: list[Night], others: list[OtherCost], bookings: list[Booking]
) -> list[Estimate]:
    def money(minor: int) -> Money:
        return Money.from_minor(minor, currency)

    found = [
        Estimate(f"booking:{b.pk}", b.label, "air", b.departure.date(), b.price, "firm", b.cheapest)
        for b in bookings
        if b.stands
    ]
    for leg in legs:
        if leg.booking_id is None and leg.estimate_minor:
            category = CATEGORY_OF_MODE[Mode(leg.mode)]
            label = f"{leg.mode.capitalize()} {leg.origin['town']} – {leg.target['town']}"
            found.append(
                Estimate(f"leg:{leg.pk}", label, category, leg.leaves.date(), money(leg.estimate_minor), leg.paid_by)
            )
    for night in nights:
        if night.cost_minor and not night.supplied:
            label = night.name or f"Night in {night.place['town']}"
            key = f"night:{night.date.isoformat()}"
            found.append(Estimate(key, label, "lodging", night.date, money(night.cost_minor), night.paid_by))
    for other in others:
        found.append(
            Estimate(f"other:{other.pk}", other.label, other.category, None, money(other.amount_minor), other.paid_by)
        )
    return found


def plan_subject(
    trip: Trip, firm: Firm, book: Rulebook, done: TripFigures, today: date, card_expires: date | None
) -> Subject:
    """Return the plan as rules see it."""
    start = trip.starts or today
    items = tuple(
        Item(
            e.key, e.label, e.category, e.day or start, e.amount, e.paid_by,  # type: ignore[arg-type]
            cheapest=e.cheapest, needs_evidence=False, nights=(e.day,) if e.key.startswith("night:") and e.day else (),
        )
        for e in done.estimates
    )  # fmt: skip
    abroad = any(night.place.country != firm.country for night in done.journey.nights)
    return Subject(
        trip.subject, "plan", today, trip.currency, items, done.nights, starts=trip.starts, ends=trip.ends,
        trip_state=trip.state, abroad=abroad, card_expires=card_expires, names=book.names,
    )  # fmt: skip
