"""Masters fetched from the ledger or read from a file: what taking them would change is kept and shown."""

from __future__ import annotations

import logging
from collections.abc import Iterable
from datetime import timedelta

from django.db import transaction
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts.connection import ask
from wainwright.accounts.models import Connection, Dimension, FirmAccounts
from wainwright.core.masters import ACCOUNT, BANK, CUSTOMER, SUPPLIER, TAX, Master, compare, plain
from wainwright.core.said import said_by, say
from wainwright.errors import Refusal, Stale
from wainwright.formats.apart import apart
from wainwright.formats.problems import Unreadable
from wainwright.masters.models import Fetch
from wainwright.masters.selectors import in_use, known
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version
from wainwright.ports.ledger import LedgerAway, LedgerShut, Masters
from wainwright.trail.services import record

log = logging.getLogger(__name__)


@transaction.atomic
def fetch(member: Membership) -> Fetch:
    """Begin to fetch the ledger's masters, in the queue. Raises ``Stale`` while one is under way."""
    must(member, "masters")
    lately = clock.now() - timedelta(minutes=2)
    if Fetch.objects.filter(firm=member.firm, state=Fetch.State.FETCHING, time__gte=lately).exists():
        raise Stale(say("They are being fetched already."))
    row = Fetch.objects.create(firm=member.firm, source=say("The ledger"), by=member, time=clock.now())
    record(member, say("fetched the masters"), f"firm:{member.firm_id}")
    do_fetch(row.pk)
    return row


@on_commit_task(retries=1, retry_delay=10)
def do_fetch(fetch_id: int) -> None:
    """Fetch in the queue."""
    fetched(fetch_id)


def fetched(fetch_id: int) -> None:
    """Fetch, and keep what taking it would change."""
    row = Fetch.objects.select_related("firm").get(pk=fetch_id)
    if row.state != Fetch.State.FETCHING:
        return
    try:
        found: Masters = ask(row.firm, lambda ledger, firm: ledger.masters(firm))
    except (LedgerAway, LedgerShut) as error:
        row.state, row.problem = Fetch.State.AWAY, say("The ledger does not answer: {error}.", error=error)[:300]
        row.save()
        return
    _show(row, list(found.rows), found.kinds)
    Connection.objects.filter(firm=row.firm).update(fetched=clock.now())


@transaction.atomic
def read_file(member: Membership, name: str, content: bytes, kind: str, complete: bool) -> Fetch:
    """Read masters from a file; ``complete`` says that kinds in it are whole, so that what is missing is gone. Raises ``Refusal``."""
    must(member, "masters")
    if not content:
        raise Refusal(say("Choose the file with the masters."), "file")
    try:
        rows, left = apart("masters", content, kind.strip()[:20])
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    if not rows:
        raise Refusal(
            say("No row could be read. {where}: {why}.", where=left[0].where, why=left[0].why)
            if left
            else say("The file holds no masters."),
            "file",
        )
    row = Fetch(
        firm=member.firm,
        source=name[-120:] or say("a file"),
        by=member,
        time=clock.now(),
        left=[[each.where, each.why] for each in left],
    )
    row.save()
    record(
        member,
        say("read masters from a file"),
        f"firm:{member.firm_id}",
        after={"name": row.source, "rows": len(rows), "left out": len(left)},
    )
    _show(row, rows, {each.kind for each in rows} if complete else ())
    return row


def _show(row: Fetch, rows: list[Master], complete: Iterable[str]) -> None:
    day = clock.today(row.firm.zone)
    changes = compare(known(row.firm), kept_kinds(row.firm, rows), day, in_use(row.firm), complete)
    row.rows, row.complete = [plain(each) for each in rows], sorted(complete)
    row.changes = [
        [each.what, each.kind, each.code, each.name, each.words, list(each.in_use), each.hurts] for each in changes
    ]
    row.state = Fetch.State.SHOWN
    row.save()
    if not changes and complete:
        known_as_of_now(row.firm)


def known_as_of_now(firm: Firm) -> None:
    """Keep that what is known here is what the ledger has now. Inside the caller's transaction, or by itself."""
    FirmAccounts.objects.filter(firm=firm).update(known_as_of=clock.now())
    Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())


def kept_kinds(firm: Firm, rows: Iterable[Master]) -> list[Master]:
    """Those of kinds that are kept here; what people of the ledger are is nothing of ours."""
    kinds = {
        ACCOUNT,
        BANK,
        CUSTOMER,
        SUPPLIER,
        TAX,
        *Dimension.objects.filter(firm=firm).values_list("code", flat=True),
    }
    return [each for each in rows if each.kind in kinds]


def put_away_what_broke_off() -> int:
    """Put away every fetch whose process died, so that nobody waits for it. Returns how many."""
    before = clock.now() - timedelta(minutes=10)
    rows = Fetch.objects.filter(state=Fetch.State.FETCHING, time__lte=before)
    return rows.update(state=Fetch.State.AWAY, problem=say("It broke off. Fetch again."))


def fetch_due() -> int:
    """Fetch the masters of every firm whose connection says so; what would change is shown, and told to its holder. Returns how many."""
    done = 0
    for row in Connection.objects.filter(every_hours__gt=0, holder__active=True).select_related(
        "holder__person", "holder__firm"
    ):
        due = clock.now() - timedelta(hours=row.every_hours)
        if (row.fetched and row.fetched > due) or Fetch.objects.filter(
            firm_id=row.firm_id, time__gt=due, by__isnull=True
        ).exists():
            continue
        try:
            made = Fetch.objects.create(firm_id=row.firm_id, source=say("The ledger"), by=None, time=clock.now())
            fetched(made.pk)
            made.refresh_from_db()
            if made.state == Fetch.State.SHOWN and made.changes:
                hurts = sum(bool(change[6]) for change in made.changes)
                words = say("{changes_count} of the ledger's masters would change", changes_count=len(made.changes)) + (
                    say(", {hurts} that are in use", hurts=hurts) if hurts else ""
                )
                tell(row.holder, words, f"/ledger/masters/{made.pk}/")
            done += 1
        except Exception:
            log.exception("could not fetch the masters of firm %s; it is tried again", row.firm_id)
    return done
