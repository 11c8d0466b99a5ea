"""The firm's ledger as it is connected: one of this installation, or one over the network; and how it fares."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from django.db.models import QuerySet

from wainwright import clock
from wainwright.accounts.models import Connection
from wainwright.adapters.http_ledger import HttpLedger
from wainwright.core.said import as_figure, said_by, say
from wainwright.news.services import tell
from wainwright.outside import service
from wainwright.people.models import Firm
from wainwright.people.sealing import unseal
from wainwright.ports.ledger import Ledger, LedgerAway, LedgerShut
from wainwright.prepared import prepared

T = TypeVar("T")


def connection_of(firm: Firm) -> Connection | None:
    """The firm's connection, nothing where it uses the ledger of this installation. One query."""
    return next(iter(_connections(firm.pk)), None)


@prepared
def _connections(firm: int) -> QuerySet[Connection]:
    return Connection.objects.filter(firm_id=firm).select_related("holder__person", "holder__firm").order_by("pk")


def ask(firm: Firm, question: Callable[[Ledger, str], T]) -> T:
    """Ask the firm's ledger, and keep whether it answered. Raises ``LedgerAway``, ``LedgerShut``; never inside a transaction.

    ``question`` gets the ledger and what the firm is called there.
    """
    row = connection_of(firm)
    if row is None or not row.address:
        return question(service("ledger"), firm.slug)
    try:
        found = question(HttpLedger(row.address, unseal(row.token)), row.known_as or firm.slug)
    except (LedgerAway, LedgerShut) as error:
        _failed(row, said_by(error))
        raise
    Connection.objects.filter(pk=row.pk).update(answered=clock.now(), failing=None, problem="")
    return found


def _failed(row: Connection, why: str) -> None:
    """Keep since when it fails, and tell its holder once."""
    now = clock.now()
    began = Connection.objects.filter(pk=row.pk, failing__isnull=True).update(failing=now)
    Connection.objects.filter(pk=row.pk).update(problem=why[:200])
    if began:
        tell(
            row.holder,
            say("The connection to the ledger fails"),
            "/ledger/masters/",
            say("Since {now} UTC {why}.", now=as_figure(now, "%d %b %H:%M"), why=why),
        )
