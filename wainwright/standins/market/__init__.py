"""A market of made-up suppliers between real places; the same question always gets the same answer.

It keeps nothing: every offer can be worked out again from its key, every reference follows from the
hold's own key, so that whatever is repeated after a broken line is the same hold, the same ticket.
"""

from __future__ import annotations

import hashlib
from dataclasses import replace
from datetime import date, datetime, timedelta
from decimal import Decimal

from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.formats.places import airport_of, town
from wainwright.formats.places import place as place_of
from wainwright.ports.market import (
    CardRefused,
    CarOffer,
    CarQuery,
    Hold,
    MarketError,
    NotYet,
    Offer,
    Query,
    SeatPlan,
    SoldOut,
    StayOffer,
    StayQuery,
)
from wainwright.standins.market import cabins
from wainwright.standins.market.air import flights
from wainwright.standins.market.cars import cars
from wainwright.standins.market.lines import rides
from wainwright.standins.market.moods import answer
from wainwright.standins.market.rooms import rooms

GONE = say("This is no longer on offer. Search again.")


class Standin:
    """The market stand-in."""

    def search(self, query: Query) -> list[Offer]:
        """Return a day's ways by air, rail, ferry and coach; nothing for a day that has passed."""
        moods = answer()
        if query.day < query.today:
            return []
        found: list[Offer] = []
        one, other = airport_of(query.origin), airport_of(query.target)
        if one is not None and other is not None and one.code != other.code:
            found += flights(one.code, other.code, query.day, query.today, query.currency)
        found += rides(_town(query.origin), _town(query.target), query.day, query.today, query.currency)
        if "nonsense" in moods and found:
            found += _nonsense(found[0])
        return found

    def offer(self, key: str) -> Offer:
        """Work an offer out again from its key ("air/ORK/BGO/2026-10-12/2026-09-01/EUR/7/1")."""
        answer()
        try:
            kind, origin, target, day, today, currency, _, _ = key.split("/")
            when = (date.fromisoformat(day), date.fromisoformat(today), currency)
            found = flights(origin, target, *when) if kind == "air" else rides(_known(origin), _known(target), *when)
            return next(offer for offer in found if offer.key == key)
        except (ValueError, StopIteration) as error:
            raise MarketError(GONE) from error

    def cars(self, query: CarQuery) -> list[CarOffer]:
        """Return cars by company and class."""
        answer()
        if query.since.date() < query.today:
            return []
        return list(cars(query.place.code, query.since, query.back.code, query.until, query.today, query.currency))

    def car(self, key: str) -> CarOffer:
        """Work a car out again from its key."""
        answer()
        try:
            _, code, since, back, until, today, currency, _ = key.split("/")
            found = cars(
                code, datetime.fromisoformat(since), back, datetime.fromisoformat(until), date.fromisoformat(today), currency
            )  # fmt: skip
            return next(car for car in found if car.key == key)
        except (ValueError, StopIteration) as error:
            raise MarketError(GONE) from error

    def stays(self, query: StayQuery) -> list[StayOffer]:
        """Return the rooms of a town, those that are full too (``rooms_left`` 0)."""
        answer()
        if query.first < query.today:
            return []
        return list(rooms(_town(query.place).code, query.first, query.nights, query.today, query.currency))

    def stay(self, key: str) -> StayOffer:
        """Work a room out again from its key."""
        answer()
        try:
            _, code, first, nights, today, currency, _ = key.split("/")
            found = rooms(code, date.fromisoformat(first), min(int(nights), 60), date.fromisoformat(today), currency)
            return next(room for room in found if room.key == key)
        except (ValueError, StopIteration) as error:
            raise MarketError(GONE) from error

    def seats(self, key: str, hop: int) -> SeatPlan | None:
        """Return the seats of one hop, where the fare gives a plan."""
        offer = self.offer(key)
        if offer.seats != "map" or not 0 <= hop < len(offer.hops):
            return None
        one = offer.hops[hop]
        return cabins.plan(one.craft, f"{one.number} {one.leaves}")

    def hold(self, keys: tuple[str, ...], traveller: str, once: str) -> Hold:
        """Hold things at their price; the reference follows from ``once``, so a repeat is the same hold."""
        moods = answer()
        if "sold_out" in moods:
            raise SoldOut(say("It was sold out a moment ago. Search again for what is left."))
        prices = [self._price(key) for key in keys]
        price = prices[0]
        for other in prices[1:]:
            price = price + other
        if "dearer" in moods:
            price = price.times(Decimal("1.07"))
        return Hold(hashlib.sha256(once.encode()).hexdigest()[:6].upper(), price)

    def _price(self, key: str) -> Money:
        if key.startswith("car/"):
            return self.car(key).price
        if key.startswith("stay/"):
            room = self.stay(key)
            if not room.rooms_left:
                raise SoldOut(say("{name} has no room left for these nights.", name=room.name))
            return room.price
        return self.offer(key).price

    def price_now(self, reference: str, price: Money) -> Money:
        """Return the price of a hold, which stays unless the mood says otherwise."""
        return price.times(Decimal("1.12")) if "rises_later" in answer() else price

    def confirm(self, reference: str, card: str) -> None:
        """Accept every confirmation on a card, unless the mood says otherwise."""
        if "card_refused" in answer():
            raise CardRefused(
                say("The card ending {card} was refused.", card=card) if card else say("The card was refused.")
            )

    def ticket(self, reference: str) -> str:
        """Return the ticket number that follows from the reference."""
        if "ticket_late" in answer():
            raise NotYet(say("The ticket is not issued yet."))
        digits = int(hashlib.sha256(f"ticket {reference}".encode()).hexdigest(), 16) % 10**10
        return f"704-{digits:010d}"

    def take_seats(self, reference: str, seats: tuple[str, ...]) -> None:
        """Take every wish."""
        answer()

    def cancel(self, reference: str) -> None:
        """Take every cancellation, again and again."""
        answer()


def _known(code: str) -> Place:
    found = place_of(code)
    if found is None:
        raise ValueError(f"no place {code}")
    return found


def _town(at: Place) -> Place:
    """The town of a place, for what does not fly; the place itself where its town is not known."""
    return (town(at.town, at.country) or at) if len(at.code) == 3 else at


def _nonsense(offer: Offer) -> list[Offer]:
    """Answers that cannot be: one that lands before it leaves, one for nothing, one with a torn way."""
    first = offer.hops[0]
    backwards = replace(first, arrives=first.leaves - timedelta(hours=3))
    return [
        replace(offer, key=offer.key + "9", hops=(backwards,)),
        replace(offer, key=offer.key + "8", price=Money.zero(offer.price.currency)),
        replace(offer, key=offer.key + "7", hops=(first, first)),
    ]
