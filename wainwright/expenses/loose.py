"""Reads for finance: loose charges of the firm, and personal costs on its cards that were not paid back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from django.db.models import Count, Min, QuerySet, Sum

from wainwright import clock
from wainwright.core.money import Money
from wainwright.expenses.models import Charge, Expense
from wainwright.people.models import Membership

AGES = [(0, "any age"), (7, "over a week"), (30, "over 30 days"), (60, "over 60 days")]
MOST = 100


@dataclass(frozen=True)
class Loose:
    """Which loose charges are looked at."""

    person: int = 0
    card: str = ""
    age: int = 0


@dataclass(frozen=True)
class OfPerson:
    """What lies loose of one person."""

    pk: int
    name: str
    count: int
    sum: Money
    oldest: int


def loose_charges(member: Membership, narrow: Loose) -> QuerySet[Charge]:
    """Return the firm's loose charges, the oldest first; those that were put aside stand among them with their reason."""
    rows = Charge.objects.filter(firm_id=member.firm_id, state="Loose").select_related("owner__person", "card")
    if narrow.person:
        rows = rows.filter(owner=narrow.person)
    if narrow.card:
        rows = rows.filter(card__last_four=narrow.card)
    if narrow.age:
        rows = rows.filter(date__lt=clock.today(member.firm.zone) - timedelta(days=narrow.age))
    return rows.order_by("date", "pk")


def by_person(member: Membership) -> list[OfPerson]:
    """Return who has loose charges, the oldest first. One query."""
    today = clock.today(member.firm.zone)
    rows = (
        Charge.objects.filter(firm_id=member.firm_id, state="Loose")
        .values("owner_id", "owner__person__name")
        .annotate(count=Count("pk"), sum=Sum("amount_minor"), first=Min("date"))
        .order_by("first")[:MOST]
    )
    return [
        OfPerson(
            row["owner_id"], row["owner__person__name"], row["count"], Money.from_minor(row["sum"], member.firm.currency),
            (today - row["first"]).days,
        )
        for row in rows
    ]  # fmt: skip


def personal_open(member: Membership) -> list[Expense]:
    """Return personal costs on the firm's cards whose claim is not settled yet: what is still to be paid back. One query."""
    return list(
        Expense.objects.filter(firm_id=member.firm_id, personal=True, paid_by="firm")
        .exclude(claim__state="Settled")
        .select_related("owner__person", "claim")
        .order_by("date")[:MOST]
    )
