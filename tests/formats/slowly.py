"""Work that takes its time, to be done apart in tests."""

from __future__ import annotations

import time

from wainwright.formats.counting import counted


def read_slowly(entries: int, pause: float) -> int:
    """Count entries with a pause after each; return how many."""
    for _ in range(entries):
        counted()
        time.sleep(pause)
    return entries
