"""Rail, ferry and coach: lines with stops, days and departures from ``lines.csv``, and changes between them."""

from __future__ import annotations

import csv
import math
import random
from bisect import bisect_left, bisect_right
from collections import defaultdict
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cache, lru_cache
from pathlib import Path
from zoneinfo import ZoneInfo

from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Mode, Place
from wainwright.formats.places import town
from wainwright.ports.market import Hop, Offer
from wainwright.standins.market.air import in_currency

CHANGE = timedelta(minutes=15)
MOST_CHANGES = 2
LONGEST = timedelta(hours=40)
# Name, price factor, refund fee and change fee as shares of the price, cabin.
FARES = {
    Mode.RAIL: (("Saver", 1.0, None, 0.1, "economy"), ("Any train", 1.4, 0.0, 0.0, "economy")),
    Mode.FERRY: (("Deck", 1.0, 0.2, 0.1, "economy"),),
    Mode.COACH: (("Seat", 1.0, 0.5, 0.0, "economy"),),
}
_STOP_NAMES = {Mode.RAIL: "station", Mode.FERRY: "quay", Mode.COACH: "coach stop"}


@dataclass(frozen=True, slots=True)
class Line:
    """One line: its stops with the minutes from the first, on which weekdays (1 to 7) and when it starts."""

    mode: Mode
    operator: str
    code: str
    days: frozenset[int]
    departures: tuple[time, ...]
    stops: tuple[tuple[Place, int], ...]
    a_km: float
    sleeper: bool


@cache
def lines() -> tuple[Line, ...]:
    """Return every line. Raises ``LookupError`` for a stop that no open data knows."""
    found = []
    with Path(__file__).with_name("lines.csv").open(encoding="utf-8") as file:
        for row in csv.DictReader(file):
            mode, stops = Mode(row["mode"]), []
            for text in row["stops"].split("|"):
                spot, minutes = text.rsplit(" ", 1)
                name, country = spot.split(":")
                at = town(name, country)
                if at is None:
                    raise LookupError(f"no town {name} in {country}")
                stop = Place(at.code, f"{at.town} {_STOP_NAMES[mode]}", at.town, at.country, at.zone, at.lat, at.lon)
                stops.append((stop, int(minutes)))
            found.append(
                Line(mode, row["operator"], row["code"], frozenset(map(int, row["days"])),
                     tuple(time.fromisoformat(t) for t in row["departures"].split()), tuple(stops), float(row["a_km"]), row["sleeper"] == "yes")
            )  # fmt: skip
    return tuple(found)


def _spot(place: Place) -> tuple[str, str]:
    return place.town.casefold(), place.country


@cache
def _from() -> dict[tuple[str, str], list[tuple[Line, int]]]:
    """Which lines leave from a town, and at which of their stops."""
    found = defaultdict(list)
    for line in lines():
        for index, (stop, _) in enumerate(line.stops[:-1]):
            found[_spot(stop)].append((line, index))
    return found


@lru_cache(maxsize=512)
def _before(target: tuple[str, str]) -> tuple[frozenset[tuple[str, str]], ...]:
    """The towns from which one is reached by no further hop, by one at most, and so on: elsewhere no change leads on."""
    found = [frozenset({target})]
    for _ in range(MOST_CHANGES):
        near = found[-1]
        leads = {
            spot
            for spot, leaving in _from().items()
            if any(_spot(stop) in near for line, index in leaving for stop, _ in line.stops[index + 1 :])
        }
        found.append(near | leads)
    return tuple(found)


@lru_cache(maxsize=256)
def rides(origin: Place, target: Place, day: date, today: date, currency: str) -> tuple[Offer, ...]:
    """Return a day's ways over land and sea between two towns, with at most two changes."""
    if _spot(origin) == _spot(target) or _spot(origin) not in _from():
        return ()
    found: dict[tuple[str, datetime], tuple[Hop, ...]] = {}
    before = _before(_spot(target))
    for hop in _hops_from(origin, datetime.combine(day, time(0)), day):
        if _spot(hop.target) not in before[MOST_CHANGES]:
            continue
        best = _onward((hop,), _spot(target), {_spot(hop.origin)})
        if best is not None:
            key = (hop.number, hop.leaves)
            known = found.get(key)
            if known is None or best[-1].arrives < known[-1].arrives:
                found[key] = best
    kept = _without_slower(list(found.values()))
    offers: list[Offer] = []
    for number, hops in enumerate(kept):
        offers += _offers(number, hops, origin, target, day, today, currency)
    return tuple(offers)


def _without_slower(ways: list[tuple[Hop, ...]]) -> list[tuple[Hop, ...]]:
    """Leave out a way with changes that leaves no later and arrives no earlier than another."""
    ways = sorted(ways, key=lambda hops: (hops[0].leaves, hops[0].number))
    return [
        way
        for way in ways
        if len(way) == 1
        or not any(
            other is not way and other[0].leaves >= way[0].leaves and other[-1].arrives <= way[-1].arrives
            for other in ways
        )
    ]


def _hops_from(place: Place, earliest: datetime, only: date | None = None) -> list[Hop]:
    """Every hop that leaves a town from a local moment on, to each later stop, within a day."""
    moments, hops = _timetable(_spot(place), earliest.date())
    begin, end = bisect_left(moments, earliest), bisect_right(moments, earliest + timedelta(days=1))
    # In the order of the lines, so that of two that arrive together the same one is always taken.
    found = sorted(hops[begin:end], key=lambda numbered: numbered[0])
    return [hop for _, hop in found if only is None or hop.leaves.date() == only]


@lru_cache(maxsize=4096)
def _timetable(spot: tuple[str, str], day: date) -> tuple[list[datetime], list[tuple[int, Hop]]]:
    """What leaves a town around a day by the hour of leaving, each hop with its number in the order of the lines."""
    days = [_runs(spot, day + timedelta(days=ahead)) for ahead in range(-1, 2)]
    numbered = enumerate(hop for lines_of_day in zip(*days, strict=True) for runs in lines_of_day for hop in runs)
    by_hour = sorted(numbered, key=lambda each: (each[1].leaves, each[0]))
    return [hop.leaves for _, hop in by_hour], by_hour


@lru_cache(maxsize=4096)
def _runs(spot: tuple[str, str], day: date) -> tuple[tuple[Hop, ...], ...]:
    """The hops from a town of the runs that begin on a day, line by line: a timetable is worked out once a day."""
    found = []
    for line, index in _from().get(spot, []):
        start, offset = line.stops[index]
        hops: list[Hop] = []
        for number, departure in enumerate(line.departures if day.isoweekday() in line.days else ()):
            first = datetime.combine(day, departure, ZoneInfo(line.stops[0][0].zone)).astimezone(UTC)
            leaves = _local(first + timedelta(minutes=offset), start)
            for stop, minutes in line.stops[index + 1 :]:
                arrives = _local(first + timedelta(minutes=minutes), stop)
                craft = "carriage" if line.mode == Mode.RAIL and not line.sleeper else ""
                hops.append(
                    Hop(f"{line.code}{100 + number * 2}", start, stop, leaves, arrives, line.mode, craft, line.sleeper)
                )
        found.append(tuple(hops))
    return tuple(found)


def _local(moment: datetime, place: Place) -> datetime:
    return moment.astimezone(ZoneInfo(place.zone)).replace(tzinfo=None)


def _onward(hops: tuple[Hop, ...], target: tuple[str, str], seen: set[tuple[str, str]]) -> tuple[Hop, ...] | None:
    """Complete a way with the earliest arrival, or nothing."""
    here = _spot(hops[-1].target)
    if here == target:
        return hops
    if len(hops) > MOST_CHANGES or here in seen:
        return None
    best, leads_on = None, _before(target)[MOST_CHANGES - len(hops)]
    for hop in _hops_from(hops[-1].target, hops[-1].arrives + CHANGE):
        if (
            _spot(hop.target) not in leads_on
            or hop.arrives - hops[0].leaves > LONGEST
            or (best is not None and hop.arrives >= best[-1].arrives)
        ):
            continue
        way = _onward((*hops, hop), target, seen | {here})
        if way is not None and (best is None or way[-1].arrives < best[-1].arrives):
            best = way
    return best


def _offers(
    number: int, hops: tuple[Hop, ...], origin: Place, target: Place, day: date, today: date, currency: str
) -> list[Offer]:
    by_code = {line.code: line for line in lines()}
    load = random.Random(f"{hops[0].number}{day}{hops[-1].target.town}")
    late = 1 + 0.4 * math.exp(-max(0, (day - today).days) / 6)
    used = [by_code["".join(c for c in hop.number if c.isalpha())] for hop in hops]
    # Roads, rails and fairways wind: 1.3 times the straight line.
    euros = sum(
        8 + great_circle_km(hop.origin, hop.target) * 1.3 * line.a_km for hop, line in zip(hops, used, strict=True)
    )
    euros *= late * load.uniform(0.9, 1.15)
    mode = max(hops, key=lambda hop: hop.arrives - hop.leaves).mode
    seats = "map" if hops[0].craft else "none"
    made = []
    for index, (name, factor, refund, change, cabin) in enumerate(FARES[mode]):
        price = in_currency(euros * factor, currency)

        def fee(share: float | None, factor: float = factor) -> object:
            return None if share is None else in_currency(euros * factor * share, currency)

        key = f"line/{origin.code}/{target.code}/{day}/{today}/{currency}/{number}/{index}"
        carrier = ", ".join(dict.fromkeys(line.operator for line in used))
        made.append(
            Offer(key, carrier, hops, price, name, 2, in_currency(0, currency), fee(refund), fee(change), seats, cabin, False,
                  load.randrange(2, 30))
        )  # type: ignore[arg-type] # fmt: skip
    return made
