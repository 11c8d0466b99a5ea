"""Errors that nobody foresaw: kept once a place, and told to those who run the installation."""

from __future__ import annotations

import hashlib
import logging
import traceback
from contextlib import suppress
from datetime import timedelta

from django.conf import settings
from django.core.mail import EmailMessage
from django.db import DatabaseError, transaction
from django.db.models import F, Q

from wainwright import clock
from wainwright.core.said import as_figure, say
from wainwright.core.text import clean, one_line
from wainwright.operating.models import Failure
from wainwright.people.post import post

# The same place is told again after so long, if it goes on; and forgotten after so long without.
AGAIN, FORGOTTEN = timedelta(hours=24), timedelta(days=90)
SHOWN = 20


class Keeper(logging.Handler):
    """Keeps each error that is logged with a traceback. What cannot be kept stands in the log all the same."""

    def emit(self, record: logging.LogRecord) -> None:
        """Keep one."""
        if record.exc_info is None or record.exc_info[0] is None:
            return
        with suppress(DatabaseError):
            keep(record.exc_info[1], record.getMessage(), getattr(record, "correlation_id", None) or "")


def keep(error: BaseException, says: str, request: str = "") -> None:
    """Count an error by where it arose. Its values are left out: they may be of people."""
    if transaction.get_connection().needs_rollback:
        # Nothing can be written in what is being undone.
        return
    steps = traceback.extract_tb(error.__traceback__)
    where = "\n".join(f"{step.filename}:{step.lineno} {step.name}" for step in steps)
    kind = type(error).__name__
    place, now = hashlib.sha256(f"{kind}\n{where}".encode()).hexdigest(), clock.machine()
    last = {
        "says": one_line(f"{kind}: {says}", 300),
        "text": clean(f"{kind}\n{where}"),
        "request": request[:40],
        "last": now,
    }
    with transaction.atomic():
        row, new = Failure.objects.get_or_create(place=place, defaults={**last, "first": now})
        if not new:
            Failure.objects.filter(pk=row.pk).update(times=F("times") + 1, **last)


def tell() -> int:
    """Mail what failed since it was last told to those who run the installation; return how many places that were."""
    Failure.objects.filter(last__lt=clock.machine() - FORGOTTEN).delete()
    rows = Failure.objects.filter(Q(told=None) | Q(told__lt=clock.machine() - AGAIN, last__gt=F("told"))).order_by(
        "-last"
    )
    found = list(rows[:SHOWN])
    if not found or not settings.OPERATORS:
        return 0
    count = rows.count()
    with transaction.atomic():
        parts = [
            say(
                "{times} ×, last {last} UTC, request {request}\n{says}\n{text}",
                times=row.times,
                last=as_figure(row.last, "%d %b %Y %H:%M"),
                request=row.request or "none",
                says=row.says,
                text=row.text,
            )
            for row in found
        ]
        if count > SHOWN:
            parts.append(say("… and {count} more: manage.py failures", count=count - SHOWN))
        head = say("1 error") if count == 1 else say("{count} errors", count=count)
        post(
            EmailMessage(
                say("Wainwright: {head} at {address}", head=head, address=settings.ADDRESS),
                "\n\n".join(parts),
                settings.DEFAULT_FROM_EMAIL,
                settings.OPERATORS,
            )
        )
        Failure.objects.filter(pk__in=[row.pk for row in found]).update(told=clock.machine())
    return count
