"""Figures of a firm's policy that hold from a later day: kept until then, taken back while they have not begun, taken over on the day."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Mapping
from datetime import date
from decimal import Decimal
from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction

from wainwright import clock
from wainwright.core.said import say
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rulebook import holding
from wainwright.rulebook.holding import FARTHEST, renew
from wainwright.rulebook.models import Policy, PolicyChange
from wainwright.trail.services import record


def begins_later(firm: Firm, since: date | None) -> bool:
    """Whether a day lies ahead; nothing said is today. Raises ``Refusal`` for one that has been, or is too far."""
    today = clock.today(firm.zone)
    if since is not None and not today <= since <= today + FARTHEST:
        raise Refusal(say("Choose from which day on: today or later, within two years."), "since")
    return since is not None and since > today


def keep(
    by: Membership, firm: Firm, since: date, subject: str, now: Policy, wanted: Policy, fields: Iterable[str], said: Mapping[str, list[str]]
) -> PolicyChange:  # fmt: skip
    """Keep what of some fields is otherwise in ``wanted`` until its day. ``said`` is each change in words, before and after.

    Inside the caller's transaction, which has looked at every figure. Raises ``Refusal`` where nothing changes.
    """
    values = {name: _plain(getattr(wanted, name)) for name in fields if getattr(wanted, name) != getattr(now, name)}
    if not values:
        raise Refusal(say("Nothing is otherwise than it is now. What comes already stands below."), "since")
    row = PolicyChange.objects.create(
        firm=firm, since=since, subject=subject, values=values, said=dict(said), by=by.doer, time=clock.now()
    )
    record(
        by,
        say("set figures from a day on"),
        subject,
        after={"from": str(since), **{name: after for name, (_, after) in said.items()}},
    )
    return row


def _plain(value: Any) -> Any:
    return str(value) if isinstance(value, Decimal) else value


def coming(firm: Firm, subject: str) -> list[PolicyChange]:
    """Return what has not begun, the next first. One query."""
    return list(PolicyChange.objects.filter(firm=firm, subject=subject, done=None).select_related("by__person"))


@transaction.atomic
def call_off(by: Membership, change_id: int) -> PolicyChange:
    """Take back figures that have not begun. Raises ``NotAllowed``, ``Stale``."""
    must(by, "rules")
    row = (
        PolicyChange.objects.select_for_update(no_key=True).filter(firm_id=by.firm_id, pk=change_id, done=None).first()
    )
    if row is None:
        raise Stale(say("They have begun, or somebody took them back meanwhile."))
    record(by, say("took figures back before they began"), row.subject, before={"from": str(row.since), **row.values})
    row.delete()
    return row


def begin_due() -> int:
    """Let every figure hold whose day has come in its firm; return how many changes. Safe to call at any time, and twice."""
    return holding.begin_due(PolicyChange, _begin)


def _begin(row: PolicyChange) -> None:
    policy = Policy.objects.select_for_update(no_key=True).get(firm=row.firm)
    before = {name: str(getattr(policy, name)) for name in row.values}
    for name, value in row.values.items():
        setattr(policy, name, value)
    row.done = clock.now()
    row.save(update_fields=["done"])
    try:
        policy.full_clean(exclude=["firm"])
    except ValidationError as error:
        # Each was right when it was typed; together with what came since they are not. Nothing is half done.
        record(
            None,
            say("figures could not hold"),
            row.subject,
            firm_id=row.firm_id,
            after={"from": str(row.since), "why": error.messages},
        )
        return
    if "look_share" in row.values and policy.look_share < 100:
        policy.look_seed = secrets.token_hex(16)
    policy.save()
    renew(row.firm)
    record(
        None, say("figures hold that were set for {since}", since=day_text(row.since, year=True)), row.subject, firm_id=row.firm_id, before=before, after=row.values
    )  # fmt: skip
