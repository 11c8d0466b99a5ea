"""What runs by the clock, once in the whole installation; and whether it still does."""

from __future__ import annotations

import platform
from collections.abc import Callable
from datetime import datetime, timedelta
from functools import wraps

from django.db import IntegrityError, transaction

from wainwright import clock
from wainwright.core.said import say
from wainwright.operating.models import Beat

MINUTELY, NIGHTLY = say("every minute"), say("every night")
# After so long without a minute's work the worker is said to stand still.
STILL = timedelta(minutes=4)


def once_in_all(name: str, apart: timedelta) -> Callable[[Callable[[], None]], Callable[[], None]]:
    """Let a task of the clock run once in ``apart``, however many workers ask for it; the database decides which.

    Clocks of machines differ by seconds, and a queue that was full hands tasks on late: one that begins before nine tenths
    of ``apart`` are over since the last began is not meant.
    """

    def decorate(work: Callable[[], None]) -> Callable[[], None]:
        @wraps(work)
        def once() -> None:
            if not begin(name, clock.machine(), apart * 0.9):
                return
            work()
            Beat.objects.filter(name=name).update(done=clock.machine())

        return once

    return decorate


def begin(name: str, now: datetime, apart: timedelta) -> bool:
    """Say whether it is ours to begin: one row, changed by one statement, so that of several who ask one is told yes."""
    host = platform.node()[:100]
    late = Beat.objects.filter(name=name, time__lte=now - apart)
    # A clock that was set back does not stop what it counted ahead.
    ahead = Beat.objects.filter(name=name, time__gt=now + apart)
    if late.update(time=now, on=host) or ahead.update(time=now, on=host):
        return True
    if Beat.objects.filter(name=name).exists():
        return False
    try:
        with transaction.atomic():
            Beat.objects.create(name=name, time=now, on=host)
    except IntegrityError:
        return False
    return True


def stands_still() -> datetime | None:
    """Since when the worker does nothing, where that is too long; nothing where it works or never ran here. One query."""
    row = Beat.objects.filter(name=MINUTELY).first()
    return row.time if row is not None and row.time < clock.machine() - STILL else None


def since() -> float:
    """For how many seconds the worker has begun nothing; 0 where it never ran. One query."""
    row = Beat.objects.filter(name=MINUTELY).first()
    return max((clock.machine() - row.time).total_seconds(), 0.0) if row is not None else 0.0


def done(name: str) -> None:
    """Keep that something was done now: a backup, for whoever asks when the last one was."""
    now = clock.machine()
    Beat.objects.update_or_create(name=name, defaults={"time": now, "done": now, "on": platform.node()[:100]})
