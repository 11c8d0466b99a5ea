"""Flights of made-up carriers between real airports: a schedule by the day of the week, prices by the day and the load."""

from __future__ import annotations

import itertools
import math
import random
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from functools import lru_cache
from zoneinfo import ZoneInfo

from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.formats.places import place
from wainwright.ports.market import Hop, Offer

# Name, code, how dear, whether it gives a seat plan.
CARRIERS = (
    ("Skerry Air", "SK", 1.08, "map"), ("Norland", "NL", 0.88, "map"), ("Hebrid", "HB", 1.3, "wish"), ("Petrel", "PT", 1.5, "map"),
)  # fmt: skip
HUBS = ("EDI", "ABZ", "AMS", "CPH", "LHR", "OSL", "DUB", "MAN")
# A fare: name, price factor, bags, refund fee and change fee as shares of the price (None: not possible), cabin.
FARES = (
    ("Hand luggage", 0.9, 0, None, None, "economy"),
    ("Bag and change", 1.05, 1, None, 0.25, "economy"),
    ("Open", 1.35, 1, 0.0, 0.0, "economy"),
    ("Front cabin", 2.6, 2, 0.0, 0.0, "business"),
)
# Units of a currency for one euro, for pricing only; the firm's own table converts money.
PER_EURO = {"EUR": 1.0, "NOK": 11.6, "GBP": 0.87, "SEK": 11.2, "DKK": 7.46}
WAYS_PER_DAY = 14
BAG_EUROS = 28
LEAST_CONNECTION = timedelta(minutes=50)
LEAST_KM = 60
# Aircraft by the length of a hop in km.
CRAFTS = ((700, "turboprop"), (2500, "narrow"), (99999, "wide"))


def flight_time(km: float) -> timedelta:
    """Return the time of a hop in steps of five minutes."""
    return timedelta(minutes=5 * round((35 + km / 12.5) / 5))


def in_currency(euros: float, currency: str) -> Money:
    """Return a price in whole units of a currency."""
    return Money.rounded(Decimal(round(euros * PER_EURO.get(currency, 1.0))), currency)


@lru_cache(maxsize=512)
def flights(origin: str, target: str, day: date, today: date, currency: str) -> tuple[Offer, ...]:
    """Return a day's flights between two airports by code, each at each fare."""
    start, end = place(origin), place(target)
    if start is None or end is None or great_circle_km(start, end) < LEAST_KM:
        return ()
    km = great_circle_km(start, end)
    # The schedule is the same every week; the load differs from day to day.
    schedule = random.Random(f"{origin}{target}{day.weekday()}")
    load = random.Random(f"{origin}{target}{day}")
    hubs = [hub for code in HUBS if code not in (origin, target) and (hub := place(code))]
    hubs.sort(key=lambda hub: great_circle_km(start, hub) + great_circle_km(hub, end))
    late = 1 + 0.9 * math.exp(-max(0, (day - today).days) / 9)
    offers: list[Offer] = []
    for number in range(WAYS_PER_DAY):
        minutes = 6 * 60 + number * 65 + schedule.randrange(0, 60, 5)
        leaves = datetime.combine(day, datetime.min.time()) + timedelta(minutes=minutes)
        carrier = schedule.choice(CARRIERS)
        direct = schedule.random() < (0.35 if km < 900 else 0.18)
        via = None if direct else hubs[schedule.randrange(0, 3)]
        hops = _hops(start, end, via, leaves, carrier[1], number, schedule)
        euros = (55 + km * 0.075) * carrier[2] * late * load.uniform(0.82, 1.25) * (1.25 if direct else 1.0)
        contracted, left = schedule.random() < 0.12, load.randrange(1, 10)
        key = f"air/{origin}/{target}/{day}/{today}/{currency}/{number}"
        offers += [
            _offer(key, n, carrier, hops, euros * (0.85 if contracted and n == 1 else 1.0), contracted and n == 1, left, currency)
            for n in range(len(FARES))
        ]  # fmt: skip
    return tuple(offers)


def _offer(
    key: str, number: int, carrier: tuple[str, str, float, str], hops: tuple[Hop, ...], euros: float, contracted: bool,
    left: int, currency: str,
) -> Offer:  # fmt: skip
    name, factor, bags, refund, change, cabin = FARES[number]
    price = in_currency(euros * factor, currency)

    def fee(share: float | None) -> Money | None:
        return None if share is None else in_currency(euros * factor * share, currency)

    seats = "none" if number == 0 and carrier[3] == "wish" else carrier[3]
    return Offer(
        f"{key}/{number}", carrier[0], hops, price, name, bags, in_currency(BAG_EUROS, currency), fee(refund), fee(change),
        seats, cabin, contracted, left,
    )  # fmt: skip


def _hops(
    start: Place, end: Place, via: Place | None, leaves: datetime, code: str, number: int, rng: random.Random
) -> tuple[Hop, ...]:
    stops = [start, via, end] if via else [start, end]
    hops, local = [], leaves
    for index, (one, other) in enumerate(itertools.pairwise(stops)):
        km = great_circle_km(one, other)
        moment = local.replace(tzinfo=ZoneInfo(one.zone)).astimezone(UTC) + flight_time(km)
        arrives = moment.astimezone(ZoneInfo(other.zone)).replace(tzinfo=None)
        craft = next(name for most, name in CRAFTS if km <= most)
        hops.append(Hop(f"{code}{300 + number * 10 + index}", one, other, local, arrives, craft=craft))
        local = arrives + LEAST_CONNECTION + timedelta(minutes=rng.randrange(0, 95, 5))
    return tuple(hops)
