"""How far the reading of a long file is: counted by the process that reads it, asked by whoever began it."""

from __future__ import annotations

import re
from itertools import count
from pathlib import Path

STEP = 500
_ENTRY = re.compile(rb"<(?:\w+:)?(?:STMTTRN|Ntry)\b|^\^|^:61:", re.IGNORECASE | re.MULTILINE)
_place: Path | None = None
_counter = count(1)


def entries_in(content: bytes) -> int:
    """Return about how many entries a file of a card or a bank has, before any is read; 0 for a table."""
    return sum(1 for _ in _ENTRY.finditer(content))


def count_into(place: str) -> None:
    """Let what is counted in this process stand in a file, every so many entries."""
    global _place
    _place = Path(place)


def counted() -> None:
    """Say that one more entry was read."""
    number = next(_counter)
    if _place is not None and number % STEP == 0:
        # Put in place whole: one that is asked for while it is written would be nothing again.
        whole = _place.with_suffix(".next")
        whole.write_text(str(number), encoding="ascii")
        whole.replace(_place)


def so_far(place: str) -> int:
    """Return how many entries the process has said that it read; 0 before the first word of it."""
    try:
        return int(Path(place).read_text(encoding="ascii") or 0)
    except (OSError, ValueError):
        return 0
