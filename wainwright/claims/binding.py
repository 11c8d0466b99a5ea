"""All papers of a claim or a trip as one PDF."""

from __future__ import annotations

from collections.abc import Iterable

from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.expenses.models import Receipt
from wainwright.formats.binder import Bound, bind
from wainwright.formats.pictures import pages_of
from wainwright.formats.problems import Unreadable
from wainwright.people.models import Membership
from wainwright.trips.models import Trip


def claim_binder(member: Membership, claim: Claim) -> bytes:
    """Return every paper of a claim, in the order of its lines: as certified where it was sent. Nine queries, and a read of each page."""
    return bind(f"Papers of {claim.code}, {claim.title}", list(_of_lines(member, claim)))


def trip_binder(member: Membership, trip: Trip, claim: Claim | None) -> bytes:
    """Return a trip's own papers, then those of its claim."""
    papers = []
    for paper in trip.papers.all():
        with paper.file.open("rb") as file:
            try:
                pages = tuple(page.content for page in pages_of(file.read()))
            except Unreadable:
                pages = ()
        papers.append(Bound(f"{paper.kind}: {paper.name}", "", pages))
    if claim is not None:
        papers += _of_lines(member, claim)
    return bind(f"Papers of {trip.code}, {trip.title}", papers)


def _of_lines(member: Membership, claim: Claim) -> Iterable[Bound]:
    lines = load_file(member, claim).figures.lines
    numbers = [number for line in lines for number in line.receipts]
    receipts = Receipt.objects.filter(pk__in=numbers).prefetch_related("pages").in_bulk()
    for line in lines:
        detail = f"{line.day:%d.%m.%Y}, {line.says} {line.says.currency}"
        for number in line.receipts:
            if number in receipts:
                yield Bound(f"{line.label}: {receipts[number].name}", detail, tuple(_pictures(receipts[number])))
        lost = [each for each in line.evidence if each.kind == "lost"]
        for each in lost:
            yield Bound(f"{line.label}: {each.text}", detail, ())
        if not lost and not line.receipts and line.kind == "cost":
            yield Bound(f"{line.label}: no receipt", detail, ())


def _pictures(receipt: Receipt) -> Iterable[bytes]:
    for page in receipt.pages.all():
        if page.off:
            continue
        with page.picture.open("rb") as file:
            yield file.read()
