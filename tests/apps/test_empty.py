"""The empty database that ships for the demo is what every migration of today makes."""

import gzip
import sqlite3
import tempfile
from contextlib import closing
from io import StringIO
from pathlib import Path

from django.core.management import CommandError, call_command
from django.db.migrations.loader import MigrationLoader
from django.test import SimpleTestCase, TestCase, override_settings

from demo import empty
from demo.beside import beside
from wainwright.people.models import Firm

TOLD = "run manage.py load_demo --write-empty"


class UnfinishedTest(TestCase):
    same_on_any_day = True

    def test_a_world_that_was_not_loaded_to_its_end_is_not_taken_for_one(self):
        Firm.objects.create(slug="half", name="Half told Ltd", country="IE", currency="EUR", zone="Europe/Dublin")
        with tempfile.TemporaryDirectory() as folder, override_settings(VAR=Path(folder)):
            call_command("load_demo", stdout=StringIO())
            (Path(folder) / "demo-unfinished").touch()
            with self.assertRaisesMessage(CommandError, "make demo-fresh begins anew"):
                call_command("load_demo", stdout=StringIO())


class BesideTest(SimpleTestCase):
    """What is made beside the telling."""

    def test_answers_come_in_the_order_in_which_they_were_asked_for(self):
        put = []
        with beside() as work:
            for number in range(40):
                # Some of them longer than a pipe holds.
                work.drawn(put.append, "{:>{}}".format, number, 2 + number * 4000)
                work.later(put.append, str, -number)
            work.settle()
        self.assertEqual([text.strip() for text in put], [str(s * n) for n in range(40) for s in (1, -1)])

    def test_what_breaks_off_is_not_passed_over(self):
        with self.assertRaises((RuntimeError, BrokenPipeError)), beside() as work:
            work.drawn(lambda _: None, exit, 3)
            work.settle()


class EmptyTest(TestCase):
    same_on_any_day = True

    def test_it_has_every_migration_as_it_is_today(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "laid.sqlite3"
            self.assertTrue(empty.lay(path))
            self.assertEqual(path.stat().st_mode & 0o077, 0)
            self.assertFalse(empty.lay(path), "one that is there stays as it is")
            with closing(sqlite3.connect(path)) as laid:
                done = set(laid.execute("SELECT app, name FROM django_migrations"))
                made_by = laid.execute("PRAGMA user_version").fetchone()[0]
                people = laid.execute("SELECT count(*) FROM people_person").fetchone()[0]
        wanted = set(MigrationLoader(None).disk_migrations)
        self.assertEqual((wanted - done, people), (set(), 0), TOLD)
        self.assertEqual(made_by, empty.of_migrations(), f"a migration has changed since: {TOLD}")

    def test_it_is_small_enough_to_ship(self):
        self.assertLess(len(gzip.decompress(empty.FILE.read_bytes())), 5_000_000)
