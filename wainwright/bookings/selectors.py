"""Reads about ways on offer and bookings."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from zoneinfo import ZoneInfo

from wainwright.core.fares import Asked, Way, alternatives, yardstick
from wainwright.core.journey import Place
from wainwright.core.money import Money, total
from wainwright.errors import Refusal
from wainwright.outside import service
from wainwright.ports.market import MarketError, Offer, Query


def way_of(offer: Offer) -> Way:
    """Return an offer as the yardstick sees it."""
    first, last = offer.hops[0], offer.hops[-1]
    return Way(
        offer.key, offer.price, first.leaves.replace(tzinfo=ZoneInfo(first.origin.zone)),
        last.arrives.replace(tzinfo=ZoneInfo(last.target.zone)), len(offer.hops) - 1, offer.cabin, offer.contracted,
    )  # fmt: skip


@dataclass(frozen=True)
class OnOffer:
    """One way, its yardstick, and by how much it is over."""

    offer: Offer
    yardstick: Money
    yardstick_key: str
    over: Money


def ways(origin: Place, target: Place, day: date, today: date, currency: str) -> list[OnOffer]:
    """Return a day's ways with the yardstick of each, the cheapest first. Raises ``Refusal``."""
    try:
        offers = service("market").search(Query(origin, target, day, today, currency))
    except MarketError as error:
        raise Refusal(str(error)) from error
    as_ways = [way_of(offer) for offer in offers]
    found = []
    for offer, way in zip(offers, as_ways, strict=True):
        measure = yardstick(way, as_ways, Asked())
        found.append(OnOffer(offer, measure.price, measure.key, offer.price - measure.price))
    return sorted(found, key=lambda each: (each.offer.price.amount, each.offer.leaves))


@dataclass(frozen=True)
class Chosen:
    """Ways chosen together, measured against their yardsticks, with the cheaper ones as evidence."""

    offers: tuple[Offer, ...]
    price: Money
    cheapest: Money
    alternatives: list[dict[str, str]]

    @property
    def keys(self) -> tuple[str, ...]:
        """The keys of the offers."""
        return tuple(offer.key for offer in self.offers)

    @property
    def label(self) -> str:
        """What the booking is called."""
        hops = self.offers[0].hops
        back = " and back" if len(self.offers) > 1 else ""
        return f"Flight {hops[0].origin.town} – {hops[-1].target.town}{back}"[:160]

    @property
    def conditions(self) -> str:
        """The conditions of every part in one sentence each."""
        return " ".join(dict.fromkeys(conditions_of(offer) for offer in self.offers))

    @property
    def carbon_kg(self) -> int:
        """The carbon of all parts."""
        return sum(offer.carbon_kg for offer in self.offers)


def conditions_of(offer: Offer) -> str:
    """Say the conditions of a fare in words."""
    bags = "no bag" if not offer.bags else "1 bag" if offer.bags == 1 else f"{offer.bags} bags"
    refund = "refundable" if offer.refundable else "not refundable"
    change = "can be changed" if offer.changeable else "cannot be changed"
    return f"{offer.fare}: {bags}, {refund}, {change}."


def chosen(keys: list[str], today: date, currency: str) -> Chosen:
    """Return the offers of ``keys`` together with their yardsticks. Raises ``Refusal`` for what is no longer on offer."""
    market = service("market")
    offers, cheapest, evidence = [], [], []
    for key in keys:
        try:
            offer = market.offer(key)
            first, last = offer.hops[0], offer.hops[-1]
            day = market.search(Query(first.origin, last.target, offer.leaves.date(), today, currency))
        except MarketError as error:
            raise Refusal(str(error)) from error
        if offer.price.currency != currency or key not in {each.key for each in day}:
            raise Refusal("This fare is no longer on offer. Search again.")
        as_ways = [way_of(each) for each in day]
        by_key = {each.key: each for each in day}
        choice = way_of(offer)
        cheapest.append(yardstick(choice, as_ways, Asked()).price)
        for way in alternatives(choice, as_ways, Asked()):
            other = by_key[way.key]
            evidence.append(
                {"way": f"{other.carrier} {other.leaves:%a %H:%M}–{other.arrives:%H:%M}", "price": str(way.price)}
            )
        offers.append(offer)
    return Chosen(tuple(offers), total((o.price for o in offers), currency), total(cheapest, currency), evidence[:6])
