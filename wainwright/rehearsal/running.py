"""Running a draft over what is there: in the queue, some at a time, and on from where it broke off."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from datetime import date, timedelta

from django.db import transaction
from django.db.models import F
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.claims.models import Claim
from wainwright.core.rules import Finding, Setting, Subject, kinds, run
from wainwright.errors import Refusal
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.rehearsal.laying_down import digest
from wainwright.rehearsal.models import Heard, Rehearsal
from wainwright.rehearsal.subjects import claim_subjects, claims_of, trip_subjects, trips_of
from wainwright.rehearsal.whom import Groups, NoGroup
from wainwright.rulebook.models import RuleSetting
from wainwright.rulebook.selectors import groups_of, rulebook
from wainwright.trips.models import Trip

log = logging.getLogger(__name__)
AT_ONCE, MOST_DAYS, MOST_KEPT = 250, 3 * 366, 10
# One that nobody has gone on with for so long broke off.
BROKEN_OFF = timedelta(minutes=3)
# What of a plan changes from day to day and is not kept: past plans cannot say it.
OPEN_ALONE = ("advances_out", "card_expiring")


@transaction.atomic
def start(by: Membership, rule_id: int, since: date | None, until: date | None, whose: str) -> Rehearsal:
    """Begin to rehearse a draft over a span, and over whose trips and claims. Raises ``NotAllowed``, ``Refusal``."""
    must(by, "rules")
    rule = RuleSetting.objects.filter(firm=by.firm_id, pk=rule_id, draft=True).first()
    if rule is None:
        raise Refusal("That draft is gone: somebody dropped it or put it in force meanwhile.")
    today = clock.today(by.firm.zone)
    if since is None or until is None or not since <= until <= today:
        raise Refusal("Choose a first and a last day that have been.", "since")
    if (until - since).days > MOST_DAYS:
        raise Refusal("At most three years at once.", "since")
    try:
        groups = Groups.of(by.firm).read(whose)
    except NoGroup as wrong:
        raise Refusal(str(wrong), "whose") from wrong
    mine = Rehearsal.objects.filter(by=by)
    if mine.filter(state=Rehearsal.State.WAITING, time__gte=clock.now() - BROKEN_OFF).exists():
        raise Refusal("A rehearsal of yours is on its way. Wait for it, or drop it.")
    mine.filter(pk__in=list(mine.values_list("pk", flat=True)[MOST_KEPT - 1 :])).delete()
    total = _claims(by, rule, since, until).count() + _trips(by, rule, since, until).count()
    made = Rehearsal.objects.create(
        firm=by.firm, rule=rule, seen=digest(rule), by=by, since=since, until=until, groups=groups, total=total, time=clock.now()
    )  # fmt: skip
    rehearse(made.pk)
    return made


def drop(by: Membership, rehearsal_id: int) -> None:
    """Drop a rehearsal of one's own: nothing of it stays. What is under way ends."""
    Rehearsal.objects.filter(by=by, pk=rehearsal_id).delete()


@on_commit_task(retries=2, retry_delay=20)
def rehearse(rehearsal_id: int) -> None:
    """Look at what was not looked at yet."""
    go_on(rehearsal_id)


def go_on(rehearsal_id: int) -> None:
    """Look at what of a rehearsal was not looked at yet; safe to call again after it broke off, or twice at once."""
    while _some(rehearsal_id):
        pass


def _some(rehearsal_id: int) -> bool:
    """Look at the next few, and say whether there may be more."""
    row = Rehearsal.objects.select_related("firm", "rule", "by__firm").filter(pk=rehearsal_id).first()
    if row is None or row.state != Rehearsal.State.WAITING:
        return False
    at = {"claims_at": row.claims_at, "trips_at": row.trips_at}
    claims = _claims(row.by, row.rule, row.since, row.until).filter(pk__gt=row.claims_at).order_by("pk")[:AT_ONCE]
    found, left = [], 0
    looked: list[Claim] | list[Trip] = list(claims.only("pk"))
    if looked:
        found = list(_claims_heard(row, [each.pk for each in looked]))
        moved = {"claims_at": looked[-1].pk}
    else:
        looked = list(
            _trips(row.by, row.rule, row.since, row.until)
            .filter(pk__gt=row.trips_at)
            .order_by("pk")
            .only("pk")[:AT_ONCE]
        )
        heard = list(_trips_heard(row, [each.pk for each in looked]))
        found, left = [each for each in heard if each is not None], heard.count(None)
        moved = {"trips_at": looked[-1].pk} if looked else {}
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


def _claims(by: Membership, rule: RuleSetting, since: date, until: date):
    rows = claims_of(by.firm, since, until)
    return rows if "claim" in rule.subjects else rows.none()


def _trips(by: Membership, rule: RuleSetting, since: date, until: date):
    rows = trips_of(by.firm, since, until)
    if "plan" not in rule.subjects:
        return rows.none()
    return rows.filter(sent=None) if rule.kind in OPEN_ALONE else rows


def _rules(row: Rehearsal) -> tuple[list[Setting], Setting]:
    """The rule as it was in force, for each of its days, and the draft as if it always had been."""
    old = [setting for setting in rulebook(row.firm).settings if setting.code == row.rule.code]
    return old, replace(row.rule.as_core(), since=None, until=None)


def _claims_heard(row: Rehearsal, ids: Sequence[int]) -> Iterator[Heard]:
    old, new = _rules(row)
    rows = Claim.objects.filter(pk__in=ids)
    for claim, subject in claim_subjects(rows, rulebook(row.firm), [*old, new], kinds()[new.kind].needs):
        day = clock.day_of(claim.sent or claim.created, row.firm.zone)
        yield from _compare(row, old, new, subject, claim.claimant, ("claim", claim.pk, claim.editable, day))


def _trips_heard(row: Rehearsal, ids: Sequence[int]) -> Iterator[Heard | None]:
    """What would be heard of some plans; nothing stands for one that cannot be worked out."""
    old, new = _rules(row)
    for trip, subject in trip_subjects(Trip.objects.filter(pk__in=ids), row.firm):
        if subject is None:
            yield None
            continue
        day = trip.starts or clock.day_of(trip.created, row.firm.zone)
        yield from _compare(row, old, new, subject, trip.traveller, ("trip", trip.pk, trip.editable, day))


def _compare(
    row: Rehearsal, old: Sequence[Setting], new: Setting, subject: Subject, person: Membership, thing: tuple[str, int, bool, date]
) -> Iterator[Heard]:  # fmt: skip
    """What the draft changes for one plan or claim, by the identities of what is found."""
    groups = groups_of(person)
    if row.groups and groups.isdisjoint(row.groups):
        return
    before = _by_identity(run(subject, [each for each in old if each.meant_for(groups)]))
    after = _by_identity(run(subject, [new] if new.meant_for(groups) else []))
    categories = {item.key: item.category for item in subject.items}
    lodging = next((code for code, each in rulebook(row.firm).categories.items() if each.is_lodging), "")
    kind, number, is_open, day = thing
    for identity in [*after, *(each for each in before if each not in after)]:
        was, will = before.get(identity), after.get(identity)
        if was is not None and will is not None and (was.level, was.figure) == (will.level, will.figure):
            continue
        change = Heard.Change.NEW if was is None else Heard.Change.GONE if will is None else Heard.Change.OTHER
        found = will or was
        if found is None:
            continue
        yield Heard(
            rehearsal=row, change=change, kind=kind, thing=number, open=is_open, person=person, category=categories.get(found.target, lodging if found.target.startswith("night:") else ""), day=day,
            level=found.level.value, before=was.level.value if was is not None else "", text=found.text[:400],
            amount_minor=found.figure.minor if found.figure is not None else None,
        )  # fmt: skip


def _by_identity(found: Iterable[Finding]) -> dict[str, Finding]:
    return {each.identity: each for each in found}
