"""The market of travel: what is on offer, held, confirmed and ticketed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Protocol

from wainwright.core.journey import Place
from wainwright.core.money import Money


class MarketError(Exception):
    """The market said no, or did not answer; the message is for the person."""


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
    """One flight without a stop; local wall times with their zones."""

    number: str
    origin: Place
    target: Place
    leaves: datetime
    arrives: datetime


@dataclass(frozen=True, slots=True)
class Offer:
    """One way on offer with its conditions, as they stand before it is held."""

    key: str
    carrier: str
    hops: tuple[Hop, ...]
    price: Money
    fare: str
    bags: int
    refundable: bool
    changeable: bool
    cabin: str
    contracted: bool
    carbon_kg: int

    @property
    def leaves(self) -> datetime:
        """Local time of leaving."""
        return self.hops[0].leaves

    @property
    def arrives(self) -> datetime:
        """Local time of arriving."""
        return self.hops[-1].arrives

    @property
    def via(self) -> list[Place]:
        """Where one changes."""
        return [hop.target for hop in self.hops[:-1]]


@dataclass(frozen=True, slots=True)
class Hold:
    """A fare that is kept for somebody, under the supplier's reference."""

    reference: str
    price: Money


class Market(Protocol):
    """A supplier of travel. Every method may raise ``MarketError``; all but ``search`` are safe to repeat."""

    def search(self, query: Query) -> list[Offer]:
        """Return every way on offer."""

    def offer(self, key: str) -> Offer:
        """Return one offer again by its key."""

    def hold(self, keys: tuple[str, ...], traveller: str, once: str) -> Hold:
        """Hold offers together; the same ``once`` gives the same hold."""

    def confirm(self, reference: str) -> None:
        """Confirm a hold."""

    def ticket(self, reference: str) -> str:
        """Issue the ticket of a confirmed hold and return its number."""
