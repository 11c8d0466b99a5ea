"""Reads for finance: loose charges of the firm, and personal costs on its cards that were not paid back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db.models import Count, Min, Q, QuerySet, Sum

from wainwright import clock
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.settlement import ClaimSums, set_off
from wainwright.core.workings import day_text
from wainwright.expenses.models import Charge, Expense
from wainwright.people.models import Membership

AGES = [(0, say("any age")), (7, say("over a week")), (30, say("over 30 days")), (60, say("over 60 days"))]
MOST = 100
POSTED = ("Posted", "Settled")


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


@dataclass(frozen=True)
class Personal:
    """A personal cost that the firm paid and that is not paid back: whose, what, where it lies, how much is left."""

    who: str
    what: str
    where: str
    left: Money


def personal_open(member: Membership) -> tuple[list[Personal], int]:
    """Return what is personal and still to be paid back, the oldest first, and how many more there are. Four queries.

    Until its claim is posted a cost is open as it is; posting sets it off against what the traveller is owed, and only
    what that does not cover stays open.
    """
    currency = member.firm.currency
    rows = (
        Expense.objects.filter(firm_id=member.firm_id, paid_by__in=["firm", "central"], kind=Expense.Kind.COST)
        .annotate(own=Sum("parts__amount_minor", filter=Q(parts__personal=True), default=0))
        .filter(Q(personal=True) | ~Q(own=0))
    )
    open_ = rows.exclude(claim__state__in=POSTED)
    costs = [
        Personal(
            row.owner.person.name, joined("", (row.merchant or row.label, ", ", day_text(row.date))),
            joined("", (row.claim.code, ", ", row.claim.state)) if row.claim else say("on no claim"),
            Money.from_minor(row.amount_minor if row.personal else row.own, currency),
        )
        for row in open_.select_related("owner__person", "claim").order_by("date", "pk")[:MOST]
    ]  # fmt: skip
    # A claim below nothing is owed back; what of that is personal cost is what the set-off did not reach.
    claims = rows.filter(claim__state="Posted", claim__statement__due_minor__lt=0)
    seen = {
        row.claim_id: row
        for row in claims.select_related("owner__person", "claim__statement").order_by("claim_id")[:MOST]
    }
    for row in seen.values():
        left = _left(row.claim.statement, currency)
        if left.minor:
            what = say("{claim_title}: what the claim did not cover", claim_title=row.claim.title)
            costs.append(
                Personal(row.owner.person.name, what, joined("", (row.claim.code, ", ", row.claim.state)), left)
            )
    return costs, max(0, open_.count() - MOST)


def _left(statement: Any, currency: str) -> Money:
    """What of the personal cost of a posted claim was not set off."""
    names = ("own_money", "allowance", "mileage", "firm_paid", "personal", "advance")
    held = [Money.from_minor(getattr(statement, f"{name}_minor"), currency) for name in names]
    sums = ClaimSums(*held, flat=Money.from_minor(statement.flat_minor, currency))
    return sums.personal_on_firm_card - set_off(sums)
