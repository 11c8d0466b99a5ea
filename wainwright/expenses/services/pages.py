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
from wainwright.core.said import as_figure, joined, say
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
        raise Stale(say("That paper is no longer on this cost."))
    to = at - 1 if up else at + 1
    if 0 <= to < len(papers):
        papers[at], papers[to] = papers[to], papers[at]
    for place, paper in enumerate(papers):
        if paper.place != place:
            Receipt.objects.filter(pk=paper.pk).update(place=place)
    record(member, say("put papers in order"), expense.key, after={"papers": [p.pk for p in papers]})


@transaction.atomic
def take_page_off(member: Membership, page_id: int, off: bool) -> Receipt:
    """Take a page off a receipt, or put it back; the file itself is kept whole. Raises ``Refusal`` for the last page."""
    page = _page(member, page_id)
    if off and not page.receipt.pages.filter(off=False).exclude(pk=page.pk).exists():
        raise Refusal(say("It is the only page left; take the whole paper off instead."))
    page.off = off
    page.save(update_fields=["off"])
    record(
        member,
        say("took a page off") if off else say("put a page back"),
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
        raise Refusal(say("It belongs to a cost already. Take it off there first."))
    if not LEAST_SHARE <= at <= MOST_SHARE:
        raise Refusal(
            say("Cut between {least_share} and {most_share} per cent.", least_share=LEAST_SHARE, most_share=MOST_SHARE),
            "at",
        )
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
            take_in(member, say("{receipt}, {n} of 2.jpg", receipt=receipt.name[:100], n=n), half).receipt
            for n, half in enumerate(halves, 1)
        ]
        Receipt.objects.filter(pk=receipt.pk).update(aside=say("Cut in two"))
        record(
            member, say("cut a picture in two"), f"receipt:{receipt.pk}", after={"papers": [r.pk for r in done if r]}
        )
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
        raise Stale(say("One of them was taken already, on this page or another."))
    receipt, other = both[receipt_id], both[other_id]
    last = receipt.pages.count()
    for n, page in enumerate(other.pages.all()):
        with page.picture.open("rb") as file:
            content = file.read()
        row = ReceiptPage(receipt=receipt, number=last + n, width=page.width, height=page.height)
        row.picture.save(f"{other.sha256[:24]}-{last + n}.jpg", ContentFile(content), save=False)
        row.save()
    other.aside = say("Pages of {receipt}", receipt=receipt.name)[:120]
    other.save(update_fields=["aside"])
    record(member, say("added pages"), f"receipt:{receipt.pk}", after={"from": other.pk})
    return receipt


def _page(member: Membership, page_id: int) -> ReceiptPage:
    page = (
        ReceiptPage.objects.select_related("receipt__expense__claim").filter(receipt__owner=member, pk=page_id).first()
    )
    if page is None:
        raise Stale(say("That page is not there any more."))
    expense = page.receipt.expense
    if expense is not None and expense.claim is not None and not expense.claim.editable:
        raise Stale(say("Its claim stands at {state}: nothing can be changed on it now.", state=expense.claim.state))
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
                say(
                    "No place is known as “{target}”. Type this leg yourself.",
                    target=row["target"] if origin else row["origin"],
                )
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
        raise Refusal(joined(" ", later) if later else say("All of it is on the trip already."))
    what = say("a calendar's journey") if receipt.kind == Receipt.Kind.CALENDAR else say("a mail's bookings")
    record(member, say("put {what} on the trip", what=what), trip.subject, after={"receipt": receipt.pk, "put": done})
    if receipt.kind == Receipt.Kind.CALENDAR and not later:
        # It proves no cost: nothing is left to do with it.
        receipt.aside = say("On {trip_code}, {trip_title}", trip_code=trip.code, trip_title=trip.title)[:120]
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
            say(
                "{name}: the trip has no night from {first} on yet; put it there again once the way back is on it.",
                name=row["name"],
                first=as_figure(first, "%d %b"),
            )
        ]
    if known == len(dates):
        return [], []
    a_night = (cost / count).quantize(Decimal("0.01")) if count else cost
    night_services.set_stay(member, trip.pk, dates, row["name"], a_night, "firm", supplied=False)
    return [say("{name}, {dates_count} nights", name=row["name"], dates_count=len(dates))], []
