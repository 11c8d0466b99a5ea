"""All papers of a claim or a trip as one PDF."""

from __future__ import annotations

from collections.abc import Iterable

from wainwright.claims.models import Claim
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.selectors import with_evidence
from wainwright.formats.binder import Bound, bind
from wainwright.formats.pictures import pages_of
from wainwright.formats.problems import Unreadable
from wainwright.trips.models import Trip


def claim_binder(claim: Claim) -> bytes:
    """Return every paper of a claim, in the order of its costs. Six queries and a read of each page."""
    return bind(f"Papers of {claim.code}, {claim.title}", list(_of_costs(_costs(claim))))


def trip_binder(trip: Trip, claim: Claim | None) -> bytes:
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
        papers += _of_costs(_costs(claim))
    return bind(f"Papers of {trip.code}, {trip.title}", papers)


def _costs(claim: Claim) -> Iterable[Expense]:
    return with_evidence(claim.expenses.all()).prefetch_related("receipts__pages")


def _of_costs(expenses: Iterable[Expense]) -> Iterable[Bound]:
    for expense in expenses:
        detail = f"{expense.date:%d.%m.%Y}, {expense.amount} {expense.currency}"
        receipts = list(expense.receipts.all())
        for receipt in receipts:
            yield Bound(f"{expense.label}: {receipt.name}", detail, tuple(_pictures(receipt)))
        if expense.lost:
            yield Bound(f"{expense.label}: receipt declared lost by {expense.lost['name']}", detail, ())
        elif not receipts and expense.kind == Expense.Kind.COST:
            yield Bound(f"{expense.label}: no receipt", detail, ())


def _pictures(receipt: Receipt) -> Iterable[bytes]:
    for page in receipt.pages.all():
        if page.off:
            continue
        with page.picture.open("rb") as file:
            yield file.read()
