"""The numbers of a firm's trips, claims and payment runs: counted up from one, each kind by itself."""

from __future__ import annotations

from django.db import connection
from django.db.models import Max, Model

from wainwright.people.models import Firm


def next_number(kind: type[Model], firm: Firm) -> int:
    """Return the number after the firm's last of a kind, inside the act's transaction. One query; the database refuses the same number twice.

    Where several write at once (PostgreSQL), whoever counts waits here for whoever counts for the same firm; SQLite lets one
    write at a time by itself.
    """
    in_turn(firm.pk)
    last = kind._default_manager.filter(firm=firm).aggregate(last=Max("number"))["last"]
    return (last or 0) + 1


def in_turn(firm_id: int) -> None:
    """Where several write at once (PostgreSQL), wait for whoever does the like for the same firm; what is read after that is what they left."""
    if connection.features.has_select_for_update:
        Firm.objects.select_for_update(no_key=True).only("pk").get(pk=firm_id)
