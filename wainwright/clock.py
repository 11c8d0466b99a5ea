"""The one clock. In the demo it can be moved, so that a trip of next month can be walked today."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from django.conf import settings


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


def now() -> datetime:
    """Return the moment, in UTC."""
    return _FIXED.get() or datetime.now(UTC) + offset()


@contextmanager
def at(moment: datetime) -> Iterator[None]:
    """Let everything inside happen at ``moment``: for building the demo's history, and for tests."""
    token = _FIXED.set(moment)
    try:
        yield
    finally:
        _FIXED.reset(token)


def today(zone: str = "UTC") -> date:
    """Return the local day in a zone."""
    return now().astimezone(ZoneInfo(zone)).date()


def move_to(moment: datetime) -> None:
    """Move the demo's clock. Raises ``RuntimeError`` outside the demo."""
    if not settings.DEMO:
        raise RuntimeError("The clock can be moved in the demo only.")
    _file().write_text(str(int((moment - datetime.now(UTC)).total_seconds())))


def in_zone(local: datetime, zone: str) -> datetime:
    """Return a wall time at a place as a moment."""
    return local.replace(tzinfo=ZoneInfo(zone))
