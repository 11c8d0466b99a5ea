"""Reading the trail."""

from __future__ import annotations

from collections.abc import Iterable

from django.db.models import QuerySet

from wainwright.core.trail import GENESIS, Broken, first_broken
from wainwright.trail.models import Entry

CHUNK = 500


def history(*subjects: str) -> list[Entry]:
    """Return the acts on some subjects, oldest first, in one query."""
    return list(Entry.objects.filter(subject__in=subjects).order_by("number"))


def of_firm(firm_id: int) -> QuerySet[Entry]:
    """Return a firm's acts, newest first."""
    return Entry.objects.filter(firm_id=firm_id).order_by("-number")


def last_entry(using: str = "default") -> tuple[int, str]:
    """Return the number and the hash of the newest entry of a database; (0, genesis) before the first."""
    row = Entry.objects.using(using).order_by("-number").values_list("number", "digest").first()
    return row or (0, GENESIS)


def digests_of(numbers: Iterable[int]) -> dict[int, str]:
    """Return the hashes of some entries."""
    wanted = sorted(set(numbers))
    rows = (
        Entry.objects.filter(number__in=wanted[start : start + CHUNK]).values_list("number", "digest")
        for start in range(0, len(wanted), CHUNK)
    )
    return {0: GENESIS, **dict(row for some in rows for row in some)}


def check_chain(using: str = "default") -> Broken | None:
    """Walk the whole chain of a database and return the first entry that does not fit, or nothing."""
    rows = Entry.objects.using(using).order_by("number").iterator(chunk_size=2000)
    return first_broken((row.as_core(), row.digest) for row in rows)
