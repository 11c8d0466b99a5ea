"""Who asks: what they may see, and the names that answers are written in, each looked up once."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from decimal import Decimal
from functools import cached_property
from zoneinfo import ZoneInfo

from django.db.models import Aggregate, Q, QuerySet
from django.db.models.functions import TruncDate

from wainwright import clock
from wainwright.accounts.models import Code, CodingPart
from wainwright.accounts.selectors import Books, books
from wainwright.core.money import Money
from wainwright.core.picking import PickList
from wainwright.core.said import say
from wainwright.language import country_names
from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.rulebook.selectors import Rulebook, rulebook

# What stands in place of a category where a line has none.
KINDS = {
    "allowance": say("Daily allowance"),
    "mileage": say("Mileage"),
    "flat": say("Flat sums"),
    "cost": say("Without a category"),
}


class Reader:
    """A person who asks a report."""

    def __init__(self, member: Membership) -> None:
        self.member, self.firm = member, member.firm

    @property
    def home(self) -> str:
        """The firm's currency."""
        return self.firm.currency

    @cached_property
    def today(self) -> date:
        """The day that it is at the firm."""
        return clock.today(self.firm.zone)

    def day_of(self, field: str | Aggregate) -> TruncDate:
        """The day at the firm on which a moment falls, in the database."""
        return TruncDate(field, tzinfo=ZoneInfo(self.firm.zone))

    @property
    def all(self) -> bool:
        """Whether they read what is everybody's."""
        return self.member.may["read_all"]

    @cached_property
    def book(self) -> Rulebook:
        """The firm's rules."""
        return rulebook(self.firm)

    @cached_property
    def books(self) -> Books:
        """The firm's codes."""
        return books(self.firm)

    @cached_property
    def categories(self) -> dict[str, str]:
        """Every category there is or was, by code, and what stands in place of one."""
        return KINDS | {row.code: row.name for row in self.book.all_categories} | self.book.names

    @cached_property
    def owned(self) -> list[tuple[str, str]]:
        """The codes that they own; none for whoever prepares for them. One query at most."""
        if self.member.prepared_by is not None:
            return []
        return _owned(self.member.pk)

    def coded_mine(self) -> QuerySet | None:
        """The codings that name a code which they own; nothing where they own none."""
        if not self.owned:
            return None
        mine = Q()
        for dimension, code in self.owned:
            mine |= Q(dimension=dimension, code=code)
        return CodingPart.objects.filter(mine, coding__firm=self.firm).values("coding")

    def people(self, ids: Iterable[int]) -> dict[int, str]:
        """The names of some people. One query."""
        rows = Membership.objects.filter(firm=self.firm, pk__in=set(ids))
        return dict(rows.values_list("pk", "person__name"))

    @cached_property
    def country_names(self) -> dict[str, str]:
        """The names of countries by ISO code."""
        return country_names()

    @cached_property
    def category_picks(self) -> PickList:
        """Categories, to be found by any part of their name."""
        return PickList.of(self.categories.items(), with_codes=False)

    def money(self, minor: int | Decimal | None) -> Decimal:
        """An amount of the firm's currency from its minor units."""
        return Money.from_minor(int(minor or 0), self.home).amount


@prepared
def _owned(member: int) -> QuerySet:
    return Code.objects.filter(owner_id=member).values_list("dimension", "code")
