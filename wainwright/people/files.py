"""Files that are no longer needed: dropped now, deleted later."""

from __future__ import annotations

from datetime import timedelta

from django.core.files.storage import default_storage
from django.db.models.fields.files import FieldFile

from wainwright import clock
from wainwright.people.models import Dropped

# A backup copies the rows first and the files after them: it has this long to find what the rows name.
KEPT = timedelta(days=3)


def drop_file(file: FieldFile) -> None:
    """Let go of a file whose row goes away, in the same transaction."""
    if file:
        Dropped.objects.create(name=file.name, time=clock.now())


def delete_dropped() -> int:
    """Delete the files that were dropped long enough ago; return how many."""
    rows = list(Dropped.objects.filter(time__lt=clock.now() - KEPT)[:5000])
    for row in rows:
        default_storage.delete(row.name)
    Dropped.objects.filter(pk__in=[row.pk for row in rows]).delete()
    return len(rows)
