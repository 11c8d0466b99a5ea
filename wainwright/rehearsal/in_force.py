"""What is in force by day: drafts, a first day, the one before that ends with it, an end, and taking out what has not begun.

The same for every sort of thing that an administrator lays down as rows of one code; see ``Kept``.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.db import transaction
from django.db.models import F, Model, Q, QuerySet

from wainwright import clock
from wainwright.core.said import say
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.people.models import Firm, Membership
from wainwright.rulebook.holding import FARTHEST, locked, renew
from wainwright.trail.services import record

DAY, OPEN = timedelta(days=1), "open"


@dataclass(frozen=True)
class Kept:
    """A sort of thing with rows by day: its model (code, since, until, draft, cut), its name, how the trail says a row.

    ``check`` raises ``Refusal`` where a row cannot be put in force as it is, ``may_end`` where it cannot be without one.
    """

    model: type[Model]
    noun: str
    said: Callable[[Any], dict[str, Any]]
    check: Callable[[Any], None]
    may_end: Callable[[Any], None] = lambda row: None

    def rows(self, firm: Firm) -> QuerySet[Any]:
        """All rows of a firm."""
        return self.model._default_manager.filter(firm=firm)

    def subject(self, firm_id: int, code: str) -> str:
        """Its name in the trail, over all its days."""
        return f"{self.noun.replace(' ', '-')}:{firm_id}:{code}"

    def digest(self, row: Any) -> str:
        """What tells whether a row is still as somebody saw it."""
        return hashlib.sha256(json.dumps(self.said(row), sort_keys=True).encode()).hexdigest()[:16]

    def versions(self, firm: Firm, code: str) -> QuerySet[Any]:
        """Its rows, the latest first; drafts left out."""
        return self.rows(firm).filter(code=code, draft=False).order_by(F("since").desc(nulls_last=True))

    def draft(self, firm: Firm, row_id: int, seen: str) -> Any:
        """A draft, as it was seen. Raises ``Stale``."""
        row = self.rows(firm).select_for_update(no_key=True).filter(pk=row_id, draft=True).first()
        if row is None:
            raise Stale(say("That draft is gone: somebody dropped it or put it in force meanwhile."))
        return self._as_seen(row, seen)

    def last(self, firm: Firm, code: str, seen: str) -> Any:
        """Its latest row, as it was seen. Raises ``Stale``."""
        row = self.versions(firm, code).select_for_update(no_key=True).first()
        if row is None:
            raise Stale(say("That {noun} is gone.", noun=self.noun))
        return self._as_seen(row, seen)

    def _as_seen(self, row: Any, seen: str) -> Any:
        if self.digest(row) != seen:
            raise Stale(say("Somebody changed it meanwhile. Look at it as it is now; what you typed stands below."))
        return row

    def may_change(self, firm: Firm, code: str) -> Any:
        """The latest row of what is to be changed. Raises ``Stale`` where it is gone, or being changed already."""
        there = self.versions(firm, code).first()
        if there is None:
            raise Stale(say("That {noun} is gone. Begin a new one.", noun=self.noun))
        if self.rows(firm).filter(code=code, draft=True).exists():
            raise Stale(
                say(
                    "Somebody has begun to change this {noun} already: their draft stands under it. Go on "
                    "with that one.",
                    noun=self.noun,
                )
            )
        return there

    def free_code(self, firm: Firm, name: str, most: int) -> str:
        """A code that was never used. Raises ``Refusal`` where there are too many.

        What is found is kept under it, so that one which was used is not used again.
        """
        taken = set(self.rows(firm).values_list("code", flat=True))
        if len(taken) >= most:
            raise Refusal(say("There are {most} of them. End some before you begin another.", most=most))
        return next(free for n in range(2, 10_000) if (free := f"{name[:22]}-{n}") not in taken)


@transaction.atomic
def put_in_force(kept: Kept, by: Membership, row_id: int, since: date | None, seen: str) -> Any:
    """Put a draft in force from a day on, today or later; the one before ends on the day before it.

    Raises ``NotAllowed``, ``Refusal``, ``Stale``.
    """
    firm = locked(by)
    row = kept.draft(firm, row_id, seen)
    today = clock.today(firm.zone)
    if since is None or not today <= since <= today + FARTHEST:
        raise Refusal(
            say("Choose from which day on: today or later, within two years. What was before stays as it was."), "since"
        )
    later = kept.versions(firm, row.code).filter(since__gte=since).first()
    if later is not None:
        raise Refusal(
            say(
                "The same {noun} begins anew on {since} already. Choose a later day, or take that out first.",
                noun=kept.noun,
                since=day_text(later.since, year=True),
            ),
            "since",
        )
    # What it names may be gone since it was typed.
    kept.check(row)
    before = kept.versions(firm, row.code).filter(Q(until=None) | Q(until__gte=since)).first()
    row.cut = ""
    if before is not None:
        row.cut = str(before.until or OPEN)
        before.until = since - DAY
        before.save(update_fields=["until"])
    row.since, row.until, row.draft = since, None, False
    row.save()
    renew(firm)
    record(
        by, say("put a {noun} in force", noun=kept.noun), kept.subject(firm.pk, row.code), before=kept.said(before) if before else None,
        after=kept.said(row),
    )  # fmt: skip
    return row


@transaction.atomic
def drop_draft(kept: Kept, by: Membership, row_id: int, seen: str) -> Any:
    """Drop a draft, with what it was rehearsed on. Raises ``NotAllowed``, ``Stale``."""
    firm = locked(by)
    row = kept.draft(firm, row_id, seen)
    record(
        by, say("dropped a draft of a {noun}", noun=kept.noun), kept.subject(firm.pk, row.code), before=kept.said(row)
    )
    row.delete()
    return row


@transaction.atomic
def end(kept: Kept, by: Membership, code: str, until: date | None, seen: str) -> Any:
    """Say on which day something is in force for the last time, today or later. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    firm = locked(by)
    row = kept.last(firm, code, seen)
    today = clock.today(firm.zone)
    if row.until is not None and row.until < today:
        raise Stale(say("It ended on {until}.", until=day_text(row.until, year=True)))
    if until is None or not today <= until <= today + FARTHEST:
        raise Refusal(say("Choose its last day: today or later, within two years."), "until")
    if row.since is not None and until < row.since:
        raise Refusal(
            say("It begins on {since} only. Take it out instead.", since=day_text(row.since, year=True)), "until"
        )
    kept.may_end(row)
    before, row.until = kept.said(row), until
    row.save(update_fields=["until"])
    renew(firm)
    record(by, say("ended a {noun}", noun=kept.noun), kept.subject(firm.pk, code), before=before, after=kept.said(row))
    return row


@transaction.atomic
def take_out(kept: Kept, by: Membership, code: str, seen: str) -> Any:
    """Take what has not begun back to a draft; the one before ends when it would have. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    firm = locked(by)
    row = kept.last(firm, code, seen)
    if row.since is None or row.since <= clock.today(firm.zone):
        raise Refusal(say("It has begun: what was found by it stays. End it, or change it from a day on."))
    if kept.rows(firm).filter(code=code, draft=True).exists():
        raise Refusal(say("There is a draft of this {noun} already. Drop that first.", noun=kept.noun))
    said = kept.said(row)
    cut, row.since, row.until, row.draft, row.cut = row.cut, None, None, True, ""
    row.save()
    before = kept.versions(firm, code).first()
    if before is not None and cut:
        before.until = None if cut == OPEN else date.fromisoformat(cut)
        before.save(update_fields=["until"])
    renew(firm)
    record(by, say("took a {noun} out before it began", noun=kept.noun), kept.subject(firm.pk, code), before=said)
    return row
