"""All papers of a claim or a trip as one PDF: what goes into it is known at once, and bound in the queue."""

from __future__ import annotations

import hashlib
import json
import logging
from collections.abc import Iterable, Sequence
from datetime import timedelta

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.db import transaction
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.claims.documents import MARKS, document_html
from wainwright.claims.models import Binder, Claim
from wainwright.claims.selectors import load_file
from wainwright.core.said import as_figure, joined, kept, say
from wainwright.core.statement import Line
from wainwright.expenses.models import Receipt
from wainwright.formats.apart import apart
from wainwright.formats.binder import Bound, bind
from wainwright.formats.document import document
from wainwright.formats.opening import RECEIPT
from wainwright.formats.problems import Unreadable
from wainwright.language import written_for
from wainwright.people.files import drop_file
from wainwright.people.models import Membership
from wainwright.trips.models import Trip
from wainwright.trips.printing import printed

log = logging.getLogger(__name__)
# A binding that broke off is begun anew after so long; a binder that nobody fetched is not kept longer.
BROKEN_OFF, KEPT = timedelta(minutes=10), timedelta(days=7)

# One paper: label, detail, the pictures of its pages, its own file where nobody has opened it yet, and its stamp.
Planned = tuple[str, str, list[str], str, str]


def claim_binder(member: Membership, claim: Claim) -> Binder:
    """Return the binder of a claim, in the order of its lines: as certified where it was sent. It may not be ready yet."""
    return _binder(
        claim,
        say("Papers of {claim_code}, {claim_title}", claim_code=claim.code, claim_title=claim.title),
        list(_of_lines(claim, load_file(member, claim).figures.lines)),
    )


def trip_binder(member: Membership, trip: Trip, claims: Sequence[Claim]) -> Binder:
    """Return the binder of a trip's own papers and those of its claims. It may not be ready yet."""
    papers: list[Planned] = [
        (joined("", (paper.kind, ": ", paper.name)), "", [], paper.file.name, "") for paper in trip.papers.all()
    ]
    for claim in claims:
        papers += _of_lines(claim, load_file(member, claim).figures.lines)
    return _binder(trip, say("Papers of {trip_code}, {trip_title}", trip_code=trip.code, trip_title=trip.title), papers)


def claim_document(member: Membership, claim: Claim) -> Binder:
    """Return a claim as a document: what was certified, then its evidence, each page stamped. It may not be ready yet."""
    file = load_file(member, claim)
    return _binder(
        claim,
        say("Evidence of {claim_code}", claim_code=claim.code),
        list(_of_lines(claim, file.by_day)),
        document_html(file),
    )


@transaction.atomic
def _binder(of: Claim | Trip, title: str, plan: list[Planned], front: str = "") -> Binder:
    key = hashlib.sha256(json.dumps([title, plan, front]).encode()).hexdigest()
    binder, new = Binder.objects.get_or_create(
        subject=of.subject, key=key,
        defaults={"firm_id": of.firm_id, "title": title[:300], "plan": plan, "front": front, "time": clock.now()},
    )  # fmt: skip
    if new or (binder.state == Binder.State.WAITING and binder.time < clock.now() - BROKEN_OFF):
        Binder.objects.filter(pk=binder.pk).update(time=clock.now())
        put_together(binder.pk)
    return binder


@transaction.atomic
def bind_again(binder: Binder) -> None:
    """Try once more what could not be bound."""
    again = Binder.objects.filter(pk=binder.pk, state=Binder.State.FAILED)
    if again.update(state=Binder.State.WAITING, done=0, started=None, time=clock.now()):
        put_together(binder.pk)


@on_commit_task()
def put_together(binder_id: int) -> None:
    """Bind the papers. Whoever began first does it; a file that is gone, or cannot be opened, is named in the contents."""
    begun = Binder.objects.filter(pk=binder_id, state=Binder.State.WAITING).exclude(
        started__gt=clock.now() - BROKEN_OFF
    )
    if not begun.update(started=clock.now(), done=0):
        return
    binder = Binder.objects.select_related("firm").get(pk=binder_id)
    try:
        # A paper of the firm, whoever asked for it.
        with written_for(binder.firm):
            content = _bound_together(binder)
    except (OSError, ValueError, RuntimeError) as error:
        log.warning("binder %s was not bound: %s", binder_id, error)
        Binder.objects.filter(pk=binder_id).update(state=Binder.State.FAILED)
        return
    with transaction.atomic():
        binder.file.save(f"{binder.key[:24]}.pdf", ContentFile(content), save=False)
        binder.state, binder.done = Binder.State.READY, len(binder.plan)
        binder.save()
        away(Binder.objects.filter(subject=binder.subject, state=Binder.State.READY).exclude(pk=binder_id))


def _bound_together(binder: Binder) -> bytes:
    papers, title = [], kept(binder.title)
    for number, (label, detail, pictures, own, _) in enumerate(binder.plan, 1):
        papers.append(_bound(kept(label), kept(detail), pictures, own))
        Binder.objects.filter(pk=binder.pk).update(done=number)
    if not binder.front:
        return bind(title, papers)
    stamps = [kept(stamp) for *_, stamp in binder.plan]
    return document(printed(binder.front), title, list(zip(stamps, papers, strict=True)), MARKS)


def away(binders: Iterable[Binder]) -> None:
    """Delete binders and their files."""
    for each in binders:
        drop_file(each.file)
        each.delete()


def forget_old() -> None:
    """Delete the binders of before; asked for again, they are bound again."""
    with transaction.atomic():
        away(Binder.objects.filter(time__lt=clock.now() - KEPT))


def _bound(label: str, detail: str, pictures: list[str], own: str) -> Bound:
    try:
        if own:
            return Bound(label, detail, tuple(page.content for page in apart("paper", RECEIPT, _content(own)).pages))
        return Bound(label, detail, tuple(_content(name) for name in pictures))
    except Unreadable:
        return Bound(label, joined(" ", filter(None, (detail, say("cannot be opened")))), ())
    except FileNotFoundError:
        return Bound(label, joined(" ", filter(None, (detail, say("its file is missing")))), ())


def _content(name: str) -> bytes:
    with default_storage.open(name, "rb") as file:
        return bytes(file.read())


def _of_lines(claim: Claim, lines: Sequence[Line]) -> Iterable[Planned]:
    """Each line's papers, stamped with its place among ``lines``."""
    numbers = [number for line in lines for number in line.receipts]
    receipts = Receipt.objects.filter(pk__in=numbers).prefetch_related("pages").in_bulk()
    for place, line in enumerate(lines, 1):
        detail, stamp = (
            joined("", (as_figure(line.day, "%d.%m.%Y"), ", ", line.says, " ", line.says.currency)),
            say("{claim_code} · line {place}", claim_code=claim.code, place=place),
        )
        for number in line.receipts:
            if number in receipts:
                pictures = [page.picture.name for page in receipts[number].pages.all() if not page.off]
                yield joined("", (line.label, ": ", receipts[number].name)), detail, pictures, "", stamp
        lost = [each for each in line.evidence if each.kind == "lost"]
        for each in lost:
            yield joined("", (line.label, ": ", each.text)), detail, [], "", stamp
        booked = any(each.kind == "booking" for each in line.evidence)
        if not lost and not booked and not line.receipts and line.kind == "cost":
            yield say("{line_label}: no receipt", line_label=line.label), detail, [], "", stamp
