"""Reading the trail."""

from __future__ import annotations

from django.db.models import QuerySet

from wainwright.core.trail import Broken, first_broken
from wainwright.trail.models import Entry


def history(*subjects: str) -> list[Entry]:
    """Return the acts on some subjects, oldest first, in one query."""
    return list(Entry.objects.filter(subject__in=subjects).order_by("number"))


def of_firm(firm_id: int) -> QuerySet[Entry]:
    """Return a firm's acts, newest first."""
    return Entry.objects.filter(firm_id=firm_id).order_by("-number")


def check_chain() -> Broken | None:
    """Walk the whole chain and return the first entry that does not fit, or nothing."""
    rows = Entry.objects.order_by("number").iterator(chunk_size=2000)
    return first_broken((row.as_core(), row.digest) for row in rows)
