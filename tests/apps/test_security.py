"""What docs/security.md says is so: every place it names is there, and settings in earnest are what it says."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import tempfile

from django.test import SimpleTestCase

from tests.servers import ROOT

ASK = """
import json
from django.conf import settings
names = ("SESSION_COOKIE_NAME", "SESSION_COOKIE_SECURE", "SESSION_COOKIE_HTTPONLY", "SESSION_COOKIE_SAMESITE", "CSRF_COOKIE_NAME",
  "CSRF_COOKIE_SECURE", "SECURE_SSL_REDIRECT", "SECURE_HSTS_SECONDS", "SECURE_HSTS_INCLUDE_SUBDOMAINS", "DEBUG", "DEMO", "X_FRAME_OPTIONS", "PASSWORD_HASHERS")
print(json.dumps({name: getattr(settings, name) for name in names}))
"""


class SaidTest(SimpleTestCase):
    same_on_any_day = True

    def test_every_place_is_there_and_nothing_is_met_without_one(self):
        text = (ROOT / "docs" / "security.md").read_text()
        rows = [line for line in text.splitlines() if re.match(r"\| \d", line)]
        self.assertGreater(len(rows), 50)
        for row in rows:
            places = re.findall(r"`([\w./-]+\.(?:py|md|js|html|json|lock))`", row)
            with self.subTest(row[:60]):
                self.assertTrue(places or "not applicable" in row or "**open**" in row)
                self.assertEqual([place for place in places if not (ROOT / place).exists()], [])
        chapters = [int(number) for number in re.findall(r"(?m)^## V(\d+) ", text)]
        self.assertEqual(chapters, list(range(1, 18)))

    def test_in_earnest(self):
        with tempfile.TemporaryDirectory() as folder:
            clean = {name: value for name, value in os.environ.items() if not name.startswith("WAINWRIGHT_")}
            done = subprocess.run(
                [sys.executable, "manage.py", "shell", "-v0", "-c", ASK], cwd=ROOT, env=clean | {"WAINWRIGHT_VAR": folder}, capture_output=True, text=True, check=True,
            )  # fmt: skip
        said = json.loads(done.stdout)
        self.assertEqual((said["SESSION_COOKIE_NAME"], said["CSRF_COOKIE_NAME"]), ("__Host-session", "__Host-csrf"))
        for name in (
            "SESSION_COOKIE_SECURE",
            "CSRF_COOKIE_SECURE",
            "SESSION_COOKIE_HTTPONLY",
            "SECURE_SSL_REDIRECT",
            "SECURE_HSTS_INCLUDE_SUBDOMAINS",
        ):
            self.assertIs(said[name], True, name)
        self.assertEqual(
            (said["DEBUG"], said["DEMO"], said["SESSION_COOKIE_SAMESITE"], said["X_FRAME_OPTIONS"]),
            (False, False, "Lax", "DENY"),
        )
        self.assertGreaterEqual(said["SECURE_HSTS_SECONDS"], 31_536_000)
        self.assertIn("PBKDF2", said["PASSWORD_HASHERS"][0])
