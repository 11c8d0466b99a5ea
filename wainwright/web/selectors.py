"""Reads that the frame of every page and the desk need."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.core.paginator import Page
from django.db.models import Count, OuterRef, Q, QuerySet, Subquery

from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.core.text import decimal
from wainwright.core.workings import day_text
from wainwright.expenses.models import Expense
from wainwright.fields import plain_number
from wainwright.news.models import Notice
from wainwright.paging import page_of
from wainwright.people.models import Membership, Person
from wainwright.trips.models import Trip

MOST_FOUND = 12


def membership_of(person: Person, firm_id: int | None, only: list[int] | None = None) -> Membership | None:
    """Return the person's membership in the firm chosen, else their first, with the count of unread news, in one query.

    ``only`` are the firms that are open to them, where not all are.
    """
    unread = (
        Notice.objects.filter(member=OuterRef("pk"), read=False).order_by().values("member").annotate(n=Count("pk"))
    )
    # The person is known already: rows reached by their own relation carry it.
    rows = person.memberships.filter(active=True).select_related("firm").order_by("id")
    if only is not None:
        rows = rows.filter(firm_id__in=only)
    members = list(rows.annotate(unread=Subquery(unread.values("n"))))
    return next((m for m in members if m.firm_id == firm_id), members[0] if members else None)


def to_sign(member: Membership) -> list[dict[str, str]]:
    """Return what somebody prepared for a person and says is ready: it waits for one signature. Two queries."""
    found = []
    for rows, area, at in (
        (
            Trip.objects.filter(traveller=member, ready_by__isnull=False, state__in=["Planning", "Sent back"]),
            "trips",
            "sign/",
        ),
        (
            Claim.objects.filter(claimant=member, ready_by__isnull=False, state__in=["Open", "Sent back"]),
            "claims",
            "#certify",
        ),
    ):
        for thing in rows.select_related("ready_by__person").order_by("pk")[:MOST_FOUND]:
            by = thing.ready_by.person.name
            found.append({"title": f"{thing.code} {thing.title}", "by": by, "link": f"/{area}/{thing.pk}/{at}"})
    return found


@dataclass(frozen=True)
class Found:
    """What was found of one kind: a page of it, the latest first; the page counts the rest."""

    kind: str
    name: str
    page: Page


def find(member: Membership, text: str, pages: Mapping[str, str] | None = None) -> list[Found]:
    """Find trips, claims and costs among what a person may see: by title, number, person, merchant, amount, document's number.

    The latest first, a page of each. Six queries at most.
    """
    text, pages = text.strip(), pages or {}
    if not text:
        return []
    amount = _amount(text, member.firm.currency)
    found = []
    for kind, name, rows in (
        ("trips", "Trips", _trips(member, text)), ("claims", "Claims", _claims(member, text, amount)),
        ("costs", "Costs", _costs(member, text, amount)),
    ):  # fmt: skip
        page = page_of(rows, MOST_FOUND, pages.get(kind))
        page.object_list = [_row(thing) for thing in page.object_list]
        if page.object_list:
            found.append(Found(kind, name, page))
    return found


def number_typed(text: str) -> int | None:
    """Return the number in what was typed as the code of a trip or claim, as "T-0012" or "12"; nothing where it is none."""
    digits = text.upper().removeprefix("T-").removeprefix("C-").lstrip("0")
    return int(digits[:9]) if digits.isdecimal() and digits.isascii() else None


def _amount(text: str, currency: str) -> int | None:
    """What was typed as an amount, in minor units; nothing where it is none."""
    if not any(c.isdecimal() for c in text):
        return None
    try:
        typed = decimal(plain_number(text))
        return Money.rounded(typed, currency).minor if typed.is_finite() and abs(typed) < 10**12 else None
    except ArithmeticError:
        return None


def _trips(member: Membership, text: str) -> QuerySet[Trip]:
    wanted = Q(title__icontains=text) | Q(traveller__person__name__icontains=text)
    if (number := number_typed(text)) is not None:
        wanted |= Q(number=number)
    tickets = Booking.objects.filter(Q(ticket_number__iexact=text) | Q(reference__iexact=text)).values("trip_id")
    rows = Trip.objects.visible_to(member).filter(wanted | Q(pk__in=tickets))
    return rows.select_related("traveller__person").order_by("-id")


def _claims(member: Membership, text: str, amount: int | None) -> QuerySet[Claim]:
    wanted = Q(title__icontains=text) | Q(claimant__person__name__icontains=text)
    if (number := number_typed(text)) is not None:
        wanted |= Q(number=number)
    if amount is not None:
        wanted |= Q(statement__total_minor=amount) | Q(statement__due_minor=amount)
    return Claim.objects.visible_to(member).filter(wanted).select_related("claimant__person").order_by("-id")


def _costs(member: Membership, text: str, amount: int | None) -> QuerySet[Expense]:
    wanted = Q(merchant__icontains=text) | Q(description__icontains=text) | Q(reference__iexact=text)
    if amount is not None:
        wanted |= Q(amount_minor=amount) | Q(original_minor=amount)
    rows = Expense.objects.visible_to(member).filter(wanted)
    return rows.select_related("owner__person", "claim").order_by("-date", "-id")


def _row(thing: Trip | Claim | Expense) -> dict[str, Any]:
    if isinstance(thing, Expense):
        where = f"on {thing.claim.code}" if thing.claim else "in the tray"
        return {
            "code": day_text(thing.date, year=True), "title": thing.label, "who": thing.owner.person.name, "state": where,
            "amount": thing.amount, "link": f"/expenses/{thing.pk}/",
        }  # fmt: skip
    who, area = (thing.traveller, "trips") if isinstance(thing, Trip) else (thing.claimant, "claims")
    return {
        "code": thing.code, "title": thing.title, "who": who.person.name, "state": thing.state, "amount": None,
        "link": f"/{area}/{thing.pk}/",
    }  # fmt: skip
