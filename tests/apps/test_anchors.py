"""The trail proves what it says: its end, its beginning, its firms; and what is kept outside the database bears it out."""

from __future__ import annotations

import json
import stat
import subprocess
import sys
import tempfile
from datetime import timedelta
from io import StringIO
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.core import mail
from django.core.checks import run_checks
from django.core.management import CommandError, call_command
from django.db import transaction
from django.test import override_settings

from tests.apps.world import WorldTestCase, WorldTransactionTestCase
from tests.coverage import shows
from tests.worlds import OtherDatabasesMixin
from wainwright import clock
from wainwright.claims.services import books
from wainwright.core.trail import GENESIS, SEALS, firms_digest
from wainwright.core.trail import Entry as CoreEntry
from wainwright.errors import Refusal
from wainwright.expenses.services import mails, receipts
from wainwright.people.files import KEPT, delete_dropped
from wainwright.people.models import Dropped, Membership
from wainwright.trail import anchors
from wainwright.trail.models import Entry
from wainwright.trail.services import record
from wainwright.web import tasks


class Apart:
    """Anchors and backups in a folder of their own."""

    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        changed = override_settings(ANCHORS=self.folder / "trail.log")
        changed.enable()
        self.addCleanup(changed.disable)


class AnchorsTest(Apart, WorldTestCase):
    def holds(self, *lines: str) -> str:
        out = StringIO()
        call_command("verify_trail", *(f"--line={line}" for line in lines), stdout=out)
        return out.getvalue()

    def breaks(self, words: str, *lines: str):
        with self.assertRaisesRegex(CommandError, words):
            self.holds(*lines)

    def acts(self, count: int = 5):
        for n in range(count):
            record(self.maren, f"did {n}", "trip:1")

    def chain_anew(self, start: int, **changed):
        """Write the trail anew from an entry on, with hashes that fit, as somebody with the database could."""
        previous = Entry.objects.filter(number=start - 1).values_list("digest", flat=True).first() or GENESIS
        for row in Entry.objects.filter(number__gte=start).order_by("number"):
            for name, value in (changed if row.number == start else {}).items():
                setattr(row, name, value)
            row.previous = previous
            row.digest = previous = row.as_core().digest()
            row.save()

    @shows("X7.1")
    def test_what_a_chain_alone_does_not_show(self):
        self.acts()
        last = Entry.objects.count()
        self.assertIn("No anchor is kept yet", self.holds())
        line = anchors.drop("by hand")
        self.assertIn(f"names entry {last}", self.holds(line))
        for words, act in (
            (f"entries {last - 1} to {last} are missing", lambda: Entry.objects.filter(number__gt=last - 2).delete()),
            (f"entries 1 to {last} are missing", lambda: Entry.objects.all().delete()),
            ("is not what it was", lambda: self.chain_anew(3, what="another")),
            ("is not what it was", lambda: self.chain_anew(1, firm_id=99)),
            ("its content was changed", lambda: Entry.objects.filter(number=2).update(firm_id=99)),
            ("its content was changed", lambda: Entry.objects.filter(number=2).update(firm_id=None)),
            ("its content was changed|leaves out", lambda: Entry.objects.filter(number=2).update(with_firm=False)),
        ):
            with self.subTest(words), transaction.atomic():
                act()
                self.breaks(words)
                transaction.set_rollback(True)
        self.holds()
        # The file gone as well: the auditor's own line still tells.
        settings.ANCHORS.unlink()
        Entry.objects.filter(number=last).delete()
        self.assertIn("No anchor", self.holds())
        self.breaks(f"entries {last} to {last} are missing", line)

    def test_a_line_that_was_changed_is_told(self):
        self.acts()
        line = anchors.drop("by hand")
        for bad in (line.replace("by hand", "by hond"), "1 | x", "", line[:-1]):
            with self.subTest(bad), self.assertRaises(Refusal):
                anchors.read_line(bad)
        settings.ANCHORS.write_text(line[:-2] + "\n")
        self.breaks("was not written by this machine")
        self.assertIsNotNone(anchors.drop_of_the_day())

    def test_once_a_day_and_at_each_pay_run_the_auditors_are_told(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        (kept,) = anchors.lines()
        anchor = anchors.read_line(kept)
        self.assertGreaterEqual(anchor.number, Entry.objects.get(what="made a pay run").number)
        self.assertEqual(anchor.why, "pay run 1 of ltd")
        auditors = {
            m.person.email for m in Membership.objects.filter(auditor=True, active=True).select_related("person")
        }
        told = {m.to[0]: m.body for m in mail.outbox if m.subject.startswith("The trail, up to entry")}
        self.assertEqual(set(told), {self.benedikt.person.email})
        self.assertIn(kept, told[self.benedikt.person.email])
        with self.done():
            self.assertIsNotNone(anchors.drop_of_the_day())
            self.assertIsNone(anchors.drop_of_the_day())
        self.assertEqual(len(anchors.lines()), 2)
        told = {m.to[0] for m in mail.outbox if m.subject.startswith("The trail, up to entry")}
        self.assertEqual(told, auditors)
        self.assertEqual(stat.S_IMODE(settings.ANCHORS.stat().st_mode), 0o600)

    def test_a_backup_that_was_put_back_is_said_and_goes_on(self):
        self.acts()
        last = Entry.objects.count()
        anchors.drop("by hand")
        Entry.objects.filter(number=last).delete()
        self.breaks("are missing")
        call_command("anchor_trail", "--after-restoring", "the disk failed", stdout=StringIO())
        self.holds()
        self.assertEqual(Entry.objects.latest("number").what, "put a backup back")
        Entry.objects.filter(number=last - 1).delete()
        self.breaks("")

    def seal_firms(self):
        """Add the entry that seals which firm each entry so far belongs to, as installations of the first days got it."""
        rows, last = (
            list(Entry.objects.order_by("number").values_list("number", "firm_id")),
            Entry.objects.latest("number"),
        )
        after = json.dumps({"entries": len(rows), "firms": firms_digest(rows)}, sort_keys=True)
        row = Entry(number=last.number + 1, time=clock.now(), who="Wainwright", what=SEALS[0], subject=SEALS[1], after=after, previous=last.digest, with_firm=True)  # fmt: skip
        row.digest = row.as_core().digest()
        row.save()

    def test_entries_of_the_first_days_are_sealed_with_their_firms(self):
        Entry.objects.all().delete()
        self.acts(3)
        previous = GENESIS
        for row in Entry.objects.order_by("number"):
            row.with_firm, row.previous = False, previous
            row.digest = previous = row.as_core().digest()
            row.save()
        self.acts(1)
        self.breaks("are not sealed")
        Entry.objects.filter(number=4).delete()
        self.seal_firms()
        self.acts(2)
        self.holds()
        with transaction.atomic():
            Entry.objects.filter(number=2).update(firm_id=99)
            self.breaks("the firm of an entry before it was changed")
            transaction.set_rollback(True)
        self.chain_anew(6, with_firm=False)
        self.breaks("leaves out the firm")

    def test_every_field_is_in_the_hash(self):
        first = CoreEntry(1, clock.now(), "a", "b", "c", "d", "e", "f", "g", 1)
        others = [
            CoreEntry(*("x" if n == at else value for n, value in enumerate((1, first.time, "a", "b", "c", "d", "e", "f", "g", 1))))
            for at in (0, 2, 3, 4, 5, 6, 7, 8, 9)
        ]  # fmt: skip
        self.assertEqual(len({each.digest() for each in (first, *others)}), 10)


class KeptTest(OtherDatabasesMixin, Apart, WorldTransactionTestCase):
    def test_a_backup_has_every_file_that_its_rows_name_whatever_goes_on(self):
        with self.done():
            mails.keep(self.maren, b"From: a@b.c\nTo: x\nSubject: s\n\nTotal EUR 4.00", trusted=False)
        held = self.maren.held_mails.get()
        name = held.file.name
        call_command("backup", self.folder / "kept", stdout=StringIO())
        # Somebody lets the mail go: the rows of a copy made just before would still name its file.
        with self.done():
            mails.turn_away(self.maren, held.pk)
        self.assertEqual(delete_dropped(), 0)
        self.assertTrue(Path(settings.MEDIA_ROOT, name).exists())
        self.assertTrue((self.folder / "kept" / "files" / name).exists())
        (made,) = (self.folder / "kept" / "sets").iterdir()
        self.assertTrue(anchors.read_line((made / "anchor.txt").read_text()).number)
        Dropped.objects.update(time=clock.now() - KEPT - timedelta(minutes=1))
        self.assertEqual(
            (delete_dropped(), Path(settings.MEDIA_ROOT, name).exists(), Dropped.objects.count()), (1, False, 0)
        )

    def test_a_file_that_is_missing_is_said(self):
        with self.done():
            done = receipts.take_in(self.maren, "a.pdf", b"%PDF-1.7 nothing")
        Path(done.receipt.file.path).unlink()
        self.enter(self.maren)
        with self.assertLogs("wainwright.web.middleware"):
            page = self.client.get(f"/receipts/{done.receipt.pk}/original/")
        self.assertContains(page, "Its file is missing on this machine", status_code=404)
        with self.assertRaisesRegex(CommandError, "1 files are missing"):
            call_command("backup", self.folder / "kept", stdout=StringIO())
        with mock.patch.object(mails, "open_mail"):
            mails.keep(self.maren, b"From: a@b.c\nTo: x\nSubject: s\n\nhello", trusted=False)
        held = self.maren.held_mails.get()
        Path(held.file.path).unlink()
        mails.open_mail.call_local(held.pk)
        self.assertIn("missing on this machine", self.maren.held_mails.get().problem)

    def test_what_is_written_is_for_one_user_alone(self):
        subprocess.run([sys.executable, "manage.py", "migrate", "-v0", "people", "0001"], check=True, env={"WAINWRIGHT_VAR": str(self.folder / "v"), "PATH": ""}, cwd=settings.BASE)  # fmt: skip
        for path in (self.folder / "v", *(self.folder / "v").iterdir()):
            self.assertEqual(stat.S_IMODE(path.stat().st_mode) & 0o077, 0, path)

    def test_what_must_not_be_so_in_earnest_is_told_before(self):
        with override_settings(DEMO=False):
            said = " ".join(str(each.msg) for each in run_checks(tags=["outside"], include_deployment_checks=True))
            for words in ("bank is the simulated", "ledger is the simulated"):
                self.assertIn(words, said)
            with override_settings(
                ANCHORS=settings.VAR / "x" / "t.log", EMAIL_BACKEND="wainwright.standins.mailbox.backend.Backend"
            ):
                said = " ".join(str(each.msg) for each in run_checks(tags=["outside"], include_deployment_checks=True))
            self.assertIn("cannot be told apart", said)
            self.assertIn("simulated mailbox", said)
            self.assertIn("beside the database", said)
        with override_settings(DEMO=True):
            self.assertEqual(run_checks(tags=["outside"], include_deployment_checks=True), [])


class TasksTest(WorldTestCase):
    def test_what_fails_at_night_holds_nothing_else_up(self):
        done = []

        def fails():
            raise OSError("no disk")

        with self.assertLogs("wainwright.web.tasks", "ERROR") as said:
            tasks.each(lambda: done.append(1), fails, lambda: done.append(2))
        self.assertEqual((done, "fails failed" in said.output[0]), ([1, 2], True))

    def test_every_step_of_the_night_and_of_the_minute_runs(self):
        record(self.maren, "did something", "trip:1")
        with self.assertNoLogs("wainwright.web.tasks", "ERROR"), self.done():
            tasks.every_minute.call_local()
            tasks.every_night.call_local()
        self.assertTrue(anchors.lines())
