"""The empty database that ships for the demo is what every migration of today makes."""

import gzip
import sqlite3
import tempfile
from contextlib import closing
from pathlib import Path

from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.test import TestCase

from demo import empty

TOLD = "run manage.py load_demo --write-empty"


class EmptyTest(TestCase):
    same_on_any_day = True

    def test_it_has_every_migration_and_the_same_tables(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "laid.sqlite3"
            self.assertTrue(empty.lay(path))
            self.assertEqual(path.stat().st_mode & 0o077, 0)
            self.assertFalse(empty.lay(path), "one that is there stays as it is")
            with closing(sqlite3.connect(path)) as laid:
                done = set(laid.execute("SELECT app, name FROM django_migrations"))
                tables = set(laid.execute("SELECT type, name, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite_%'"))
                people = laid.execute("SELECT count(*) FROM people_person").fetchone()[0]
        wanted = set(MigrationLoader(None).disk_migrations)
        self.assertEqual((wanted - done, people), (set(), 0), TOLD)
        if connection.vendor == "sqlite":
            with connection.cursor() as cursor:
                cursor.execute("SELECT type, name, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite_%%'")
                self.assertEqual({row[:3] for row in cursor.fetchall()} ^ tables, set(), TOLD)

    def test_it_is_small_enough_to_ship(self):
        self.assertLess(len(gzip.decompress(empty.FILE.read_bytes())), 5_000_000)
