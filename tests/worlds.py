"""Databases to start from: empty, with the demo's firms and people, or with the whole demo.

Each is made once in a run for each day, kept as a file and copied, so that hundreds of classes do not load it again.
"""

from __future__ import annotations

import fcntl
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.cache import caches
from django.core.management import call_command
from django.db import connection
from django.test import TestCase, TransactionTestCase, override_settings

from demo import load
from wainwright import clock
from wainwright.people.models import Firm, Membership, new_version

EMPTY, BARE, DEMO = "empty", "bare", "demo"
MAILBOX = "wainwright.standins.mailbox.backend.Backend"
ZONE = "Europe/Dublin"


def _demo() -> None:
    with override_settings(DEMO=True, EMAIL_BACKEND=MAILBOX):
        load.load()


LOADERS: dict[str, Callable[[], Any]] = {EMPTY: lambda: None, BARE: load.load_bare, DEMO: _demo}


class Shelf:
    """Where the made databases lie; a folder that all processes of a run share."""

    folder: Path


def start_from(kind: str) -> None:
    """Make the test's database what ``kind`` is on the suite's day, and its folder of files."""
    # What was kept outside another database proves nothing of this one.
    settings.ANCHORS.unlink(missing_ok=True)
    caches["sessions"].clear()
    shutil.rmtree(settings.MEDIA_ROOT, ignore_errors=True)
    if connection.vendor != "sqlite":
        # Only a file can be copied: another database is emptied and loaded anew.
        call_command("flush", interactive=False, verbosity=0)
        LOADERS[kind]()
        return
    day = f"{settings.NOW:%Y%m%dT%H%M}" if kind != EMPTY else ""
    made = Shelf.folder / f"{kind}{day}.sqlite3"
    with (Shelf.folder / f"{made.stem}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made.exists():
            _copy_in(Shelf.folder / f"{EMPTY}.sqlite3")
            LOADERS[kind]()
            keep(made)
    _copy_in(made)
    if kind != EMPTY:
        # What another class remembered of these rules is not true of this copy.
        Firm.objects.update(rules_version=new_version())


def keep(target: Path) -> None:
    """Keep the database as it is, and its files, under a name."""
    connection.ensure_connection()
    with closing(sqlite3.connect(target)) as copy:
        connection.connection.backup(copy)
        copy.execute("PRAGMA journal_mode=DELETE")
    files = Path(settings.MEDIA_ROOT)
    if files.exists():
        shutil.copytree(files, target.with_suffix(".files"))


def _copy_in(made: Path) -> None:
    connection.ensure_connection()
    with closing(sqlite3.connect(f"{made.as_uri()}?mode=ro", uri=True)) as source:
        source.backup(connection.connection)
    files = made.with_suffix(".files")
    if files.exists():
        shutil.copytree(files, settings.MEDIA_ROOT, dirs_exist_ok=True)


def people() -> dict[str, Membership]:
    """Return the people by their short names, as the loader does."""
    members = Membership.objects.select_related("firm", "person").filter(mail_name__gt="")
    return {member.mail_name: member for member in members}


class DayMixin:
    """A class of tests that may be run on another day than the suite's; ``day`` is set by the runner."""

    day = None

    @classmethod
    def setUpClass(cls):
        if cls.day is not None:
            cls.enterClassContext(override_settings(NOW=cls.day))
        cls.before_class()
        super().setUpClass()

    @classmethod
    def before_class(cls):
        """What is made ready once the day is set."""


class StartedTestCase(DayMixin, TestCase):
    """Each class starts from a made database, each test from the class's."""

    starts_from = EMPTY

    @classmethod
    def before_class(cls):
        start_from(cls.starts_from)

    @classmethod
    def _enter_atomics(cls):
        # Of the class, and of each test: what was undone in the database is undone beside it.
        settings.ANCHORS.unlink(missing_ok=True)
        return super()._enter_atomics()


class StartedTransactionMixin(DayMixin):
    """Each test starts from a made database and is free to commit; the next one copies its own."""

    starts_from = EMPTY

    @classmethod
    def _fixture_setup(cls):
        start_from(cls.starts_from)

    def _fixture_teardown(self):
        pass


class StartedTransactionTestCase(StartedTransactionMixin, TransactionTestCase):
    """Tests that need real transactions: threads, processes that die."""


def today():
    """Return the suite's day at the first firm."""
    return clock.today(ZONE)
