"""Asking the market: within a time, and with answers that can be true."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from concurrent.futures import TimeoutError as TooLate
from typing import Any
from zoneinfo import ZoneInfo

from wainwright.core.money import Money
from wainwright.core.said import as_figure, say
from wainwright.outside import service
from wainwright.ports.market import CarOffer, Hold, MarketError, Offer, SeatPlan, StayOffer

# Seconds that a person waits for an answer; a hold may take longer on the supplier's side.
PATIENCE = 6.0
_POOL = ThreadPoolExecutor(max_workers=8, thread_name_prefix="market")


class NoAnswer(MarketError):
    """Nothing came back in time: whether it was done is not known, so it has to be asked again."""


def ask(what: str, *args: Any) -> Any:
    """Call a method of the market in a thread of its own, so that one that hangs stops nobody.

    Raises ``NoAnswer`` when none comes in time, ``MarketError`` when the supplier's program fails.
    """
    method: Callable[..., Any] = getattr(service("market"), what)
    try:
        return _POOL.submit(method, *args).result(timeout=PATIENCE)
    except TooLate as error:
        raise NoAnswer(
            say(
                "The market did not answer within {patience} seconds. Try again in a while.",
                patience=as_figure(PATIENCE, ".0f"),
            )
        ) from error
    except MarketError:
        raise
    except (RuntimeError, ValueError, OSError, ArithmeticError, LookupError, TypeError) as error:
        raise MarketError(say("The market's answer could not be understood. Try again in a while.")) from error


def sane_way(offer: Offer, currency: str) -> bool:
    """Say whether a way can be true: it has a price, each hop lands after it leaves and starts where the last ended."""
    if not isinstance(offer, Offer) or offer.price.currency != currency or offer.price.minor <= 0 or not offer.hops:
        return False
    last = None
    for hop in offer.hops:
        leaves = hop.leaves.replace(tzinfo=ZoneInfo(hop.origin.zone))
        arrives = hop.arrives.replace(tzinfo=ZoneInfo(hop.target.zone))
        if arrives <= leaves or (arrives - leaves).days > 3:
            return False
        if last is not None and (last[0].town != hop.origin.town or last[1] > leaves):
            return False
        last = (hop.target, arrives)
    return True


def sane_car(car: CarOffer, currency: str) -> bool:
    """Say whether a car can be true."""
    return (
        isinstance(car, CarOffer) and car.price.currency == currency and car.price.minor > 0 and car.until > car.since
    )


def sane_seats(plan: object) -> bool:
    """Say whether a plan of seats can be drawn: some rows, of which each has the same few seats in letters."""
    if not isinstance(plan, SeatPlan) or not isinstance(plan.letters, str) or not isinstance(plan.rows, int):
        return False
    letters = plan.letters.replace("|", "")
    known = letters.isascii() and letters.isupper() and letters.isalpha() and len(set(letters)) == len(letters)
    aisles = not plan.letters.startswith("|") and not plan.letters.endswith("|")
    return known and aisles and len(letters) <= 12 and 0 < plan.rows <= 99


def sane_stay(stay: StayOffer, currency: str) -> bool:
    """Say whether a room can be true; only supplied quarters cost nothing."""
    return (
        isinstance(stay, StayOffer)
        and stay.a_night.currency == currency
        and stay.nights > 0
        and (stay.a_night.minor > 0 or stay.supplied)
    )


def sane_hold(hold: Hold, currency: str) -> bool:
    """Say whether a hold can be true."""
    return (
        isinstance(hold, Hold)
        and 0 < len(hold.reference) <= 20
        and hold.price.currency == currency
        and hold.price.minor >= 0
    )


def sane_price(price: Any, currency: str) -> Money:
    """Return a price that can be true. Raises ``MarketError`` for another."""
    if not isinstance(price, Money) or price.currency != currency or price.minor < 0:
        raise MarketError(say("The market's answer made no sense. It will be asked again."))
    return price


def sane_number(number: Any) -> str:
    """Return a ticket number that can be kept. Raises ``MarketError`` for another."""
    if not isinstance(number, str) or not 0 < len(number) <= 40:
        raise MarketError(say("The market's answer made no sense. It will be asked again."))
    return number
