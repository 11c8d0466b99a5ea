"""Who is asked to sign besides the line manager and the owners: the firm's rules of the route, each with its conditions."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum

from wainwright.core.money import Money, total


class Place(StrEnum):
    """Where on the route somebody signs."""

    FIRST = "first"
    OWNERS = "owners"
    LAST = "last"


@dataclass(frozen=True, slots=True)
class Facts:
    """What a route may depend on of a plan or a claim.

    ``by_category`` and ``by_code`` are what each category and each (dimension, code) bears, ``countries`` where it was
    spent, ``groups`` those of its person, ``found`` the rules that speak on it.
    """

    kind: str
    amount: Money
    day: date
    by_category: Mapping[str, Money] = field(default_factory=dict)
    by_code: Mapping[tuple[str, str], Money] = field(default_factory=dict)
    countries: frozenset[str] = frozenset()
    groups: frozenset[str] = frozenset()
    found: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Asks:
    """One rule of the route: ``signer`` is asked as well where every condition that it names holds.

    ``over`` is measured on its categories where it names some, else on its codes, else on the whole; that much is
    enough. ``groups`` name people as rules do. ``text`` is why, as everybody on the route reads it.
    """

    code: str
    text: str
    signer: str
    place: Place = Place.OWNERS
    over: Money | None = None
    kinds: frozenset[str] = frozenset({"plan", "claim"})
    categories: frozenset[str] = frozenset()
    codes: frozenset[tuple[str, str]] = frozenset()
    countries: frozenset[str] = frozenset()
    groups: frozenset[str] = frozenset()
    rules: frozenset[str] = frozenset()
    since: date | None = None
    until: date | None = None

    def holds(self, facts: Facts) -> bool:
        """Say whether it asks its signer of what ``facts`` are of."""
        if (self.since and facts.day < self.since) or (self.until and facts.day > self.until):
            return False
        if facts.kind not in self.kinds or not meant_for(self.groups, facts.groups):
            return False
        if self.countries and self.countries.isdisjoint(facts.countries):
            return False
        if self.rules and self.rules.isdisjoint(facts.found):
            return False
        parts = [each for each in self.categories if facts.by_category.get(each)]
        coded = [each for each in self.codes if facts.by_code.get(each)]
        if (self.categories and not parts) or (self.codes and not coded):
            return False
        return self.over is None or self.measured(facts) >= self.over

    def measured(self, facts: Facts) -> Money:
        """The amount of which ``over`` is asked."""
        currency = facts.amount.currency
        if self.categories:
            return total((facts.by_category[each] for each in self.categories if each in facts.by_category), currency)
        if self.codes:
            return total((facts.by_code[each] for each in self.codes if each in facts.by_code), currency)
        return facts.amount


def meant_for(named: Collection[str], groups: Collection[str]) -> bool:
    """Say whether somebody of some ``groups`` is meant: of one that is named, or where none is named, and of none left out.

    What is left out is named with a minus before it.
    """
    left_out = {group[1:] for group in named if group.startswith("-")}
    wanted = {group for group in named if not group.startswith("-")}
    return (not wanted or not wanted.isdisjoint(groups)) and left_out.isdisjoint(groups)


def asked(rules: Iterable[Asks], facts: Facts) -> list[Asks]:
    """Return the rules of the route that hold."""
    return [each for each in rules if each.holds(facts)]
