"""Papers put in order: which come first, which pages count, one picture cut in two, two papers made one, a booking put on a trip."""

from __future__ import annotations

import io
from datetime import datetime, timedelta
from decimal import Decimal

from django.core.files.base import ContentFile
from django.db import transaction
from django.db.models import Q
from PIL import Image

from wainwright import clock
from wainwright.core.fx import NoRate, convert
from wainwright.core.money import Money
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Receipt, ReceiptPage
from wainwright.expenses.services.editing import mine
from wainwright.expenses.services.receipts import take_in
from wainwright.formats.places import best_place
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import rate_table
from wainwright.trail.services import record
from wainwright.trips.models import Night, Trip
from wainwright.trips.services import nights as night_services
from wainwright.trips.services import plan

LEAST_SHARE, MOST_SHARE = 10, 90


@transaction.atomic
def order(member: Membership, expense_id: int, receipt_id: int, up: bool) -> None:
    """Move a paper of an expense one place up or down."""
    expense = mine(member, expense_id)
    papers = list(expense.receipts.order_by("place", "received", "pk"))
    at = next((n for n, paper in enumerate(papers) if paper.pk == receipt_id), None)
    if at is None:
        raise Stale("That paper is no longer on this cost.")
    to = at - 1 if up else at + 1
    if 0 <= to < len(papers):
        papers[at], papers[to] = papers[to], papers[at]
    for place, paper in enumerate(papers):
        if paper.place != place:
            Receipt.objects.filter(pk=paper.pk).update(place=place)
    record(member, "put papers in order", expense.key, after={"papers": [p.pk for p in papers]})


@transaction.atomic
def take_page_off(member: Membership, page_id: int, off: bool) -> Receipt:
    """Take a page off a receipt, or put it back; the file itself is kept whole. Raises ``Refusal`` for the last page."""
    page = _page(member, page_id)
    if off and not page.receipt.pages.filter(off=False).exclude(pk=page.pk).exists():
        raise Refusal("It is the only page left; take the whole paper off instead.")
    page.off = off
    page.save(update_fields=["off"])
    record(
        member,
        "took a page off" if off else "put a page back",
        f"receipt:{page.receipt_id}",
        after={"page": page.number + 1},
    )
    return page.receipt


def cut(member: Membership, page_id: int, beside: bool, at: int) -> list[Receipt]:
    """Cut a picture with two receipts in two, at so many per cent from the left (``beside``) or from the top.

    Both halves are papers of their own and are read; the picture itself is put aside. Raises ``Refusal``.
    """
    page = _page(member, page_id)
    receipt = page.receipt
    if receipt.expense_id is not None:
        raise Refusal("It belongs to a cost already. Take it off there first.")
    if not LEAST_SHARE <= at <= MOST_SHARE:
        raise Refusal(f"Cut between {LEAST_SHARE} and {MOST_SHARE} per cent.", "at")
    with page.picture.open("rb") as file, Image.open(io.BytesIO(file.read())) as image:
        width, height = image.size
        x, y = width * at // 100, height * at // 100
        boxes = [(0, 0, x, height), (x, 0, width, height)] if beside else [(0, 0, width, y), (0, y, width, height)]
        halves = []
        for box in boxes:
            out = io.BytesIO()
            image.crop(box).save(out, "JPEG", quality=92)
            halves.append(out.getvalue())
    with transaction.atomic():
        done = [
            take_in(member, f"{receipt.name[:100]}, {n} of 2.jpg", half).receipt for n, half in enumerate(halves, 1)
        ]
        Receipt.objects.filter(pk=receipt.pk).update(aside="Cut in two")
        record(member, "cut a picture in two", f"receipt:{receipt.pk}", after={"papers": [r.pk for r in done if r]})
    return [each for each in done if each is not None]


@transaction.atomic
def join(member: Membership, receipt_id: int, other_id: int) -> Receipt:
    """Add the pages of another loose paper to this one; its file stays beside it, put aside. Raises ``Stale``."""
    both = {
        r.pk: r
        for r in Receipt.objects.select_for_update(no_key=True).filter(
            Q(pk=receipt_id) | Q(pk=other_id), owner=member, expense__isnull=True
        )
    }
    if len(both) != 2:
        raise Stale("One of them was taken already, on this page or another.")
    receipt, other = both[receipt_id], both[other_id]
    last = receipt.pages.count()
    for n, page in enumerate(other.pages.all()):
        with page.picture.open("rb") as file:
            content = file.read()
        row = ReceiptPage(receipt=receipt, number=last + n, width=page.width, height=page.height)
        row.picture.save(f"{other.sha256[:24]}-{last + n}.jpg", ContentFile(content), save=False)
        row.save()
    other.aside = f"Pages of {receipt.name}"[:120]
    other.save(update_fields=["aside"])
    record(member, "added pages", f"receipt:{receipt.pk}", after={"from": other.pk})
    return receipt


def _page(member: Membership, page_id: int) -> ReceiptPage:
    page = (
        ReceiptPage.objects.select_related("receipt__expense__claim").filter(receipt__owner=member, pk=page_id).first()
    )
    if page is None:
        raise Stale("That page is not there any more.")
    expense = page.receipt.expense
    if expense is not None and expense.claim is not None and not expense.claim.editable:
        raise Stale(f"Its claim stands at {expense.claim.state}: nothing can be changed on it now.")
    return page


@transaction.atomic
def put_on_trip(member: Membership, receipt_id: int, trip_id: int) -> list[str]:
    """Put the bookings of a mail, or the journey of a calendar file, on a trip: legs, nights and amounts. Returns what was put there. Raises ``Refusal``.

    A leg that is on the trip already is left as it is, so that a second forwarding adds nothing.
    """
    receipt = Receipt.objects.get(owner=member, pk=receipt_id)
    trip = Trip.objects.visible_to(member).get(pk=trip_id)
    done: list[str] = []
    later: list[str] = []
    bookings = receipt.invoice.get("bookings", [])
    for row in sorted(bookings, key=lambda row: (row["mode"] == "stay", row["leaves"])):
        cost = _cost(trip, row)
        leaves, arrives = datetime.fromisoformat(row["leaves"]), datetime.fromisoformat(row["arrives"])
        if row["mode"] == "stay":
            put, left = _stay(member, trip, row, leaves, arrives, cost)
            done, later = done + put, later + left
            continue
        origin, target = best_place(row["origin"]), best_place(row["target"])
        if origin is None or target is None:
            raise Refusal(
                f"No place is known as “{row['target'] if origin else row['origin']}”. Type this leg yourself."
            )
        known = [
            leg
            for leg in trip.legs.all()
            if leg.leaves == leaves.replace(tzinfo=leg.leaves.tzinfo) and leg.start.code == origin.code
        ]
        if not known:
            leg = plan.add_leg(member, trip.pk, row["mode"], origin, target, leaves, max(arrives, leaves), cost, "firm")
            done.append(str(leg))
    if not done:
        raise Refusal(" ".join(later) or "All of it is on the trip already.")
    what = "a calendar's journey" if receipt.kind == Receipt.Kind.CALENDAR else "a mail's bookings"
    record(member, f"put {what} on the trip", trip.subject, after={"receipt": receipt.pk, "put": done})
    if receipt.kind == Receipt.Kind.CALENDAR and not later:
        # It proves no cost: nothing is left to do with it.
        receipt.aside = f"On {trip.code}, {trip.title}"[:120]
        receipt.save(update_fields=["aside"])
    return done + later


def _cost(trip: Trip, row: dict) -> Decimal:
    """What a booking costs in the trip's currency, at the table's rate of today; a price nobody can turn is left at 0."""
    if not row["price"]:
        return Decimal(0)
    today = clock.today(trip.firm.zone)
    try:
        price = Money.of(row["price"], row["currency"])
        return convert(
            price, trip.currency, today, rate_table(trip.firm, today, currencies=[price.currency])
        ).home.amount
    except (NoRate, ValueError):
        return Decimal(0)


def _stay(
    member: Membership, trip: Trip, row: dict, leaves: datetime, arrives: datetime, cost: Decimal
) -> tuple[list[str], list[str]]:  # fmt: skip
    """Put a stay on its nights: what was put there, and what has to wait, in words."""
    first, count = leaves.date(), (arrives.date() - leaves.date()).days
    dates = [first + timedelta(days=n) for n in range(count)]
    there = set(Night.objects.filter(trip=trip, date__in=dates).values_list("date", flat=True))
    dates = [day for day in dates if day in there]
    known = Night.objects.filter(trip=trip, date__in=dates, name=row["name"][:80]).count()
    if not dates:
        return [], [
            f"{row['name']}: the trip has no night from {first:%d %b} on yet; put it there again once the way back is on it."
        ]
    if known == len(dates):
        return [], []
    a_night = (cost / count).quantize(Decimal("0.01")) if count else cost
    night_services.set_stay(member, trip.pk, dates, row["name"], a_night, "firm", supplied=False)
    return [f"{row['name']}, {len(dates)} nights"], []
