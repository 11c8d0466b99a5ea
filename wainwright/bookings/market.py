"""Asking the market: within a time, and with answers that can be true."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from concurrent.futures import TimeoutError as TooLate
from typing import Any
from zoneinfo import ZoneInfo

from wainwright.outside import service
from wainwright.ports.market import CarOffer, Hold, MarketError, Offer, StayOffer

# Seconds that a person waits for an answer; a hold may take longer on the supplier's side.
PATIENCE = 6.0
_POOL = ThreadPoolExecutor(max_workers=8, thread_name_prefix="market")


def ask(what: str, *args: Any, patience: float = PATIENCE) -> Any:
    """Call a method of the market in a thread of its own, so that one that hangs stops nobody.

    Raises ``MarketError`` when no answer comes in time or the supplier's program fails.
    """
    method: Callable[..., Any] = getattr(service("market"), what)
    try:
        return _POOL.submit(method, *args).result(timeout=patience)
    except TooLate as error:
        raise MarketError(f"The market did not answer within {patience:.0f} seconds. Try again in a while.") from error
    except MarketError:
        raise
    except (RuntimeError, ValueError, OSError, ArithmeticError, LookupError, TypeError) as error:
        raise MarketError("The market's answer could not be understood. Try again in a while.") from error


def sane_way(offer: Offer, currency: str) -> bool:
    """Say whether a way can be true: it has a price, each hop lands after it leaves and starts where the last ended."""
    if offer.price.currency != currency or offer.price.minor <= 0 or not offer.hops:
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
    return car.price.currency == currency and car.price.minor > 0 and car.until > car.since


def sane_stay(stay: StayOffer, currency: str) -> bool:
    """Say whether a room can be true; only supplied quarters cost nothing."""
    return stay.a_night.currency == currency and stay.nights > 0 and (stay.a_night.minor > 0 or stay.supplied)


def sane_hold(hold: Hold, currency: str) -> bool:
    """Say whether a hold can be true."""
    return bool(hold.reference) and len(hold.reference) <= 20 and hold.price.currency == currency and hold.price.minor >= 0
