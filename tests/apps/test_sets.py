"""Copies of an installation that are whole: sets of a backup made while people work, put back, and moved to another database."""

from __future__ import annotations

import json
import shutil
import tempfile
import threading
from io import StringIO
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.core.management import CommandError, call_command
from django.db import DatabaseError, connection, connections

from tests.apps.world import WorldTransactionTestCase
from tests.servers import postgres
from tests.worlds import OtherDatabasesMixin
from wainwright.claims.models import Claim
from wainwright.errors import Refusal
from wainwright.expenses.models import Receipt
from wainwright.expenses.services import receipts
from wainwright.operating import moving, sets
from wainwright.operating.models import Beat
from wainwright.operating.tally import broken, tally
from wainwright.people.models import Membership
from wainwright.trail.models import Entry


class SetsTest(OtherDatabasesMixin, WorldTransactionTestCase):
    same_on_any_day = True

    def setUp(self):
        super().setUp()
        # Not in the folder of the suite: the programs of a database server write here too.
        self.root = Path(tempfile.mkdtemp(prefix="wainwright-sets-"))
        self.addCleanup(shutil.rmtree, self.root, ignore_errors=True)

    def backup(self, *words) -> Path:
        call_command("backup", self.root, *words, stdout=StringIO())
        return sorted((self.root / "sets").iterdir())[-1]

    def test_a_set_made_while_people_work_is_whole_and_comes_back(self):
        self.sent_claim()
        stop, failed = threading.Event(), []

        def work():
            number = 0
            try:
                while not stop.is_set():
                    number += 1
                    receipts.take_in(self.maren, f"p{number}.pdf", b"%PDF-1.7 paper " + str(number).encode())
            except (OSError, DatabaseError, Refusal) as error:
                failed.append(error)
            finally:
                connections.close_all()

        at_work = threading.Thread(target=work)
        at_work.start()
        try:
            made = [self.backup() for _ in range(3)]
        finally:
            stop.set()
            at_work.join(60)
        self.assertEqual(failed, [])
        held = [json.loads((each / "set.json").read_text()) for each in made]
        self.assertGreater(len(held[-1]["files"]), len(held[0]["files"]))
        for each in made:
            self.assertEqual(sets.check(each), [])
        later = tally()
        self.assertGreater(later.entries, held[1]["tally"]["entries"])
        # Everything is lost, and the set in the middle is put back.
        with self.assertRaisesRegex(CommandError, "--over"):
            call_command("restore", made[1], stdout=StringIO())
        with self.assertRaisesRegex(CommandError, "--why"):
            call_command("restore", made[1], "--over", stdout=StringIO())
        shutil.rmtree(settings.MEDIA_ROOT)
        out = StringIO()
        call_command("restore", made[1], "--over", "--why", "the disk failed", stdout=out)
        self.assertIn("The trail holds", out.getvalue())
        self.assertEqual((Claim.objects.count(), broken()), (1, ""))
        self.assertEqual(Entry.objects.latest("number").what, "put a backup back")
        for receipt in Receipt.objects.all():
            with receipt.file.open("rb") as paper:
                self.assertTrue(paper.read().startswith(b"%PDF"))

    def test_a_set_that_is_not_whole_is_refused_before_anything_is_touched(self):
        receipts.take_in(self.maren, "p.pdf", b"%PDF-1.7 paper")
        made = self.backup("--check")
        (name,) = json.loads((made / "set.json").read_text())["files"]
        (self.root / "files" / name).write_bytes(b"%PDF-1.7 other")
        before = tally()
        self.assertEqual(sets.check(made), [f"{name} is not what it was"])
        with self.assertRaisesRegex(CommandError, "is not whole"):
            call_command("restore", made, "--over", "--why", "x", stdout=StringIO())
        with self.assertRaisesRegex(CommandError, "is not what was kept"):
            call_command("restore", made, "--try", stdout=StringIO())
        self.assertEqual(tally(), before)
        with self.assertRaisesRegex(CommandError, "no set of a backup"):
            call_command("restore", self.root, "--try", stdout=StringIO())
        # A figure that was changed in the copy is found as well.
        said = json.loads((made / "set.json").read_text())
        said["tally"]["sums"]["people_membership.id"] += 1
        (made / "set.json").write_text(json.dumps(said))
        self.assertTrue(any("people_membership.id: sum" in wrong for wrong in sets.check(made)))

    def test_only_the_newest_sets_are_kept_and_no_file_that_one_of_them_names_goes(self):
        receipts.take_in(self.maren, "p.pdf", b"%PDF-1.7 paper")
        first, last = self.backup(), self.backup("--keep", "1")
        self.assertEqual((first.exists(), last.exists()), (False, True))
        self.assertEqual(sets.check(last), [])
        Receipt.objects.all().delete()
        self.backup("--keep", "1")
        self.assertFalse(last.exists())
        self.assertEqual([path for path in (self.root / "files").rglob("*") if path.is_file()], [])


class MovingTest(OtherDatabasesMixin, WorldTransactionTestCase):
    """From the database of the run to an empty PostgreSQL."""

    same_on_any_day = True

    def target(self, address: str) -> str:
        where, _, _name = address.rpartition("/")
        with moving.target(address), connections[moving.TARGET]._nodb_cursor() as cursor:
            cursor.execute('DROP DATABASE IF EXISTS "moved"')
            cursor.execute('CREATE DATABASE "moved" TEMPLATE template0')
        return f"{where}/moved"

    def test_everything_arrives_or_nothing_does(self):
        self.sent_claim()
        with postgres() as server:
            address = self.target(server)
            Beat.objects.create(name="every minute", time=settings.NOW)
            with self.assertRaisesRegex(CommandError, "The worker runs"):
                call_command("move_database", address, stdout=StringIO())
            Beat.objects.all().delete()
            # What arrives otherwise than it was is undone, and nothing of it stays.
            lost = mock.patch.object(moving, "_copy", side_effect=lambda model: 0)
            with lost, self.assertRaisesRegex(CommandError, "not what was sent"):
                call_command("move_database", address, stdout=StringIO())
            with moving.target(address):
                self.assertFalse(Claim.objects.using(moving.TARGET).exists())
            out = StringIO()
            call_command("move_database", address, stdout=out)
            self.assertIn("every sum is the same", out.getvalue())
            with moving.target(address):
                self.assertEqual(tally().differs(tally(moving.TARGET)), [])
                self.assertEqual(broken(moving.TARGET), "")
                # Keys go on where they were.
                row = Membership.objects.using(moving.TARGET).latest("pk")
                self.assertEqual(Claim.objects.using(moving.TARGET).get().state, Claim.objects.get().state)
                with connections[moving.TARGET].cursor() as cursor:
                    cursor.execute("SELECT nextval(pg_get_serial_sequence('people_membership', 'id'))")
                    self.assertEqual(cursor.fetchone()[0], row.pk + 1)
            with self.assertRaisesRegex(CommandError, "name an empty one"):
                call_command("move_database", address, stdout=StringIO())
            with connections["default"].cursor():
                self.assertTrue(connection.is_usable())

    def test_what_is_no_postgres_is_refused(self):
        for wrong, words in (("sqlite:////tmp/x", "to PostgreSQL"), ("nonsense", "PostgreSQL|address")):
            with self.assertRaisesRegex(CommandError, words):
                call_command("move_database", wrong, stdout=StringIO())
