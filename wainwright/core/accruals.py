"""Accruals: what was spent and is not posted yet at the end of a month, by account and coding, and the journal of it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from wainwright.core.coding import Coding
from wainwright.core.money import Money, total
from wainwright.core.posting import Entry, Journal
from wainwright.core.said import joined, say

What = Literal["plan", "charge", "claim"]
NAMES = {"plan": say("Plans under way"), "charge": say("Loose charges"), "claim": say("Claims on their way")}


# So many of the things that an account bears are named beside its sum; all of them stand in the table.
FEW = 12


@dataclass(frozen=True, slots=True)
class Spent:
    """Something that was spent and is not posted: what it is, how it is called, its coding with its account, its cost."""

    what: What
    key: str
    label: str
    coding: Coding
    amount: Money


@dataclass(frozen=True, slots=True)
class Accrued:
    """What one account and coding bears of it, and of what."""

    coding: Coding
    amount: Money
    of: tuple[Spent, ...]

    @property
    def largest(self) -> tuple[Spent, ...]:
        """The few things of it that come to most, in their order of size."""
        return tuple(sorted(self.of, key=lambda each: (-abs(each.amount.amount), each.label))[:FEW])

    @property
    def beyond(self) -> int:
        """How many more there are."""
        return max(0, len(self.of) - FEW)

    @property
    def by_what(self) -> list[tuple[str, Money]]:
        """The same by what it is, in words."""
        return [
            (name, total((each.amount for each in self.of if each.what == what), self.amount.currency))
            for what, name in NAMES.items()
            if any(each.what == what for each in self.of)
        ]


def accrue(spent: Iterable[Spent], currency: str) -> list[Accrued]:
    """Add up by coding and account, in their order; what comes to nothing is left out. The sums are exact."""
    found: dict[Coding, list[Spent]] = {}
    for each in spent:
        found.setdefault(each.coding, []).append(each)
    rows = [Accrued(coding, total((s.amount for s in of), currency), tuple(of)) for coding, of in found.items()]
    return sorted((row for row in rows if row.amount), key=lambda row: (row.coding.account, str(row.coding)))


def accrual_journal(key: str, rows: Sequence[Accrued], liability: str, text: str) -> Journal:
    """Build the journal: debit each cost, credit what is owed for it in one sum. What is below zero changes sides.

    Raises ``ValueError`` where there is nothing to accrue.
    """
    if not rows:
        raise ValueError(say("nothing is to be accrued"))
    currency = rows[0].amount.currency
    nothing = Money.zero(currency)
    whole = total((row.amount for row in rows), currency)
    entries = [
        Entry(
            row.coding,
            max(row.amount, nothing),
            max(-row.amount, nothing),
            joined(": ", (text, joined(", ", (name for name, _ in row.by_what)))),
        )
        for row in rows
    ]
    if whole:
        entries.append(Entry(Coding(liability), max(-whole, nothing), max(whole, nothing), text))
    return Journal(key, currency, tuple(entries))
