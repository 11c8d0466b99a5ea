"""The fast part of the attack, in a process of its own, on a copy of the demo."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from django.conf import settings

from tests import worlds


class AttackTest(worlds.StartedTransactionTestCase):
    same_on_any_day = True
    starts_from = worlds.DEMO
    # About how long it takes: the longest begin first.
    seconds = 120

    def test_nothing_is_found(self):
        with tempfile.TemporaryDirectory(prefix="wainwright-attack-", ignore_cleanup_errors=True) as folder:
            worlds.copy_out(Path(folder))
            done = subprocess.run(
                [sys.executable, "-m", "tests.attack.run", "--fast"],
                cwd=settings.BASE,
                capture_output=True,
                text=True,
                check=False,
                # What is sealed in the copy stays readable.
                env={**os.environ, "WAINWRIGHT_ATTACK": folder, "WAINWRIGHT_SECRET_KEY": settings.SECRET_KEY},
            )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr[-3000:])
        for words in ("processes killed", "cells", "forms"):
            self.assertRegex(done.stdout, rf"[1-9]\d* {words}")
