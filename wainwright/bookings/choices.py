"""From what is on offer to what is chosen: one value for ways, cars and rooms, with the evidence of the choice."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from wainwright.bookings.models import BREAKFAST_IN, PHONE, WHERE
from wainwright.core.carbon import Carbon, Move, carbon
from wainwright.core.fares import Asked, Way, alternatives, by_price, fits, yardstick
from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Mode, Place
from wainwright.core.money import Money, total
from wainwright.core.said import as_figure, joined, say, say_many
from wainwright.core.workings import day_text, moment_text
from wainwright.ports.market import CarOffer, Offer, StayOffer
from wainwright.rulebook.selectors import carbon_factors

_KIND_OF_MODE = {Mode.AIR: "air", Mode.RAIL: "rail", Mode.FERRY: "ferry", Mode.COACH: "coach"}
_KIND_WORDS = {"air": "Flight", "rail": "Rail", "ferry": "Ferry", "coach": "Coach"}
Rows = list[list[str]]


@dataclass(frozen=True)
class Choice:
    """What is about to be held, measured against its yardstick, with the cheaper ones as evidence."""

    kind: str
    keys: tuple[str, ...]
    label: str
    carrier: str
    fare: str
    cabin: str
    price: Money
    cheapest: Money
    contracted: bool
    contract_passed: bool
    rows: Rows
    alternatives: list[dict[str, str]]
    hops: list[dict[str, Any]]
    departure: datetime
    carbon_kg: int
    seats: str
    refund_fee: Money | None
    change_fee: Money | None
    offers: tuple[Offer, ...] = ()
    stay: StayOffer | None = None
    car: CarOffer | None = None
    carbon: Carbon | None = field(default=None)

    @property
    def over(self) -> Money:
        """By how much it is over its yardstick."""
        return self.price - self.cheapest


def way_of(offer: Offer) -> Way:
    """Return an offer as the yardstick sees it."""
    first, last = offer.hops[0], offer.hops[-1]
    return Way(
        offer.key, offer.price, first.leaves.replace(tzinfo=ZoneInfo(first.origin.zone)),
        last.arrives.replace(tzinfo=ZoneInfo(last.target.zone)), len(offer.hops) - 1, offer.cabin, offer.contracted,
    )  # fmt: skip


def carbon_of(offer: Offer) -> Carbon:
    """Work out the carbon of a way, hop by hop."""
    moves = [
        Move(f"{h.origin.town} – {h.target.town}", h.mode, offer.cabin, Decimal(round(great_circle_km(h.origin, h.target))))
        for h in offer.hops
    ]  # fmt: skip
    return carbon(moves, carbon_factors())


def conditions(offer: Offer) -> Rows:
    """Say the conditions of a fare in plain rows."""
    bags = (
        say("None; one costs {bag_fee}", bag_fee=offer.bag_fee)
        if not offer.bags
        else "1"
        if offer.bags == 1
        else str(offer.bags)
    )
    seats = {
        "map": say("Chosen on the seat map"),
        "wish": say("A wish can be given"),
        "none": say("Given out by the carrier"),
    }
    return [
        [say("Fare"), offer.fare + (say(", contracted with the firm") if offer.contracted else "")],
        [say("Bags"), bags],
        [say("Refund"), _fee_words(offer.refund_fee, say("Nothing is given back"), say("All is given back"), _all_but)],
        [say("Change"), _fee_words(offer.change_fee, say("Not possible"), say("Free, the difference in price aside"), lambda fee: say("{fee} and the difference in price", fee=fee))],
        [say("Seat"), seats[offer.seats]],
        [say("Left at this price"), str(offer.left)],
    ]  # fmt: skip


def _fee_words(fee: Money | None, never: str, free: str, some: Callable[[Money], str]) -> str:
    if fee is None:
        return never
    return free if fee.minor == 0 else some(fee)


def _all_but(fee: Money) -> str:
    return say("All but {fee}", fee=fee)


def short(offer: Offer) -> str:
    """The conditions in a few words, for a line of a list."""
    bags = say("no bag") if not offer.bags else say("1 bag") if offer.bags == 1 else say("{bags} bags", bags=offer.bags)
    refund = say("refundable") if offer.refund_fee is not None else say("not refundable")
    return joined("", (offer.fare, ": ", bags, ", ", refund))


def place_values(place: Place) -> dict[str, Any]:
    """A place as it is kept with a booking."""
    return {
        "code": place.code, "name": place.name, "town": place.town, "country": place.country, "zone": place.zone,
        "lat": place.lat, "lon": place.lon,
    }  # fmt: skip


def hops_of(offer: Offer) -> list[dict[str, Any]]:
    """The hops of a way as they are kept."""
    return [
        {"number": h.number, "mode": h.mode.value, "origin": place_values(h.origin), "target": place_values(h.target),
         "leaves": h.leaves.isoformat(timespec="minutes"), "arrives": h.arrives.isoformat(timespec="minutes"),
         "craft": h.craft, "sleeper": h.sleeper, "key": offer.key, "index": n}
        for n, h in enumerate(offer.hops)
    ]  # fmt: skip


@dataclass(frozen=True)
class Measured:
    """One way beside all that are on offer the same day."""

    offer: Offer
    yardstick: Offer
    cheaper: tuple[Offer, ...]
    contract_passed: bool

    @property
    def over(self) -> Money:
        """By how much it is over its yardstick."""
        return self.offer.price - self.yardstick.price


def measure(offers: Sequence[Offer], asked: Asked, cabin: str = "economy") -> list[Measured]:
    """Measure every way against its yardstick."""
    by_key = {offer.key: offer for offer in offers}
    as_ways = [way_of(offer) for offer in offers]
    # Each is held against all of them in this order: once in it, putting them into it again is quick.
    in_order = by_price(as_ways)
    return [_measured(offer, way, in_order, by_key, asked, cabin) for offer, way in zip(offers, as_ways, strict=True)]


def measure_one(offer: Offer, offers: Sequence[Offer], asked: Asked, cabin: str = "economy") -> Measured:
    """Measure one way among those on offer."""
    by_key = {each.key: each for each in offers} | {offer.key: offer}
    return _measured(offer, way_of(offer), [way_of(each) for each in offers], by_key, asked, cabin)


def _measured(
    offer: Offer, way: Way, as_ways: list[Way], by_key: dict[str, Offer], asked: Asked, cabin: str
) -> Measured:
    found = by_key[yardstick(way, as_ways, asked, cabin).key]
    passed = not offer.contracted and any(w.contracted and fits(w, way, asked, cabin) for w in as_ways)
    cheaper = tuple(by_key[w.key] for w in alternatives(way, as_ways, asked, cabin))
    return Measured(offer, found, cheaper, passed)


def choose_ways(measured: Sequence[Measured], currency: str) -> Choice:
    """Return ways chosen together as one choice."""
    offers = tuple(each.offer for each in measured)
    first, kinds = offers[0], {_KIND_OF_MODE[offer.mode] for offer in offers}
    kind = kinds.pop() if len(kinds) == 1 else _KIND_OF_MODE[first.mode]
    back = say(" and back") if len(offers) == 2 and offers[1].target.town == first.origin.town else ""
    stops = "" if back or len(offers) == 1 else "".join(f" – {o.target.town}" for o in offers[1:])
    rows = _together(offers)
    evidence = [
        {
            "way": joined(
                "",
                (
                    o.carrier,
                    " ",
                    moment_text(o.leaves),
                    "–",
                    as_figure(o.arrives, "%H:%M"),
                ),
            ),
            "price": str(o.price),
            # As well in parts, for whoever reads it in another language later.
            "carrier": o.carrier,
            "leaves": o.leaves.isoformat(timespec="minutes"),
            "arrives": o.arrives.isoformat(timespec="minutes"),
        }
        for each in measured
        for o in each.cheaper
    ]
    emissions = [carbon_of(offer) for offer in offers]
    order = ("none", "wish", "map")
    return Choice(
        kind, tuple(o.key for o in offers), f"{_KIND_WORDS[kind]} {first.origin.town} – {first.target.town}{back}{stops}"[:160],
        joined(", ", dict.fromkeys(o.carrier for o in offers))[:160], joined(", ", dict.fromkeys(o.fare for o in offers))[:40],
        max((o.cabin for o in offers), key=("economy", "premium", "business").index),
        total((o.price for o in offers), currency), total((m.yardstick.price for m in measured), currency),
        all(o.contracted for o in offers), any(m.contract_passed for m in measured), rows, evidence[:6],
        [hop for o in offers for hop in hops_of(o)], first.leaves.replace(tzinfo=ZoneInfo(first.origin.zone)),
        sum(e.kg for e in emissions), max((o.seats for o in offers), key=order.index),
        _all_or_none([o.refund_fee for o in offers], currency), _all_or_none([o.change_fee for o in offers], currency), offers,
    )  # fmt: skip


def _together(offers: Sequence[Offer]) -> Rows:
    """The conditions of several ways as one table: what is the same of all is said once."""
    tables = [conditions(offer) for offer in offers]
    rows: Rows = []
    for lines in zip(*tables, strict=True):
        said = [words for _, words in lines]
        if len(set(said)) == 1:
            rows.append([lines[0][0], said[0]])
        else:
            rows += [
                [joined("", (lines[0][0], ", ", offer.origin.town, " – ", offer.target.town)), words] for offer, words in zip(offers, said, strict=True)
            ]  # fmt: skip
    return rows


def _all_or_none(fees: list[Money | None], currency: str) -> Money | None:
    """Add the fees up; where one part allows it not at all, the whole does not."""
    known = [fee for fee in fees if fee is not None]
    return total(known, currency) if len(known) == len(fees) else None


def choose_car(car: CarOffer, on_offer: Sequence[CarOffer], seats: int) -> Choice:
    """Return a car as a choice: the cheapest with as many seats is its yardstick."""
    fitting = [each for each in on_offer if each.seats >= seats]
    contracted = [each for each in fitting if each.contracted]
    cheapest = min(contracted or fitting or [car], key=lambda each: each.price.amount)
    cheaper = sorted((c for c in fitting if c.price < car.price), key=lambda c: c.price.amount)[:3]
    rows = [
        [
            say("Car"),
            (
                say("{kind}, {seats} seats, electric", kind=car.kind, seats=car.seats)
                if car.electric
                else say("{kind}, {seats} seats", kind=car.kind, seats=car.seats)
            ),
        ],
        [say("Fetched"), joined("", (car.place.name, ", ", moment_text(car.since)))],
        [
            say("Brought back"),
            joined("", (car.back.name, ", ", moment_text(car.until))),
        ],
        [say("A day"), str(car.a_day)],
        [
            say("Brought back elsewhere"),
            say("{one_way} more", one_way=car.one_way) if car.one_way.minor else say("The same place"),
        ],
        [
            say("Refund"),
            _fee_words(car.refund_fee, say("Nothing is given back"), say("All is given back"), _all_but),
        ],
    ]
    return Choice(
        "car", (car.key,), say("Hire car {town}, {kind}", town=car.place.town, kind=car.kind)[:160], car.company, car.kind, "", car.price,
        cheapest.price, car.contracted, not car.contracted and bool(contracted), rows,
        [{"way": joined("", (c.company, " ", c.kind)), "price": str(c.price)} for c in cheaper], [],
        car.since.replace(tzinfo=ZoneInfo(car.place.zone)), 0, "none", car.refund_fee, car.refund_fee, car=car,
    )  # fmt: skip


def choose_stay(stay: StayOffer) -> Choice:
    """Return a room as a choice; its ceiling is the nights' own affair, so it has no yardstick."""
    refund = (
        say("All is given back until {refund_until}", refund_until=day_text(stay.refund_until))
        if stay.refund_until
        else say("Nothing is given back")
    )
    zero = Money.zero(stay.price.currency)
    rows = [
        [say("House"), stay.name + (say(", supplied") if stay.supplied else say(", contracted with the firm") if stay.contracted else "")],
        [say("Nights"), say("{nights} from {first}", nights=stay.nights, first=day_text(stay.first))],
        [say("A night"), str(stay.a_night)],
        [say("City tax a night"), str(stay.city_tax)],
        [say("Breakfast"), BREAKFAST_IN if stay.breakfast else say("Not in the price")],
        [say("Rooms left"), str(stay.rooms_left)],
        [say("Refund"), refund],
    ]  # fmt: skip
    rows += [[what, words[:120]] for what, words in ((WHERE, stay.address), (PHONE, stay.phone)) if words]
    opens = datetime.combine(stay.first, datetime.min.time().replace(hour=15), ZoneInfo(stay.place.zone))
    return Choice(
        "stay", (stay.key,), say_many("{stay}, {count} night", "{stay}, {count} nights", stay.nights, stay=stay.name)[:160], stay.name[:160],
        "", "", stay.price, stay.price, stay.contracted, False, rows, [], [], opens, 0, "none",
        zero if stay.refund_until else None, None, stay=stay,
    )  # fmt: skip


def asked_window(day: date, zone: str, when: str, at: str) -> Asked:
    """Return the window of a sentence's part as the yardstick takes it: any, after, before, by."""
    if when == "any" or not at:
        return Asked()
    hour = datetime.combine(day, datetime.strptime(at, "%H:%M").time(), ZoneInfo(zone))
    return {"after": Asked(leave_from=hour), "before": Asked(leave_until=hour), "by": Asked(arrive_until=hour)}[when]
