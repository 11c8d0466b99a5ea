"""The one clock. Nothing else asks the machine for the day or the hour.

In the demo it can be moved, so that a trip of next month can be walked today; demo and tests can be put on
another moment altogether by a setting (``NOW``), so that neither depends on the day they are run.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import UTC, date, datetime, timedelta
from itertools import count
from zoneinfo import ZoneInfo

from django.conf import settings

# The demo's clock moves this far at most.
FARTHEST = timedelta(days=730)


def _file():
    return settings.VAR / "clock"


def offset() -> timedelta:
    """Return how far the demo's clock is ahead; nothing outside the demo."""
    if not settings.DEMO:
        return timedelta(0)
    try:
        return timedelta(seconds=int(_file().read_text()))
    except (FileNotFoundError, ValueError):
        return timedelta(0)


_FIXED: ContextVar[datetime | None] = ContextVar("fixed", default=None)
_looks = count()


def _machine() -> datetime:
    """The machine's moment, or the one that the setting names: a microsecond later at each look, so that order is kept."""
    if settings.NOW:
        return settings.NOW + timedelta(microseconds=next(_looks))
    return datetime.now(UTC)


def now() -> datetime:
    """Return the moment, in UTC."""
    return _FIXED.get() or _machine() + offset()


def machine() -> datetime:
    """Return the machine's own moment, in UTC, however far the demo's clock was moved: for whether something still runs."""
    return _FIXED.get() or _machine()


@contextmanager
def at(moment: datetime) -> Iterator[None]:
    """Let everything inside happen at ``moment``: for building the demo's history, and for tests."""
    token = _FIXED.set(moment)
    try:
        yield
    finally:
        _FIXED.reset(token)


def day_of(moment: datetime, zone: str) -> date:
    """Return the day that a moment falls on at a place, by its IANA zone."""
    return moment.astimezone(ZoneInfo(zone)).date()


def today(zone: str) -> date:
    """Return the day that it is at a place, by its IANA zone: there is no day without a place."""
    return day_of(now(), zone)


def move_to(moment: datetime) -> None:
    """Move the demo's clock. Raises ``RuntimeError`` outside the demo, ``ValueError`` for more than ``FARTHEST``."""
    if not settings.DEMO:
        raise RuntimeError("The clock can be moved in the demo only.")
    by = moment - _machine()
    if abs(by) > FARTHEST:
        raise ValueError(f"{moment:%d %b %Y} is too far away")
    _file().write_text(str(round(by.total_seconds())))


def in_zone(local: datetime, zone: str) -> datetime:
    """Return a wall time at a place as a moment."""
    return local.replace(tzinfo=ZoneInfo(zone))
