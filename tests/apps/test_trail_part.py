"""A part of the trail is taken along as a file that proves itself."""

from __future__ import annotations

import io
import tempfile
import zipfile
from pathlib import Path

from django.core.management import CommandError, call_command

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.trail.models import Entry
from wainwright.trail.services import record


class PartTest(WorldTestCase):
    def setUp(self):
        super().setUp()
        for n in range(4):
            record(self.maren, f"did {n}", "trip:1")
            record(self.ingrid, f"theirs {n}", "trip:2")
        self.enter(self.benedikt)
        self.days = {"since": f"{self.today}", "until": f"{self.today}"}

    def taken(self) -> bytes:
        answer = self.client.get("/trail/part/", self.days)
        self.assertEqual(answer.status_code, 200)
        return b"".join(answer.streaming_content)

    def check(self, content: bytes) -> str:
        with tempfile.TemporaryDirectory() as folder:
            path, out = Path(folder, "part.zip"), io.StringIO()
            path.write_bytes(content)
            call_command("check_trail_part", path, stdout=out)
            return out.getvalue()

    def changed(self, content: bytes, name: str, old: bytes, new: bytes) -> bytes:
        target = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(content)) as made, zipfile.ZipFile(target, "w") as other:
            for each in made.namelist():
                other.writestr(each, made.read(each).replace(old, new, 1) if each == name else made.read(each))
        return target.getvalue()

    def test_it_holds_names_the_firms_acts_alone_and_stands_in_the_trail(self):
        content = self.taken()
        with zipfile.ZipFile(io.BytesIO(content)) as made:
            self.assertNotIn(b"theirs", made.read("entries.jsonl"))
            self.assertIn(b"did 3", made.read("entries.jsonl"))
        self.assertIn("It holds", self.check(content))
        self.assertEqual(Entry.objects.latest("number").what, "took a part of the trail along")

    @shows("X7.1")
    def test_whatever_is_changed_is_found(self):
        content = self.taken()
        for name, old, new, words in (
            ("entries.jsonl", b"did 2", b"did 9", "were changed since"), ("chain.csv", b",", b", ", "were changed since"),
            ("signed.txt", b"own", b"won", "was not signed by this machine"),
        ):  # fmt: skip
            with self.subTest(name), self.assertRaisesRegex(CommandError, words):
                self.check(self.changed(content, name, old, new))
        with self.assertRaisesRegex(CommandError, "no part of a trail"):
            self.check(b"PK nothing")
        Entry.objects.filter(what="did 2").update(digest="0" * 64)
        with self.assertRaisesRegex(CommandError, "does not bear it out"):
            self.check(content)

    def test_days_that_cannot_be_are_said(self):
        for since, until in (
            ("", ""),
            ("2026-13-01", "2026-01-01"),
            ("0001-01-01", "9999-12-31"),
            (f"{self.today}", "2001-01-01"),
            ("2001-01-01", "2001-01-02"),
        ):
            answer = self.client.get(
                "/trail/part/",
                {"since": since, "until": until},
                headers={"referer": "http://testserver/trail/"},
                follow=True,
            )
            self.assertContains(answer, "message-error")
