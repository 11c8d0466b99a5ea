"""Posting runs: begun in one act, done in the queue claim by claim, so that one that fails holds nothing up."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from datetime import date, timedelta

from django.db import transaction
from django.db.models import Count
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts.models import Posting
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.services import send_posting
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.core.said import joined, said_by, say
from wainwright.core.states import NotNow
from wainwright.errors import Refusal
from wainwright.journals.models import PostingRun, PostingRunItem
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.numbering import next_number
from wainwright.trail.services import record

log = logging.getLogger(__name__)
MOST = 1000
# A run that nobody has gone on with for so long broke off.
BROKEN_OFF = timedelta(minutes=2)


def day_for(member: Membership, on: date | None) -> date:
    """The day on which a run posts: the one that was chosen, else today. Raises ``Refusal``."""
    today = clock.today(member.firm.zone)
    if on is not None and not date(2000, 1, 1) <= on <= today + timedelta(days=366):
        raise Refusal(say("Choose a day of this year or before on which they are posted."), "on")
    return on or today


@transaction.atomic
def start_run(member: Membership, claim_ids: Sequence[int], on: date | None = None) -> PostingRun:
    """Begin to post cleared claims on a day; each is posted by itself in the queue. Raises ``NotAllowed``, ``Refusal``."""
    must(member, "post")
    day = day_for(member, on)
    rows = Claim.objects.filter(firm_id=member.firm_id, pk__in=claim_ids, state__in=["Cleared", "Posting refused"])
    chosen = list(rows.select_related("statement").order_by("sent", "pk")[: MOST + 1])
    if not chosen:
        raise Refusal(say("None of these can be posted: they were posted or changed meanwhile. Choose again."))
    if len(chosen) > MOST:
        raise Refusal(say("A run posts at most {most} claims. Choose fewer.", most=MOST))
    run = new_run(member, day)
    PostingRunItem.objects.bulk_create(
        PostingRunItem(run=run, claim=each, version=each.version, amount_minor=each.total.minor, currency=each.currency)
        for each in chosen
    )
    record(
        member, say("began a posting run"), f"postingrun:{run.pk}", after={"claims": len(chosen), "on": day.isoformat()}
    )
    post_run(run.pk)
    return run


def new_run(member: Membership, day: date) -> PostingRun:
    """Make a run that nothing is in yet. Inside the caller's transaction."""
    number = next_number(PostingRun, member.firm)
    return PostingRun.objects.create(firm=member.firm, number=number, date=day, by=member, time=clock.now())


@on_commit_task(retries=3, retry_delay=30)
def post_run(run_id: int) -> None:
    """Post what of a run was not tried yet."""
    go_on(run_id)


def go_on(run_id: int) -> PostingRun:
    """Post what of a run was not tried yet, one after another; safe to call again after it was broken off."""
    run = PostingRun.objects.select_related("firm", "by__person", "by__firm").get(pk=run_id)
    for item in run.items.filter(state=PostingRunItem.State.WAITING).select_related("claim", "posting__firm"):
        if item.posting is not None:
            _journal(run, item, item.posting)
        else:
            _one(run, item)
    if run.finished is None and not run.items.filter(state=PostingRunItem.State.WAITING).exists():
        _finish(run)
    return run


def _one(run: PostingRun, item: PostingRunItem) -> None:
    try:
        claim = books.post(run.by, item.claim_id or 0, item.version, run.date)
    except (Refusal, NotNow) as error:
        entered = Claim.objects.filter(pk=item.claim_id, state__in=["Posted", "Settled"]).exists()
        # What another process of the same run has posted meanwhile counts as what it is.
        item.state = PostingRunItem.State.ENTERED if entered else PostingRunItem.State.LEFT_OUT
        item.why = "" if entered else f"{said_by(error)}"[:300]
    else:
        if Posting.objects.filter(firm_id=run.firm_id, key=claim.journal_key, state=Posting.State.SENDING).exists():
            # The ledger does not answer: the run goes on when it does.
            return
        refused = claim.state == "Posting refused"
        item.state = PostingRunItem.State.REFUSED if refused else PostingRunItem.State.ENTERED
        item.why = _why(claim)[:300] if refused else ""
    PostingRunItem.objects.filter(pk=item.pk, state=PostingRunItem.State.WAITING).update(state=item.state, why=item.why)


def _journal(run: PostingRun, item: PostingRunItem, posting: Posting) -> None:
    """Send a journal of a run that is no claim's; one that is refused is sent again from its own page."""
    done = send_posting(posting, run.by)
    if done.state == Posting.State.SENDING:
        return
    refused = done.state == Posting.State.REFUSED
    state = PostingRunItem.State.REFUSED if refused else PostingRunItem.State.ENTERED
    why = refusal_words(done)[:300] if refused else ""
    PostingRunItem.objects.filter(pk=item.pk, state=PostingRunItem.State.WAITING).update(state=state, why=why)


def _why(claim: Claim) -> str:
    posting = Posting.objects.filter(subject=claim.subject, state=Posting.State.REFUSED).select_related("firm")
    last = posting.order_by("-pk").first()
    return refusal_words(last) if last else say("The ledger refused it.")


@transaction.atomic
def _finish(run: PostingRun) -> None:
    if not PostingRun.objects.filter(pk=run.pk, finished__isnull=True).update(finished=clock.now()):
        return
    counted = outcome(run)
    record(None, say("finished a posting run"), f"postingrun:{run.pk}", firm_id=run.firm_id, after=counted)
    tell(
        run.by,
        say("Posting run {number}: {outcome_words}", number=run.number, outcome_words=outcome_words(counted)),
        f"/ledger/runs/{run.pk}/",
    )


def outcome(run: PostingRun) -> dict[str, int]:
    """How many of a run stand where. One query."""
    return outcomes([run])[run.pk]


def outcomes(runs: Sequence[PostingRun]) -> dict[int, dict[str, int]]:
    """How many of each of some runs stand where, by the run. One query."""
    found = {run.pk: dict.fromkeys(PostingRunItem.State.values, 0) for run in runs}
    rows = PostingRunItem.objects.filter(run__in=runs).order_by()
    for run_id, state, count in rows.values_list("run", "state").annotate(n=Count("pk")):
        found[run_id][state] = count
    return found


def outcome_words(counted: dict[str, int]) -> str:
    """An outcome in words: how many entered, refused, left out; what is none is not said."""
    words = [joined("", (number, " ", state.lower())) for state, number in counted.items() if number]
    return joined(", ", words) or say("nothing was in it")


def go_on_where_broken_off() -> int:
    """Go on with every run that broke off; return how many."""
    before = clock.now() - BROKEN_OFF
    waiting = PostingRun.objects.filter(finished__isnull=True, time__lte=before).values_list("pk", flat=True)
    for run_id in list(waiting):
        try:
            go_on(run_id)
        except Exception:
            log.exception("could not go on with posting run %s; it is tried again", run_id)
    return len(waiting)
