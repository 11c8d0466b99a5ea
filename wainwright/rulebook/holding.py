"""Holding a firm while what it lays down is changed, and letting everybody look its rulebook up anew."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import Model

from wainwright import clock
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version

# So far ahead something may begin, or end.
FARTHEST = timedelta(days=732)


def locked(by: Membership) -> Firm:
    """The firm, held until the act is done, of whoever may lay rules down. Raises ``NotAllowed``."""
    must(by, "rules")
    return Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)


def renew(firm: Firm) -> None:
    """Let everybody look the rulebook up anew."""
    firm.rules_version = new_version()
    firm.save(update_fields=["rules_version"])


def begin_due(changes: type[Model], begin: Callable[[Any], None]) -> int:
    """Let every change that waits (``firm``, ``since``, ``done``) begin whose day has come in its firm; return how many.

    Each in a transaction of its own, held meanwhile. Safe to call at any time, and twice.
    """
    waiting, done = changes._default_manager.filter(done=None), 0
    # The day comes somewhere up to a day before it comes by the clock of the world.
    ahead = clock.now().date() + timedelta(days=1)
    for pk in list(waiting.filter(since__lte=ahead).values_list("pk", flat=True)):
        with transaction.atomic():
            row = waiting.select_for_update(of=("self",), no_key=True).select_related("firm").filter(pk=pk).first()
            if row is not None and row.since <= clock.today(row.firm.zone):
                begin(row)
                done += 1
    return done
