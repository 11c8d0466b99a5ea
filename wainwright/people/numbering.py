"""The numbers of a firm's trips, claims and payment runs: counted up from one, each kind by itself."""

from __future__ import annotations

from django.db.models import Max, Model

from wainwright.people.models import Firm


def next_number(kind: type[Model], firm: Firm) -> int:
    """Return the number after the firm's last of a kind. One query; the database refuses the same number twice."""
    last = kind._default_manager.filter(firm=firm).aggregate(last=Max("number"))["last"]
    return (last or 0) + 1
