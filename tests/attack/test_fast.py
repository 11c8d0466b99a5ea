"""The fast part of the attack, in a process and a demo of its own."""

import subprocess
import sys
from unittest import TestCase

from django.conf import settings


class AttackTest(TestCase):
    same_on_any_day = True
    # About how long it takes: the longest begin first.
    seconds = 120

    def test_nothing_is_found(self):
        done = subprocess.run(
            [sys.executable, "-m", "tests.attack.run", "--fast"],
            cwd=settings.BASE,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr[-3000:])
        for words in ("processes killed", "cells", "forms"):
            self.assertRegex(done.stdout, rf"[1-9]\d* {words}")
