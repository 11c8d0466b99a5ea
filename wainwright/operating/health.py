"""Whether an installation can do its work: each part is asked something it must be able to answer."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from functools import cache
from zoneinfo import ZoneInfo

from django.core.cache import caches
from django.core.files.storage import default_storage
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from huey.contrib.djhuey import HUEY

from wainwright import clock
from wainwright.core.said import as_figure, say
from wainwright.operating import beats
from wainwright.operating.models import Beat, Failure
from wainwright.people.models import Firm

log = logging.getLogger(__name__)


def _database() -> bool:
    Firm.objects.exists()
    return True


@cache
def _migrated_once() -> bool:
    # Whoever runs is of one version: once it is so, it stays so.
    executor = MigrationExecutor(connection)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        raise LookupError("the tables are of another version: manage.py migrate")
    return True


def _cache() -> bool:
    caches["sessions"].get("is-it-there")
    return True


def _files() -> bool:
    # Whether it is there does not matter; that the store answers does.
    default_storage.exists("is-it-there")
    return True


def _queue() -> bool:
    HUEY.pending_count()
    return True


BACKUP = "backup"

# What a web process needs to answer people.
PARTS: dict[str, Callable[[], bool]] = {
    "database": _database, "tables": _migrated_once, "sessions": _cache, "files": _files, "queue": _queue,
}  # fmt: skip


def ready() -> dict[str, bool]:
    """Ask each part; what fails is logged with why, and said as no more than that it fails."""
    found = {}
    for name, part in PARTS.items():
        try:
            found[name] = part()
        except Exception:
            log.exception("%s is not ready", name)
            found[name] = False
    return found


def waiting() -> int:
    """How many tasks wait in the queue."""
    return HUEY.pending_count()


@dataclass(frozen=True)
class Part:
    """One thing that is done by itself: when it was last done, how many wait, and whether that is as it should be."""

    name: str
    words: str
    wrong: bool = False


def runs(zone: str) -> list[Part]:
    """What is done by itself, for people. Three queries, and what the queue says."""
    rows = {row.name: row for row in Beat.objects.filter(name__in=[beats.MINUTELY, beats.NIGHTLY, BACKUP])}

    def told(name: str, apart: timedelta, never: str) -> tuple[str, bool]:
        row = rows.get(name)
        if row is None:
            return never, True
        at = row.time.astimezone(ZoneInfo(zone))
        on = say(", on {on}", on=row.on) if row.on else ""
        return say(
            "last {day} {at}{on}", day=at.day, at=as_figure(at, "%b %Y %H:%M"), on=on
        ), row.time < clock.machine() - apart

    failed = Failure.objects.filter(last__gt=clock.machine() - timedelta(days=1)).count()
    return [
        Part(
            say("The worker's minute: trips and holds moved along, what broke off finished"),
            *told(beats.MINUTELY, beats.STILL, "never"),
        ),
        Part(
            say("The worker's night: news mailed, cards asked, the trail anchored"),
            *told(beats.NIGHTLY, timedelta(hours=26), "never"),
        ),
        Part(
            say("Copy of database and files"), *told(BACKUP, timedelta(hours=50), say("never made by manage.py backup"))
        ),
        Part(say("Tasks that wait in the queue"), str(waiting())),
        Part(say("Places at which something failed in the last 24 hours"), f"{failed}", failed > 0),
    ]
