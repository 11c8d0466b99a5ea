"""A plan as the rules see it, and what on it calls for special permissions."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from functools import cache

import holidays

from wainwright.bookings.models import Booking
from wainwright.core.journey import Journey, Meal, Mode
from wainwright.core.permissions import Cause
from wainwright.core.rules import Item, Subject
from wainwright.core.said import say
from wainwright.people.models import Firm
from wainwright.rulebook.selectors import Rulebook
from wainwright.trips.figures import Estimate, TripFigures, b_key
from wainwright.trips.models import Leg, Night, Trip


@cache
def _holidays(country: str, year: int) -> dict[date, str]:
    try:
        return dict(holidays.country_holidays(country, years=year))
    except NotImplementedError:
        return {}


def holidays_between(country: str, first: date | None, last: date | None) -> dict[date, str]:
    """Return the public holidays of a country among some days, with their names."""
    if first is None or last is None:
        return {}
    days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    return {day: _holidays(country, day.year)[day] for day in days if day in _holidays(country, day.year)}


def item_of(e: Estimate, start: date) -> Item:
    """Return an estimate as rules see it."""
    return Item(
        e.key, e.label, e.category, e.day or start, e.drive or e.amount, e.paid_by,  # type: ignore[arg-type]
        cheapest=e.cheapest, needs_evidence=False, nights=(e.day,) if e.key.startswith("night:") and e.day else (),
        cabin=e.cabin, contract_passed=e.contract_passed, ride=e.ride, by=e.by, one_way_km=e.one_way_km, ticket=e.ticket,
    )  # fmt: skip


def hosted(journey: Journey, nights: Sequence[Night]) -> list[date]:
    """Return the days with a meal that a host supplies; a breakfast in the price of a booked room is proved by its bill."""
    rooms = {night.date + timedelta(days=1) for night in nights if night.booking_id}
    return sorted({day for day, meal in journey.supplied if not (meal == Meal.BREAKFAST and day in rooms)})


def plan_subject(
    trip: Trip, firm: Firm, book: Rulebook, done: TripFigures, today: date, card_expires: date | None,
    papers: frozenset[str] = frozenset(), advances_out: int = 0, more: Sequence[Item] = (), nights: Sequence[Night] = (),
) -> Subject:  # fmt: skip
    """Return the plan as rules see it; ``more`` are items that are only thought of, such as a choice not yet held."""
    start = trip.starts or today
    items = tuple(item_of(e, start) for e in done.estimates if not e.key.startswith(("lost:", "sum:")))
    abroad = any(night.place.country != firm.country for night in done.journey.nights)
    return Subject(
        trip.subject, "plan", today, trip.currency, (*items, *more), done.nights, starts=trip.starts, ends=trip.ends,
        trip_state=trip.state, abroad=abroad, meals_supplied=bool(hosted(done.journey, nights)), card_expires=card_expires, names=book.names, papers=papers,
        advances_out=advances_out, holidays=holidays_between(firm.country, trip.starts, trip.ends), quarters=done.quarters,
    )  # fmt: skip


def causes(
    legs: Sequence[Leg], nights: Sequence[Night], bookings: Sequence[Booking], done: TripFigures, book: Rulebook
) -> list[Cause]:
    """Return what on the plan calls for a special permission."""
    found = [
        Cause("hire-car", b_key(b), say("{b_label} at {price}", b_label=b.label, price=b.price))
        for b in bookings
        if b.stands and b.kind == "car"
    ]
    if not found:
        found += [
            Cause(
                "hire-car",
                f"leg:{leg.pk}",
                say("Hire car {town} – {town_2}", town=leg.origin["town"], town_2=leg.target["town"]),
            )
            for leg in legs
            if leg.mode == Mode.HIRE_CAR
        ]
    for night in nights:
        key = f"night:{night.date.isoformat()}"
        if night.lifted:
            found.append(
                Cause(
                    "ceiling",
                    key,
                    say(
                        "{night} at {money} a night", night=night.name or night.place["town"], money=_money(night, done)
                    ),
                )
            )
        if key in done.quarters:
            found.append(
                Cause(
                    "outside-quarters",
                    key,
                    say(
                        "{night} instead of {quarters}",
                        night=night.name or night.place["town"],
                        quarters=done.quarters[key],
                    ),
                )
            )
    limit = book.policy.drive_km
    found += [
        Cause(
            "long-drive",
            e.key,
            say(
                "{e_label}, {one_way_km} km, {drive} instead of {ticket}",
                e_label=e.label,
                one_way_km=e.one_way_km,
                drive=e.drive,
                ticket=e.ticket,
            ),
        )
        for e in done.estimates
        if e.one_way_km is not None and e.one_way_km > limit and e.ticket is not None and e.drive and e.drive > e.ticket
    ]
    found += [
        Cause("cabin", b_key(b), say("{b_label} in {cabin}", b_label=b.label, cabin=b.cabin)) for b in bookings if b.stands and b.cabin in ("premium", "business")
    ]  # fmt: skip
    return found


def _money(night: Night, done: TripFigures) -> str:
    return next((str(n.cost) for n in done.nights if n.night.date == night.date), "")
