"""A market of made-up carriers between real airports; the same question always gets the same answer."""

from __future__ import annotations

import hashlib
import itertools
import math
import random
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from functools import lru_cache
from zoneinfo import ZoneInfo

from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.formats.places import place
from wainwright.ports.market import Hold, Hop, MarketError, Offer, Query

CARRIERS = (("Skerry Air", "SK", 1.08), ("Norland", "NL", 0.88), ("Hebrid", "HB", 1.3), ("Petrel", "PT", 1.5))
HUBS = ("EDI", "ABZ", "AMS", "CPH", "LHR", "OSL", "DUB", "MAN")
# A fare family: name, price factor, bags, refundable, changeable.
FARES = (("Hand luggage", 0.9, 0, False, False), ("Bag and change", 1.0, 1, False, True), ("Open", 1.12, 1, True, True))
# Units of a currency for one euro, for pricing only; the firm's own table converts money.
PER_EURO = {"EUR": 1.0, "NOK": 11.6, "GBP": 0.87, "SEK": 11.2, "DKK": 7.46}
WAYS_PER_DAY = 12
LEAST_CONNECTION = timedelta(minutes=50)


def great_circle_km(one: Place, other: Place) -> float:
    """Return the distance over the globe in km."""
    lat1, lon1, lat2, lon2 = map(math.radians, (one.lat, one.lon, other.lat, other.lon))
    half = math.sin((lat2 - lat1) / 2) ** 2 + math.cos(lat1) * math.cos(lat2) * math.sin((lon2 - lon1) / 2) ** 2
    return 12742 * math.asin(math.sqrt(half))


def _flight_time(km: float) -> timedelta:
    return timedelta(minutes=5 * round((35 + km / 12.5) / 5))


class Standin:
    """The market stand-in; keeps nothing, since every offer can be worked out again from its key."""

    def search(self, query: Query) -> list[Offer]:
        """Return a day's ways, or nothing where the places are too close to fly."""
        if query.day < query.today:
            return []
        return list(_day(query.origin.code, query.target.code, query.day, query.today, query.currency))

    def offer(self, key: str) -> Offer:
        """Work an offer out again from its key ("ORK-BGO-2026-10-12-2026-09-01-EUR-7")."""
        try:
            origin, target, rest = key.split("-", 2)
            day, today = date.fromisoformat(rest[:10]), date.fromisoformat(rest[11:21])
            currency, number = rest[22:].split("-")
            return _day(origin, target, day, today, currency)[int(number)]
        except (ValueError, IndexError) as error:
            raise MarketError("This fare is no longer on offer. Search again.") from error

    def hold(self, keys: tuple[str, ...], traveller: str, once: str) -> Hold:
        """Hold offers at their price; the reference follows from ``once``, so a repeat is the same hold."""
        offers = [self.offer(key) for key in keys]
        price = offers[0].price
        for offer in offers[1:]:
            price = price + offer.price
        return Hold(hashlib.sha256(once.encode()).hexdigest()[:6].upper(), price)

    def confirm(self, reference: str) -> None:
        """Accept every confirmation."""

    def ticket(self, reference: str) -> str:
        """Return the ticket number that follows from the reference."""
        digits = int(hashlib.sha256(f"ticket {reference}".encode()).hexdigest(), 16) % 10**10
        return f"704-{digits:010d}"


@lru_cache(maxsize=512)
def _day(origin: str, target: str, day: date, today: date, currency: str) -> tuple[Offer, ...]:
    start, end = place(origin), place(target)
    if start is None or end is None or len(origin) != 3 or len(target) != 3:
        raise MarketError("Flights need an airport at both ends. Choose airports.")
    km = great_circle_km(start, end)
    if km < 60:
        return ()
    # The schedule is the same every week; the load differs from day to day.
    schedule = random.Random(f"{origin}{target}{day.weekday()}")
    load = random.Random(f"{origin}{target}{day}")
    hubs = [hub for code in HUBS if code not in (origin, target) and (hub := place(code))]
    hubs.sort(key=lambda hub: great_circle_km(start, hub) + great_circle_km(hub, end))
    offers = []
    for number in range(WAYS_PER_DAY):
        minutes = 6 * 60 + number * 75 + schedule.randrange(0, 60, 5)
        leaves = datetime.combine(day, datetime.min.time()) + timedelta(minutes=minutes)
        carrier = schedule.choice(CARRIERS)
        direct = schedule.random() < (0.35 if km < 900 else 0.18)
        via = None if direct else hubs[schedule.randrange(0, 3)]
        hops = _hops(start, end, via, leaves, carrier[1], number, schedule)
        fare = schedule.choice(FARES)
        ahead = max(0, (day - today).days)
        late = 1 + 0.9 * math.exp(-ahead / 9)
        euros = (55 + km * 0.075) * carrier[2] * fare[1] * late * load.uniform(0.82, 1.25) * (1.25 if direct else 1.0)
        contracted = schedule.random() < 0.12
        if contracted:
            euros *= 0.85
        price = Money.rounded(Decimal(round(euros * PER_EURO.get(currency, 1.0))), currency)
        flown = sum(great_circle_km(hop.origin, hop.target) for hop in hops)
        offers.append(
            Offer(
                f"{origin}-{target}-{day}-{today}-{currency}-{number}",
                carrier[0],
                hops,
                price,
                fare[0],
                fare[2],
                fare[3],
                fare[4],
                "economy",
                contracted,
                round(flown * 0.09 + 12 * len(hops)),
            )
        )
    return tuple(offers)


def _hops(
    start: Place, end: Place, via: Place | None, leaves: datetime, code: str, number: int, rng: random.Random
) -> tuple[Hop, ...]:
    stops = [start, via, end] if via else [start, end]
    hops, local = [], leaves
    for index, (one, other) in enumerate(itertools.pairwise(stops)):
        moment = local.replace(tzinfo=ZoneInfo(one.zone)).astimezone(UTC) + _flight_time(great_circle_km(one, other))
        arrives = moment.astimezone(ZoneInfo(other.zone)).replace(tzinfo=None)
        hops.append(Hop(f"{code}{300 + number * 10 + index}", one, other, local, arrives))
        local = arrives + LEAST_CONNECTION + timedelta(minutes=rng.randrange(0, 95, 5))
    return tuple(hops)
