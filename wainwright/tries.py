"""Work of the queue that is tried twice at most, and then says on the thing itself that it could not be done."""

from __future__ import annotations

import logging
from collections.abc import Callable

from django.db.models import F, Model

from wainwright.core.said import say
from wainwright.formats.counting import entries_in

log = logging.getLogger(__name__)
MOST = 2
# What the thing says then.
NOT_READ = say(
    "It was tried twice and could not be read on this machine. It is kept: send it in "
    "another form, or tell whoever runs this machine."
)


def at_most_twice(row: Model, work: Callable[[], object], give_up: Callable[[], object]) -> None:
    """Do a piece of work for a thing that counts its ``tries``; after two, whatever ended them, ``give_up`` says so on it.

    What the first try raises goes on to the queue, which tries once more.
    """
    rows = type(row)._default_manager.filter(pk=row.pk)
    rows.update(tries=F("tries") + 1)
    tries = rows.values_list("tries", flat=True).first() or 0
    if tries > MOST:
        # Both tries ended with their process.
        give_up()
        return
    try:
        work()
    except Exception:
        log.exception("%s %s, try %s", type(row).__name__, row.pk, tries)
        if tries < MOST:
            raise
        give_up()


def progress_of(row: Model, content: bytes) -> Callable[[int], object]:
    """Return what keeps on a thing how many of its ``entries`` were read; how many there are about is kept at once."""
    rows = type(row)._default_manager.filter(pk=row.pk)

    def keep(count: int) -> None:
        rows.update(entries_read=count)
        # So that saving the thing afterwards does not set it back.
        row.entries_read = count  # type: ignore[attr-defined]

    row.entries, row.entries_read = entries_in(content), 0  # type: ignore[attr-defined]
    rows.update(entries=row.entries, entries_read=0)  # type: ignore[attr-defined]
    return keep
