"""A firm is taken along as open formats, and taken in again with equal sums; nothing of other firms and no key goes with it."""

from __future__ import annotations

import csv
import io
import json
import shutil
import tempfile
import zipfile
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.management import CommandError, call_command
from django.test import SimpleTestCase

from tests import worlds
from tests.apps.world import WorldTransactionTestCase
from tests.coverage import shows
from tests.worlds import EMPTY, OtherDatabasesMixin, start_from
from wainwright import clock
from wainwright.accounts.models import Code, Dimension
from wainwright.claims.models import Claim, Statement
from wainwright.core.coding import Coding
from wainwright.expenses.models import Receipt
from wainwright.expenses.services import receipts
from wainwright.operating import archiving
from wainwright.operating.firm_rows import unplaced
from wainwright.operating.models import FirmArchive
from wainwright.people.models import Firm, Person
from wainwright.reports.models import SpendLine
from wainwright.trail.models import Entry
from wainwright.trail.selectors import check_chain
from wainwright.trips.services import plan


class PlacedTest(SimpleTestCase):
    same_on_any_day = True

    def test_of_every_table_it_is_said_whether_it_is_a_firms(self):
        self.assertEqual(unplaced(), [])


class WholeFirmTest(OtherDatabasesMixin, WorldTransactionTestCase):
    same_on_any_day = True

    def setUp(self):
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="wainwright-firm-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.firm = self.maren.firm

    def written(self) -> Path:
        target = self.folder / "firm.zip"
        call_command("firm_archive", self.firm.slug, target, stdout=io.StringIO())
        return target

    def changed(self, source: Path, name: str, change) -> Path:
        target = self.folder / "changed.zip"
        with zipfile.ZipFile(source) as old, zipfile.ZipFile(target, "w") as new:
            for each in old.namelist():
                new.writestr(each, change(old.read(each)) if each == name else old.read(each))
        return target

    @shows("X13.1")
    def test_taken_along_and_taken_in_again(self):
        claim = self.sent_claim()
        receipts.take_in(self.maren, "p.pdf", b"%PDF-1.7 paper")
        # The other firm acts in between: the chain is of both.
        plan.start_trip(self.ingrid, "Theirs alone", "Of another firm", self._coding_of(self.ingrid))
        plan.start_trip(self.maren, "Ours again", "To see it", claim.coding)
        call_command("rebuild_spending", self.firm.slug, stdout=io.StringIO())
        before = self.sums()
        target = self.written()
        with zipfile.ZipFile(target) as made:
            said = json.loads(made.read("archive.json"))
            everything = b"".join(made.read(name) for name in made.namelist())
            rows = list(csv.DictReader(io.StringIO(made.read("tables/claims.Claim.csv").decode("utf-8-sig"))))
            self.assertEqual(len(made.read("trail/chain.csv").splitlines()) - 1, Entry.objects.count())
        self.assertEqual([row["title"] for row in rows], [claim.title])
        for secret in (
            b"Theirs alone",
            self.ingrid.person.email.encode(),
            self.maren.person.password.encode(),
            settings.SECRET_KEY.encode(),
        ):
            self.assertNotIn(secret, everything)
        self.assertEqual(said["missing"], [])
        with self.assertRaisesRegex(CommandError, "There is a firm here already"):
            call_command("take_firm", target, stdout=io.StringIO())
        start_from(EMPTY)
        self.assertFalse(Firm.objects.exists())
        out = io.StringIO()
        call_command("take_firm", target, stdout=out)
        self.assertIn("every sum is the archive's", out.getvalue())
        self.assertEqual(self.sums(), before)
        self.assertIsNone(check_chain())
        held = Entry.objects.filter(held=True)
        self.assertGreater(held.count(), 0)
        self.assertEqual({(each.who, each.after) for each in held}, {("", "")})
        proved = io.StringIO()
        call_command("verify_trail", stdout=proved)
        self.assertIn("of firms that are not here", proved.getvalue())
        self.assertFalse(any(person.has_usable_password() for person in Person.objects.all()))
        with Receipt.objects.get(name="p.pdf").file.open("rb") as paper:
            self.assertTrue(paper.read().startswith(b"%PDF"))
        # Work goes on: keys, numbers and the chain go on after the last.
        member = worlds.people()["maren"]
        trip = plan.start_trip(member, "In the new place", "To go on", Claim.objects.get().coding)
        self.assertGreater(trip.number, 1)
        self.assertIsNone(check_chain())
        # An act of ours that is changed in the database is still found.
        Entry.objects.filter(held=False, number__gt=1).order_by("number").first().delete()
        self.assertIsNotNone(check_chain())

    def _coding_of(self, member):
        asked = Dimension.objects.filter(firm=member.firm, asked="always").values_list("code", flat=True)
        codes = Code.objects.filter(firm=member.firm).order_by("code")
        return Coding.of({each: codes.filter(dimension=each).first().code for each in asked})

    def sums(self):
        return (
            sorted(Statement.objects.filter(claim__firm__slug=self.firm.slug).values_list("total_minor", "due_minor")),
            sorted(SpendLine.objects.filter(firm__slug=self.firm.slug).values_list("stage", "net_minor")),
            Person.objects.filter(memberships__firm__slug=self.firm.slug).count(),
        )

    def test_what_was_changed_on_the_way_is_refused_whole(self):
        self.sent_claim()
        target = self.written()
        start_from(EMPTY)
        for name, change, words in (
            (
                "tables/claims.Statement.jsonl",
                lambda text: text.replace(b'"total_minor": ', b'"total_minor": 9'),
                "does not come to",
            ),
            (
                "trail/entries.jsonl",
                lambda text: text.replace(b'"what": "', b'"what": "x', 1),
                "The trail of the archive breaks",
            ),
            (
                "trail/chain.csv",
                lambda text: b"\n".join(text.splitlines()[:-1]),
                "acts that its chain does not name|does not end",
            ),
            ("archive.json", lambda text: b"{", "no archive of a firm"),
            ("archive.json", lambda text: text.replace(b'"form": 1', b'"form": 7'), "form 7"),
        ):
            with self.subTest(name), self.assertRaisesRegex(CommandError, words):
                call_command("take_firm", self.changed(target, name, change), stdout=io.StringIO())
            self.assertFalse(Firm.objects.exists() or Entry.objects.exists())
        (self.folder / "x.zip").write_bytes(b"no zip")
        with self.assertRaisesRegex(CommandError, "no archive of a firm"):
            call_command("take_firm", self.folder / "x.zip", stdout=io.StringIO())

    @shows("X13.1")
    def test_by_the_page(self):
        self.enter(self.maren)
        self.assertEqual(self.client.get("/firm/archive/").status_code, 403)
        self.enter(self.callum)
        self.assertRedirects(self.client.post("/firm/archive/"), "/firm/archive/")
        row = FirmArchive.objects.get()
        self.assertEqual((row.state, row.problem), ("made", ""))
        self.assertContains(self.client.get("/firm/archive/"), "Take it")
        answer = self.client.post(f"/firm/archive/{row.pk}/")
        self.assertIn("archive.json", zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))).namelist())
        self.assertEqual(Entry.objects.latest("number").what, "took everything of the firm along")
        self.enter(self.torvald)
        self.assertIn(self.client.post(f"/firm/archive/{row.pk}/").status_code, (302, 403, 404))
        with clock.at(clock.now() + archiving.KEPT + timedelta(minutes=1)):
            archiving.forget_old()
        self.assertFalse(FirmArchive.objects.exists())
