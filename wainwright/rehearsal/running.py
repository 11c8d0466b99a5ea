"""Running a draft over what is there: in the queue, some at a time, and on from where it broke off."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, timedelta
from typing import Any

from django.db import transaction
from django.db.models import F, QuerySet
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.core.said import said_by, say
from wainwright.errors import Refusal
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.rehearsal.hearing import Hearing, hearing_of
from wainwright.rehearsal.laying_down import RULES
from wainwright.rehearsal.models import Heard, Rehearsal
from wainwright.rehearsal.routing import ROUTES
from wainwright.rehearsal.whom import Groups, NoGroup
from wainwright.rulebook import schemes
from wainwright.rulebook.models import RateSheet, SchemeData

AT_ONCE, MOST_DAYS, MOST_KEPT = 250, 3 * 366, 10
# One that nobody has gone on with for so long broke off.
BROKEN_OFF = timedelta(minutes=3)


@transaction.atomic
def start(sort: str, by: Membership, draft_id: int, since: date | None, until: date | None, whose: str) -> Rehearsal:
    """Begin to rehearse a draft over a span, and over whose trips and claims. Raises ``NotAllowed``, ``Refusal``.

    ``sort`` is "rule", "route", "scheme" or "sheet" (a table of allowance rates that is not taken).
    """
    must(by, "rules")
    draft = _drafts(sort, by).filter(pk=draft_id).first()
    if draft is None:
        raise Refusal(say("That draft is gone: somebody dropped it or put it in force meanwhile."))
    return _begin(by, since, until, whose, seen=digest_of(sort, draft), **{sort: draft})


@transaction.atomic
def start_trial(by: Membership, trial: dict[str, Any], since: date | None, until: date | None, whose: str) -> Rehearsal:
    """Begin to rehearse what was typed and is kept nowhere else (``Trial``). Raises ``NotAllowed``, ``Refusal``."""
    must(by, "rules")
    return _begin(by, since, until, whose, seen="", trial=trial)


def _begin(by: Membership, since: date | None, until: date | None, whose: str, **what: Any) -> Rehearsal:
    today = clock.today(by.firm.zone)
    if since is None or until is None or not since <= until <= today:
        raise Refusal(say("Choose a first and a last day that have been."), "since")
    if (until - since).days > MOST_DAYS:
        raise Refusal(say("At most three years at once."), "since")
    try:
        groups = Groups.of(by.firm).read(whose)
    except NoGroup as wrong:
        raise Refusal(said_by(wrong), "whose") from wrong
    mine = Rehearsal.objects.filter(by=by)
    if mine.filter(state=Rehearsal.State.WAITING, time__gte=clock.now() - BROKEN_OFF).exists():
        raise Refusal(say("A rehearsal of yours is on its way. Wait for it, or drop it."))
    mine.filter(pk__in=list(mine.values_list("pk", flat=True)[MOST_KEPT - 1 :])).delete()
    made = Rehearsal(firm=by.firm, by=by, since=since, until=until, groups=groups, time=clock.now(), **what)
    hearing = hearing_of(made)
    made.total = hearing.claims().count() + hearing.trips().count()
    made.save()
    rehearse(made.pk)
    return made


def _drafts(sort: str, by: Membership) -> QuerySet[Any]:
    if sort == "scheme":
        return SchemeData.objects.filter(firm=by.firm)
    if sort == "sheet":
        return RateSheet.objects.filter(firm=by.firm, taken=None)
    return {"rule": RULES, "route": ROUTES}[sort].rows(by.firm).filter(draft=True)


def digest_of(sort: str, draft: Any) -> str:
    """Return what tells whether a draft is still as it was rehearsed."""
    if sort == "scheme":
        return schemes.digest(draft)
    if sort in ("limit", "mileage"):
        return ""
    # A table never changes: it is taken, or another is sent in.
    return str(draft.pk) if sort == "sheet" else {"rule": RULES, "route": ROUTES}[sort].digest(draft)


def drop(by: Membership, rehearsal_id: int) -> None:
    """Drop a rehearsal of one's own: nothing of it stays. What is under way ends."""
    Rehearsal.objects.filter(by=by, pk=rehearsal_id).delete()


@on_commit_task(retries=2, retry_delay=20)
def rehearse(rehearsal_id: int) -> None:
    """Look at what was not looked at yet."""
    go_on(rehearsal_id)


def go_on(rehearsal_id: int) -> None:
    """Look at what of a rehearsal was not looked at yet; safe to call again after it broke off, or twice at once."""
    rows = Rehearsal.objects.select_related("firm", "rule", "route__signer__person", "scheme", "sheet", "by__firm")
    row = rows.filter(pk=rehearsal_id).first()
    if row is None:
        return
    # What is rehearsed is read once: a draft that is changed meanwhile does not change what is heard of it.
    hearing = hearing_of(row)
    with no_collecting():
        while _some(rehearsal_id, hearing):
            pass


@contextmanager
def no_collecting() -> Iterator[None]:
    """Pause the search for circles among objects: rows by the hundred thousand make none, and it takes a fifth of the time."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def _some(rehearsal_id: int, hearing: Hearing) -> bool:
    """Look at the next few, and say whether there may be more."""
    row = Rehearsal.objects.filter(pk=rehearsal_id, state=Rehearsal.State.WAITING).first()
    if row is None:
        return False
    at, left = {"claims_at": row.claims_at, "trips_at": row.trips_at}, 0
    looked = list(hearing.claims().filter(pk__gt=row.claims_at).order_by("pk").values_list("pk", flat=True)[:AT_ONCE])
    if looked:
        found = list(hearing.of_claims(looked))
        moved = {"claims_at": looked[-1]}
    else:
        looked = list(hearing.trips().filter(pk__gt=row.trips_at).order_by("pk").values_list("pk", flat=True)[:AT_ONCE])
        heard = list(hearing.of_trips(looked))
        found, left = [each for each in heard if each is not None], heard.count(None)
        moved = {"trips_at": looked[-1]} if looked else {}
    with transaction.atomic():
        # Somebody dropped it, or another worker has looked at these: what was found counts once.
        mine = Rehearsal.objects.filter(pk=row.pk, state=Rehearsal.State.WAITING, **at)
        if not looked:
            mine.update(state=Rehearsal.State.DONE, finished=clock.now())
            return False
        if not mine.update(looked=F("looked") + len(looked), left=F("left") + left, time=clock.now(), **moved):
            return False
        Heard.objects.bulk_create(found, batch_size=500)
    return True
