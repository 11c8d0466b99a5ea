"""Somebody's own data as one archive: all of theirs, nothing of others', whatever their papers are called."""

from __future__ import annotations

import io
import json
import zipfile

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.expenses.models import Receipt
from wainwright.trail.models import Entry


class ArchiveTest(WorldTestCase):
    def take(self, who) -> zipfile.ZipFile:
        self.enter(who)
        answer = self.client.post("/profile/archive/")
        self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "application/zip"))
        return zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content)))

    def test_everything_of_theirs_is_there_and_nothing_of_others(self):
        claim = self.sent_claim()
        expense = claim.expenses.first()
        receipt = self.a_receipt(expense)
        Receipt.objects.filter(pk=receipt.pk).update(name="../../etc/passwd")
        self.sent_claim(who=self.aiko)
        made = self.take(self.maren)
        self.assertIsNone(made.testzip())
        read = {
            name: json.loads(made.read(f"{name}.json")) for name in ("person", "trips", "claims", "costs", "papers")
        }
        self.assertEqual(read["person"][0]["email"], self.maren.person.email)
        self.assertEqual([each["id"] for each in read["claims"]], [claim.pk])
        self.assertEqual({each["owner"] for each in read["costs"]}, {self.maren.pk})
        names = made.namelist()
        self.assertFalse([name for name in names if ".." in name.split("/") or name.startswith("/")])
        self.assertIn(f"papers/{receipt.pk}-", "".join(names))
        text = "".join(made.read(name).decode() for name in names if name.endswith(".json"))
        for secret in (self.maren.person.password, "pbkdf2", "md5$", self.aiko.person.email):
            self.assertNotIn(secret, text)
        self.assertEqual(Entry.objects.latest("number").what, "took their own data along")

    def test_a_paper_that_is_missing_is_named_and_a_link_fetches_nothing(self):
        claim = self.sent_claim()
        receipt = self.a_receipt(claim.expenses.first())
        receipt.file.storage.delete(receipt.file.name)
        self.assertIn(f"papers/{receipt.pk}-", self.take(self.maren).read("missing.txt").decode())
        self.assertEqual(self.client.get("/profile/archive/").status_code, 405)

    @shows("U2.5")
    def test_the_profile_says_what_one_is_and_whom_to_ask(self):
        self.enter(self.priya)
        page = self.client.get("/profile/")
        for words in ("make and release pay runs", "Callum Iwasaki", "signs first for what you send", "You sign up to"):
            self.assertContains(page, words)
