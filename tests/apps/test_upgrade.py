"""An installation of the first version, with what people did in it, goes on in this one."""

from __future__ import annotations

import gzip
import json
import os
import sqlite3
import subprocess
import sys
import tempfile
from contextlib import closing
from pathlib import Path

from django.test import SimpleTestCase

ROOT = Path(__file__).resolve().parents[2]
DUMP = ROOT / "tests" / "upgrade" / "first_landed.sql.gz"


class UpgradeTest(SimpleTestCase):
    """From the dump of an old installation to this version, by the commands that docs/operate.md names."""

    def test_everything_is_there_every_page_opens_and_work_goes_on(self):
        with tempfile.TemporaryDirectory(prefix="wainwright-upgrade-") as folder:
            with closing(sqlite3.connect(Path(folder) / "wainwright.sqlite3")) as database:
                database.executescript(gzip.decompress(DUMP.read_bytes()).decode())
                before = {
                    "claims": _rows(database, "SELECT id, state FROM claims_claim"),
                    "trips": _rows(database, "SELECT id, state FROM trips_trip"),
                    "costs": _rows(database, "SELECT count(*), sum(amount_minor) FROM expenses_expense")[0],
                    "postings": _rows(database, "SELECT key, total_minor, state FROM accounts_posting"),
                    "payments": _rows(database, "SELECT end_to_end, amount_minor, state FROM accounts_payment"),
                }
            env = {
                **{name: value for name, value in os.environ.items() if not name.startswith("WAINWRIGHT_")},
                "WAINWRIGHT_VAR": folder, "WAINWRIGHT_DEMO": "1", "WAINWRIGHT_NO_QUEUE": "1", "OMP_THREAD_LIMIT": "1",
                "WAINWRIGHT_NOW": "2026-09-16T10:00+00:00", "DJANGO_SETTINGS_MODULE": "wainwright.settings",
            }  # fmt: skip

            def run(*words: str) -> str:
                done = subprocess.run([sys.executable, *words], cwd=ROOT, env=env, capture_output=True, text=True, check=False)  # fmt: skip
                self.assertEqual(done.returncode, 0, done.stderr[-3000:])
                return done.stdout

            run("manage.py", "migrate", "-v0")
            run("manage.py", "collectstatic", "--noinput", "-v0")
            found = json.loads(run("-m", "tests.upgrade.walk"))
        self.assertEqual(found["wrong"], [])
        self.assertEqual(found["there"], before)
        self.assertGreater(found["pages"], 250)


def _rows(database: sqlite3.Connection, query: str) -> list[list[object]]:
    return sorted([list(row) for row in database.execute(query)])
