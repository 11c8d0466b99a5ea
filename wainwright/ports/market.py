"""The market of travel: ways, hire cars and rooms on offer; held, confirmed, ticketed and cancelled.

docs/how-to/connect-a-market.md says how a real supplier is put behind this.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Protocol

from wainwright.core.journey import Mode, Place
from wainwright.core.money import Money


class MarketError(Exception):
    """The market said no, or did not answer; the message is for the person."""


class SoldOut(MarketError):
    """What was on offer a moment ago is gone."""


class CardRefused(MarketError):
    """The card was not accepted."""


class NotYet(MarketError):
    """Accepted, but not done yet: ask again later."""


@dataclass(frozen=True, slots=True)
class Query:
    """Ways from ``origin`` to ``target`` leaving on ``day``, priced in ``currency`` as of ``today``."""

    origin: Place
    target: Place
    day: date
    today: date
    currency: str


@dataclass(frozen=True, slots=True)
class Hop:
    """One move without a change; local wall times with their zones. ``craft`` names the seat plan, if any."""

    number: str
    origin: Place
    target: Place
    leaves: datetime
    arrives: datetime
    mode: Mode = Mode.AIR
    craft: str = ""
    sleeper: bool = False


@dataclass(frozen=True, slots=True)
class Offer:
    """One way at one fare with its conditions, as they stand before it is held.

    ``change_fee`` and ``refund_fee`` are ``None`` where it cannot be changed or refunded.
    ``bag_fee`` adds one bag where the fare has none. ``seats`` is "map", "wish" or "none".
    """

    key: str
    carrier: str
    hops: tuple[Hop, ...]
    price: Money
    fare: str
    bags: int
    bag_fee: Money
    refund_fee: Money | None
    change_fee: Money | None
    seats: str
    cabin: str
    contracted: bool
    left: int

    @property
    def way(self) -> str:
        """The key of the way itself, whatever the fare."""
        return self.key.rpartition("/")[0]

    @property
    def mode(self) -> Mode:
        """The mode of its longest hop."""
        return max(self.hops, key=lambda hop: hop.arrives - hop.leaves).mode

    @property
    def leaves(self) -> datetime:
        """Local time of leaving."""
        return self.hops[0].leaves

    @property
    def arrives(self) -> datetime:
        """Local time of arriving."""
        return self.hops[-1].arrives

    @property
    def origin(self) -> Place:
        """Where it leaves from."""
        return self.hops[0].origin

    @property
    def target(self) -> Place:
        """Where it goes."""
        return self.hops[-1].target

    @property
    def via(self) -> list[Place]:
        """Where one changes."""
        return [hop.target for hop in self.hops[:-1]]


@dataclass(frozen=True, slots=True)
class CarQuery:
    """A car from ``place`` at ``since`` until ``until``, brought back to ``back`` (local wall times)."""

    place: Place
    since: datetime
    back: Place
    until: datetime
    today: date
    currency: str


@dataclass(frozen=True, slots=True)
class CarOffer:
    """A hire car on offer; ``price`` is for the whole time, insurance and one-way fee included."""

    key: str
    company: str
    kind: str
    seats: int
    electric: bool
    place: Place
    since: datetime
    back: Place
    until: datetime
    price: Money
    a_day: Money
    one_way: Money
    refund_fee: Money | None
    contracted: bool


@dataclass(frozen=True, slots=True)
class StayQuery:
    """A room in the town of ``place`` for ``nights`` nights from ``first`` on."""

    place: Place
    first: date
    nights: int
    today: date
    currency: str


@dataclass(frozen=True, slots=True)
class StayOffer:
    """A room on offer. ``a_night`` has the room's tax inside; ``city_tax`` a night is paid there on top."""

    key: str
    name: str
    place: Place
    first: date
    nights: int
    a_night: Money
    city_tax: Money
    rooms_left: int
    supplied: bool
    contracted: bool
    breakfast: bool
    refund_until: date | None
    # Where it is and how it is rung up, where the supplier says so.
    address: str = ""
    phone: str = ""

    @property
    def price(self) -> Money:
        """The whole stay, city tax included."""
        return (self.a_night + self.city_tax).times(self.nights)


@dataclass(frozen=True, slots=True)
class SeatPlan:
    """A plan of seats: letters of a row, with "|" for the aisle, rows, seats taken, rows with more room."""

    craft: str
    letters: str
    rows: int
    taken: frozenset[str]
    roomy: frozenset[int]


@dataclass(frozen=True, slots=True)
class Hold:
    """Something kept for somebody, under the supplier's reference."""

    reference: str
    price: Money


class Market(Protocol):
    """A supplier of travel. Every method may raise ``MarketError``; all that change something are safe to repeat."""

    def search(self, query: Query) -> list[Offer]:
        """Return every way on offer, each at each of its fares."""

    def offer(self, key: str) -> Offer:
        """Return one offer again by its key."""

    def cars(self, query: CarQuery) -> list[CarOffer]:
        """Return hire cars on offer."""

    def car(self, key: str) -> CarOffer:
        """Return one car again by its key."""

    def stays(self, query: StayQuery) -> list[StayOffer]:
        """Return rooms on offer."""

    def stay(self, key: str) -> StayOffer:
        """Return one room again by its key."""

    def seats(self, key: str, hop: int) -> SeatPlan | None:
        """Return the seats of one hop of an offer, or nothing where the carrier gives no plan."""

    def hold(self, keys: tuple[str, ...], traveller: str, once: str) -> Hold:
        """Hold offers, cars or rooms together; the same ``once`` gives the same hold. Raises ``SoldOut``."""

    def price_now(self, reference: str, price: Money) -> Money:
        """Return what a hold at ``price`` costs now."""

    def confirm(self, reference: str, card: str) -> None:
        """Confirm a hold on the card with these last four. Raises ``CardRefused``."""

    def ticket(self, reference: str) -> str:
        """Issue the ticket or voucher of a confirmed hold and return its number. Raises ``NotYet``."""

    def take_seats(self, reference: str, seats: tuple[str, ...]) -> None:
        """Ask for seats or a wish on a hold."""

    def cancel(self, reference: str) -> None:
        """Give up a hold, a confirmed booking or a ticket."""
