"""Reads about what is on offer and what is booked."""

from __future__ import annotations

from datetime import date

from wainwright.bookings.choices import (
    Choice,
    Measured,
    choose_car,
    choose_stay,
    choose_ways,
    measure,
    measure_one,
)
from wainwright.bookings.market import ask, sane_car, sane_seats, sane_stay, sane_way
from wainwright.core.fares import Asked
from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.core.said import as_figure, joined, said_by, say
from wainwright.errors import Refusal
from wainwright.ports.market import CarOffer, CarQuery, MarketError, Offer, Query, SeatPlan, StayOffer, StayQuery

GONE = say("This is no longer on offer. Search again.")


def offers_of(origin: Place, target: Place, day: date, today: date, currency: str) -> list[Offer]:
    """Return a day's ways that can be true. Raises ``Refusal`` where the market says no."""
    try:
        found = _listed(ask("search", Query(origin, target, day, today, currency)))
    except MarketError as error:
        raise Refusal(said_by(error)) from error
    return [offer for offer in found if sane_way(offer, currency)]


def _listed(answer: object) -> list:
    if not isinstance(answer, list):
        raise MarketError(say("The market's answer made no sense. Try again in a while."))
    return answer


def ways(
    origin: Place, target: Place, day: date, today: date, currency: str, asked: Asked | None = None
) -> list[Measured]:
    """Return a day's ways with the yardstick of each, the cheapest first. Raises ``Refusal``."""
    found = measure(offers_of(origin, target, day, today, currency), asked or Asked())
    return sorted(found, key=lambda each: (each.offer.price.amount, each.offer.leaves))


def chosen(keys: list[str], today: date, currency: str, windows: list[Asked] | None = None) -> Choice:
    """Return the offers of ``keys`` together with their yardsticks. Raises ``Refusal`` for what is no longer on offer."""
    return choose_ways(_measured(keys, today, currency, windows), currency)


def by_carrier(
    keys: list[str], today: date, currency: str, windows: list[Asked] | None = None
) -> tuple[Choice, list[Choice]]:
    """Return the offers of ``keys`` as one choice, and as the bookings that it makes: each carrier's ways are one.

    A way there with one carrier and back with another is two bookings, each with its own conditions and number.
    Raises ``Refusal`` for what is no longer on offer.
    """
    measured = _measured(keys, today, currency, windows)
    carriers: dict[str, list[Measured]] = {}
    for each in measured:
        carriers.setdefault(each.offer.carrier, []).append(each)
    return choose_ways(measured, currency), [choose_ways(ways, currency) for ways in carriers.values()]


def _measured(keys: list[str], today: date, currency: str, windows: list[Asked] | None) -> list[Measured]:
    measured = []
    for number, key in enumerate(keys):
        try:
            offer = ask("offer", key)
            if not sane_way(offer, currency):
                raise MarketError(GONE)
            day = _listed(ask("search", Query(offer.origin, offer.target, offer.leaves.date(), today, currency)))
        except MarketError as error:
            raise Refusal(said_by(error)) from error
        day = [each for each in day if sane_way(each, currency)]
        if key not in {each.key for each in day}:
            raise Refusal(GONE)
        asked = windows[number] if windows and number < len(windows) else Asked()
        measured.append(measure_one(offer, day, asked))
    return measured


def cars(query: CarQuery) -> list[CarOffer]:
    """Return the cars that can be true, the cheapest first. Raises ``Refusal``."""
    try:
        found = _listed(ask("cars", query))
    except MarketError as error:
        raise Refusal(said_by(error)) from error
    return sorted((c for c in found if sane_car(c, query.currency)), key=lambda c: c.price.amount)


def chosen_car(key: str, today: date, currency: str, seats: int = 1) -> Choice:
    """Return a car as a choice. Raises ``Refusal``."""
    try:
        car = ask("car", key)
        if not sane_car(car, currency):
            raise MarketError(GONE)
    except MarketError as error:
        raise Refusal(said_by(error)) from error
    on_offer = cars(CarQuery(car.place, car.since, car.back, car.until, today, currency))
    if key not in {each.key for each in on_offer}:
        raise Refusal(GONE)
    return choose_car(car, on_offer, seats)


def stays(place: Place, first: date, nights: int, today: date, currency: str) -> list[StayOffer]:
    """Return the rooms that can be true: supplied first, then contracted, then by price. Raises ``Refusal``."""
    try:
        found = _listed(ask("stays", StayQuery(place, first, nights, today, currency)))
    except MarketError as error:
        raise Refusal(said_by(error)) from error
    kept = [stay for stay in found if sane_stay(stay, currency)]
    return sorted(kept, key=lambda s: (not s.supplied, not s.contracted, s.a_night.amount))


def chosen_stay(key: str, today: date, currency: str) -> Choice:
    """Return a room as a choice. Raises ``Refusal`` where it is gone or full."""
    try:
        stay = ask("stay", key)
    except MarketError as error:
        raise Refusal(said_by(error)) from error
    parts = key.split("/")
    if not sane_stay(stay, currency) or len(parts) < 6 or parts[4] != today.isoformat() or parts[5] != currency:
        raise Refusal(GONE)
    if not stay.rooms_left:
        raise Refusal(say("{stay} has no room left for these nights.", stay=stay.name))
    return choose_stay(stay)


def seat_plan(key: str, hop: int) -> SeatPlan | None:
    """Return the seats of one hop, or nothing where there is no plan, or none that can be drawn. Raises ``Refusal``."""
    try:
        found = ask("seats", key, hop)
    except MarketError as error:
        raise Refusal(said_by(error)) from error
    return found if sane_seats(found) else None


def cheapest_that_fits(origin: Place, target: Place, day: date, today: date, currency: str) -> tuple[Money, str] | None:
    """Return price and words of the cheapest economy way of a day, for a comparison; nothing where there is none."""
    try:
        found = [o for o in offers_of(origin, target, day, today, currency) if o.cabin == "economy"]
    except Refusal:
        return None
    best = min(found, key=lambda o: (o.price.amount, o.leaves), default=None)
    return (
        (
            best.price,
            joined("", (best.carrier, " ", as_figure(best.leaves, "%H:%M"), "–", as_figure(best.arrives, "%H:%M"))),
        )
        if best
        else None
    )
