"""Hire cars by class, from made-up companies."""

from __future__ import annotations

import math
import random
from datetime import date, datetime
from functools import lru_cache

from wainwright.formats.places import place as place_of
from wainwright.ports.market import CarOffer
from wainwright.standins.market.air import in_currency

COMPANIES = (("Harbour Hire", 1.0), ("Kestrel Cars", 0.9), ("Drumlin Motors", 1.15))
# Class, euros a day, seats, electric.
KINDS = (
    ("small", 34.0, 4, False), ("compact", 42.0, 5, False), ("electric", 49.0, 5, True), ("estate", 58.0, 5, False),
    ("van", 76.0, 3, False),
)  # fmt: skip


@lru_cache(maxsize=256)
def cars(
    code: str, since: datetime, back: str, until: datetime, today: date, currency: str
) -> tuple[CarOffer, ...]:  # fmt: skip
    """Return cars from a place at an hour until another, dearer the later they are asked for."""
    start, end = place_of(code), place_of(back)
    if start is None or end is None or until <= since:
        return ()
    days = max(1, math.ceil((until - since).total_seconds() / 86400))
    late = 1 + 0.6 * math.exp(-max(0, (since.date() - today).days) / 8)
    found = []
    for number, (company, dear) in enumerate(COMPANIES):
        load = random.Random(f"{company}{code}{since.date()}")
        for index, (kind, euros, seats, electric) in enumerate(KINDS):
            a_day = in_currency(euros * dear * late * load.uniform(0.9, 1.2), currency)
            one_way = in_currency(0 if start.town == end.town else 85, currency)
            key = f"car/{code}/{since:%Y-%m-%dT%H:%M}/{back}/{until:%Y-%m-%dT%H:%M}/{today}/{currency}/{number}.{index}"
            refund = in_currency(15 if number else 0, currency)
            found.append(
                CarOffer(key, company, kind, seats, electric, start, since, end, until, a_day.times(days) + one_way, a_day, one_way,
                         refund, number == 0 and index == 1)
            )  # fmt: skip
    return tuple(found)
