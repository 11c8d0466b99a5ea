"""Writing the trail."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from django.contrib.contenttypes.models import ContentType
from django.db import transaction
from django.db.models import QuerySet

from wainwright import clock
from wainwright.core.trail import GENESIS
from wainwright.core.trail import Entry as CoreEntry
from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.trail.models import Entry

SYSTEM = "Wainwright"
_ITSELF: ContextVar[bool] = ContextVar("by_itself", default=False)


@contextmanager
def by_itself() -> Iterator[None]:
    """What is done within is done by the application itself, for whomever the acts name."""
    before = _ITSELF.set(True)
    try:
        yield
    finally:
        _ITSELF.reset(before)


def record(
    who: Membership | None,
    what: str,
    subject: str,
    *,
    firm_id: int | None = None,
    before: Any = None,
    after: Any = None,
    for_whom: str = "",
) -> Entry:
    """Add an entry inside the act's own transaction. ``who`` is nothing where the system itself acts.

    Where somebody prepares for a person, it says who did it, and for whom.

    Raises ``RuntimeError`` outside a transaction, since an act and its entry stand or fall together.
    """
    if not transaction.get_connection().in_atomic_block:
        raise RuntimeError("the trail is written inside the act's transaction")
    firm = who.firm_id if who else firm_id
    if who is not None and _ITSELF.get():
        who, for_whom = None, who.person.name
    if who is not None and who.prepared_by is not None:
        who, for_whom = who.prepared_by, who.person.name
    _wait_for_turn()
    last = next(iter(_last()), None)
    core = CoreEntry(
        number=last.number + 1 if last else 1,
        time=clock.now(),
        who=f"{who.person.name} <{who.person.email}>" if who else SYSTEM,
        for_whom=for_whom,
        what=what,
        subject=subject,
        before=_text(before),
        after=_text(after),
        previous=last.digest if last else GENESIS,
        firm=firm,
    )
    return Entry.objects.create(
        number=core.number, time=core.time, firm_id=firm, who=core.who,
        for_whom=core.for_whom, what=core.what, subject=core.subject, before=core.before, after=core.after,
        previous=core.previous, digest=core.digest(),
    )  # fmt: skip


@prepared
def _last() -> QuerySet[Entry]:
    """The entry that the next one follows, where there is one: worded once, since every act asks for it."""
    return Entry.objects.order_by("-number").only("number", "digest")[:1]


def _wait_for_turn() -> None:
    """Where several write at once (PostgreSQL), wait until whoever adds to the chain is done: each entry holds the hash of the one before.

    What is waited for is the row by which the database knows this very table: it is there before the first entry. SQLite lets
    one write at a time by itself.
    """
    if transaction.get_connection().features.has_select_for_update:
        ContentType.objects.select_for_update(no_key=True).get(app_label="trail", model="entry")


def _text(value: Any) -> str:
    return "" if value is None else json.dumps(value, ensure_ascii=False, sort_keys=True, default=str)
