"""Reading the trail."""

from __future__ import annotations

from collections.abc import Iterable

from django.db.models import QuerySet

from wainwright.core.trail import GENESIS, Broken, first_broken
from wainwright.trail.models import Entry

CHUNK = 500
# Of each firm: how many entries it had, up to which entry, and that entry's hash. In each process.
_COUNTED: dict[int, tuple[int, int, str]] = {}


def history(*subjects: str) -> list[Entry]:
    """Return the acts on some subjects, oldest first, in one query."""
    return list(Entry.objects.filter(subject__in=subjects).order_by("number"))


def of_firm(firm_id: int) -> QuerySet[Entry]:
    """Return a firm's acts, newest first."""
    return Entry.objects.filter(firm_id=firm_id).order_by("-number")


def length_of(firm_id: int) -> int:
    """Return how many entries a firm has. What was counted once is counted no more: the trail only grows.

    Three small queries; one long one where nothing was counted yet, or the trail is another than it was (a set was put back).
    """
    number, digest = last_entry()
    counted, upto, stood = _COUNTED.get(firm_id, (0, 0, ""))
    if not upto or not Entry.objects.filter(number=upto, digest=stood).exists():
        counted, upto = 0, 0
    counted += Entry.objects.filter(firm_id=firm_id, number__gt=upto, number__lte=number).count()
    _COUNTED[firm_id] = counted, number, digest
    return counted


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
