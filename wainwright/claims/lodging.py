"""Lodging on a claim: which nights a bill pays, each at its real cost against its ceiling, and what is over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from wainwright.claims.models import Claim
from wainwright.core.allowance import NightAllowed
from wainwright.core.cutting import cut_out
from wainwright.core.money import Money, share_out, total
from wainwright.core.said import joined, say
from wainwright.core.statement import Coded
from wainwright.expenses.models import Expense
from wainwright.rulebook.selectors import Rulebook
from wainwright.trips.earnings import AllowanceFacts

# A bill is dated when one comes or goes, or a few days beside.
BESIDE = timedelta(days=3)
OVER = say("over the ceiling, not paid without the permission")


@dataclass(frozen=True)
class Lodged:
    """The nights that an expense pays, measured, and what of it is no night (a breakfast, a laundry).

    ``permitted`` is what may be paid over the ceiling, in minor units.
    """

    nights: tuple[NightAllowed, ...]
    rest: Money
    permitted: int = 0

    @property
    def over(self) -> Money:
        """What is over the ceilings of its nights and not permitted: it is not paid."""
        whole = total((each.over for each in self.nights if each.ceiling is not None), self.rest.currency)
        return max(Money.zero(whole.currency), whole - Money.from_minor(self.permitted, whole.currency))

    @property
    def words(self) -> str:
        """Where the allowed sum comes from: so many nights at the ceiling, and the rest."""
        ceilings = [each.ceiling for each in self.nights if each.ceiling is not None]
        alike = len({each.amount for each in ceilings}) <= 1
        first = (
            joined("", (len(ceilings), " × ", ceilings[0]))
            if alike and ceilings
            else joined(" + ", (str(each) for each in ceilings))
        )
        more = (
            say(" + {from_minor} permitted", from_minor=Money.from_minor(self.permitted, self.rest.currency))
            if self.permitted
            else ""
        )
        return first + (f" + {self.rest}" if self.rest else "") + more


def lodged(expenses: Sequence[Expense], facts: AllowanceFacts, book: Rulebook) -> dict[str, Lodged]:
    """Return what each expense that pays for nights of the trip comes to, by its key.

    A bill that is broken down names its nights; one that is not pays the nights of the stay nearest to its day that no
    other bill pays, in equal parts.
    """
    by_day = {night.night.date: night for night in facts.nights}
    taken = {part.night for expense in expenses for part in expense.parts.all() if part.night}
    found: dict[str, Lodged] = {}
    for expense in sorted(expenses, key=lambda each: (each.date, each.pk)):
        broken = [part for part in expense.parts.all() if part.night in by_day and not part.personal]
        if broken:
            found[expense.key] = _broken(expense, by_day, facts)
        elif _unbroken(expense, book):
            nights = _nearest(
                expense.date, [n for n in facts.nights if n.night.date not in taken and not n.night.supplied]
            )
            if nights:
                taken |= {night.night.date for night in nights}
                costs, taxes = (share_out(each, [1] * len(nights)) for each in (expense.amount, expense.tax))
                measured = [facts.at_cost(n, c, t) for n, c, t in zip(nights, costs, taxes, strict=True)]
                found[expense.key] = Lodged(tuple(measured), Money.zero(expense.currency))
    return found


def nights_billed(claim: Claim, expenses: Sequence[Expense], facts: AllowanceFacts, book: Rulebook) -> frozenset[date]:
    """Return the nights for which a bill lies on this claim, or on another of its trips'. Two queries."""
    other = Claim.objects.live().filter(trip__in=claim.trips).exclude(pk=claim.pk)
    elsewhere = Expense.objects.filter(claim__in=other, personal=False).prefetch_related("parts")
    found = lodged([*expenses, *elsewhere], facts, book)
    return frozenset(night.night.date for stay in found.values() for night in stay.nights)


def _unbroken(expense: Expense, book: Rulebook) -> bool:
    category = book.categories_on(expense.date).get(expense.category)
    return category is not None and category.is_lodging and not expense.personal and not expense.parts.all()


def _broken(expense: Expense, by_day: dict[date, NightAllowed], facts: AllowanceFacts) -> Lodged:
    currency, costs, taxes = expense.currency, {}, {}
    rest = Money.zero(currency)
    for part in expense.parts.all():
        amount = Money.from_minor(part.amount_minor, currency)
        if part.night in by_day and not part.personal:
            costs[part.night] = costs.get(part.night, Money.zero(currency)) + amount
            taxes[part.night] = taxes.get(part.night, Money.zero(currency)) + Money.from_minor(part.tax_minor, currency)
        elif not part.personal:
            rest = rest + amount
    return Lodged(tuple(facts.at_cost(by_day[day], costs[day], taxes[day]) for day in sorted(costs)), rest)


def _nearest(day: date, nights: Sequence[NightAllowed]) -> list[NightAllowed]:
    """The stay (nights on end in one town) that lies nearest to a day, at most ``BESIDE`` away."""
    stays: list[list[NightAllowed]] = []
    for night in sorted(nights, key=lambda each: each.night.date):
        last = stays[-1][-1].night if stays else None
        if last and last.place.town == night.night.place.town and night.night.date - last.date == timedelta(days=1):
            stays[-1].append(night)
        else:
            stays.append([night])

    def away(stay: list[NightAllowed]) -> timedelta:
        first, leaves = stay[0].night.date, stay[-1].night.date + timedelta(days=1)
        return max(first - day, day - leaves, timedelta(0))

    near = [stay for stay in stays if away(stay) <= BESIDE]
    return min(near, key=away, default=[])


def cut(coded: Sequence[Coded], over: Money, book: Rulebook) -> tuple[Coded, ...]:
    """Take what is over the ceiling out of a line's lodging, as a part that is not paid; the sum of the line stays.

    Tax goes with its cost, so that none comes back on what the firm does not pay.
    """

    def lodging(each: Coded) -> bool:
        category = book.categories.get(each.category)
        return category is not None and category.is_lodging and not each.personal and each.gross.minor > 0

    places = [index for index, each in enumerate(coded) if lodging(each)]
    if not over.minor or not places:
        return tuple(coded)
    first = coded[places[0]]
    name = first.text.partition(":")[0]
    return cut_out(coded, places, over, replace(first, text=f"{name}: {OVER}", share=None, over=True))
