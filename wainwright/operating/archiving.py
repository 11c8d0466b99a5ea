"""A firm's archive, asked for by an administrator: made in the queue, kept for a week, each taking of it in the trail."""

from __future__ import annotations

import tempfile
from datetime import timedelta

from django.conf import settings
from django.core.files.base import File
from django.db import transaction
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.operating.models import FirmArchive
from wainwright.operating.whole_firm import write
from wainwright.people.files import drop_file
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.trail.services import record
from wainwright.tries import at_most_twice

KEPT = timedelta(days=7)
NOT_MADE = say(
    "It was tried twice and could not be made. Tell whoever runs this installation: manage.py firm_archive says why."
)


@transaction.atomic
def ask(member: Membership) -> FirmArchive:
    """Ask for everything of the firm as a file. Raises ``NotAllowed``, or ``Refusal`` while one is being made."""
    must(member, "firm")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
    if firm.archives.filter(state=FirmArchive.State.MAKING).exists():
        raise Refusal(say("One is being made. It is ready in some minutes."))
    row = FirmArchive.objects.create(firm=firm, by=member, time=clock.now())
    record(member, say("asked for everything of the firm as a file"), f"firm:{firm.pk}")
    make(row.pk)
    return row


@on_commit_task(retries=1, retry_delay=5)
def make(archive_id: int) -> None:
    """Make one. A second start of it does it anew; what was made is not made again."""
    row = FirmArchive.objects.select_related("firm").filter(pk=archive_id, state=FirmArchive.State.MAKING).first()
    if row is not None:
        at_most_twice(row, lambda: _make(row), lambda: _not_made(row.pk))


def _make(row: FirmArchive) -> None:
    with tempfile.TemporaryFile(dir=settings.VAR) as target:
        said = write(row.firm, target)
        size = target.tell()
        target.seek(0)
        row.file.save(f"{row.firm.slug}-{row.time:%Y-%m-%d}.zip", File(target), save=False)
    row.size, row.state = size, FirmArchive.State.MADE
    row.rows, row.papers = sum(each["rows"] for each in said["tables"].values()), len(said["papers"])
    if said["missing"]:
        row.problem = say(
            "{things_count} papers are missing on this machine; archive.json names them.",
            things_count=len(said["missing"]),
        )
    row.save()


def _not_made(archive_id: int) -> None:
    FirmArchive.objects.filter(pk=archive_id).update(state=FirmArchive.State.FAILED, problem=NOT_MADE)


def go_on_with_what_broke_off(after: timedelta = timedelta(hours=2)) -> None:
    """Begin again what ended with its process."""
    for row in FirmArchive.objects.filter(state=FirmArchive.State.MAKING, time__lt=clock.now() - after):
        make(row.pk)


@transaction.atomic
def taken(member: Membership, archive_id: int) -> FirmArchive:
    """Return one that may be taken along now, and keep that it was."""
    must(member, "firm")
    row = FirmArchive.objects.get(pk=archive_id, firm_id=member.firm_id, state=FirmArchive.State.MADE)
    record(
        member,
        say("took everything of the firm along"),
        f"firm:{member.firm_id}",
        after={"made": row.time.isoformat(), "bytes": row.size},
    )
    return row


def forget_old() -> None:
    """Delete the archives of before: everything of a firm does not lie about."""
    with transaction.atomic():
        for row in FirmArchive.objects.filter(time__lt=clock.now() - KEPT):
            drop_file(row.file)
            row.delete()
