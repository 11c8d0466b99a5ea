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
    made = kind + (f"{settings.NOW:%Y%m%dT%H%M}".lower() if kind != EMPTY else "")
    with (Shelf.folder / f"{made}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not _copies().has(made):
            _copy_in(EMPTY)
            LOADERS[kind]()
            keep(made)
        _copy_in(made)
    if kind != EMPTY:
        # What another class remembered of these rules is not true of this copy.
        Firm.objects.update(rules_version=new_version())


class _Files:
    """Copies of an SQLite database: files on the shelf."""

    @staticmethod
    def has(name: str) -> bool:
        return (Shelf.folder / f"{name}.sqlite3").exists()

    @staticmethod
    def keep(name: str) -> None:
        with closing(sqlite3.connect(Shelf.folder / f"{name}.sqlite3")) as copy:
            connection.connection.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")

    @staticmethod
    def put_in(name: str) -> None:
        made = Shelf.folder / f"{name}.sqlite3"
        with closing(sqlite3.connect(f"{made.as_uri()}?mode=ro", uri=True)) as source:
            source.backup(connection.connection)


class _Databases:
    """Copies of a PostgreSQL database: databases of the same server, each made from another as its template."""

    @staticmethod
    def shelf(name: str = "") -> str:
        return f"shelf_{Shelf.folder.parent.name.rpartition('-')[2].lower()}_{name}"

    @classmethod
    def has(cls, name: str) -> bool:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1 FROM pg_database WHERE datname = %s", [cls.shelf(name)])
            return cursor.fetchone() is not None

    @classmethod
    def keep(cls, name: str) -> None:
        cls._make(cls.shelf(name), connection.settings_dict["NAME"])

    @classmethod
    def put_in(cls, name: str) -> None:
        cls._make(connection.settings_dict["NAME"], cls.shelf(name))

    @staticmethod
    def _make(name: str, source: str) -> None:
        # Nobody may be connected to either while it is copied.
        connection.close()
        with connection._nodb_cursor() as cursor:
            cursor.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')
            cursor.execute(f'CREATE DATABASE "{name}" TEMPLATE "{source}" STRATEGY FILE_COPY')

    @classmethod
    def clear(cls) -> None:
        """Drop every copy."""
        with connection._nodb_cursor() as cursor:
            cursor.execute("SELECT datname FROM pg_database WHERE starts_with(datname, %s)", [cls.shelf()])
            for (name,) in cursor.fetchall():
                cursor.execute(f'DROP DATABASE "{name}" WITH (FORCE)')


def _copies():
    return _Files if connection.vendor == "sqlite" else _Databases


def keep(name: str) -> None:
    """Keep the database as it is, and its files, under a name."""
    connection.ensure_connection()
    _copies().keep(name)
    files = Path(settings.MEDIA_ROOT)
    if files.exists():
        shutil.copytree(files, Shelf.folder / f"{name}.files")


def copy_out(folder: Path) -> None:
    """Put the database as it is, of SQLite, and its files where another process finds them."""
    with closing(sqlite3.connect(folder / "wainwright.sqlite3")) as copy:
        connection.connection.backup(copy)
    shutil.copytree(settings.MEDIA_ROOT, folder / "files", dirs_exist_ok=True)


def _copy_in(name: str) -> None:
    connection.ensure_connection()
    _copies().put_in(name)
    files = Shelf.folder / f"{name}.files"
    if files.exists():
        shutil.copytree(files, settings.MEDIA_ROOT, dirs_exist_ok=True)


def clear_shelf() -> None:
    """Drop the copies that do not lie in the shelf's folder."""
    if connection.vendor != "sqlite":
        _Databases.clear()


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


class OtherDatabasesMixin:
    """Tests that open other databases than the run's own, under these aliases."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        # Only now: at its start a class may name no alias that is not there yet.
        cls.databases = frozenset({"default", "copy", "target"})


class StartedTransactionTestCase(StartedTransactionMixin, TransactionTestCase):
    """Tests that need real transactions: threads, processes that die."""


def today():
    """Return the suite's day at the first firm."""
    return clock.today(ZONE)
