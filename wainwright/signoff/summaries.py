"""What each coding bears, with who owns it and what its budgets hold: the same on plan, claim, bench and paper."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from wainwright import clock
from wainwright.accounts.selectors import Books
from wainwright.core.budget import BudgetEffect
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.said import joined
from wainwright.people.models import Firm
from wainwright.people.selectors import signers


@dataclass(frozen=True)
class ByCoding:
    """What one coding bears: cost without tax that comes back, its part of the whole, who owns its codes, its budgets.

    ``count`` is on how many lines, 0 where that is not counted; ``default`` says that it is the thing's own coding.
    """

    coding: Coding
    names: str
    count: int
    amount: Money
    share: Decimal
    owners: list[str]
    budgets: list[BudgetEffect]
    default: bool


def by_coding(
    firm: Firm, ledger: Books, codings: Mapping[Coding, tuple[Money, int]], budgets: Sequence[BudgetEffect], default: Coding
) -> list[ByCoding]:  # fmt: skip
    """Return a row for each coding, the most first. One query."""
    effects = {effect.budget.label: effect for effect in budgets}
    people = signers(firm.pk, clock.today(firm.zone))
    whole = sum((amount.minor for amount, _ in codings.values()), 0)
    rows = []
    for coding, (amount, count) in codings.items():
        owners = [
            joined(
                "",
                (people[own.owner].name, " (", own.code, ", from " + str(own.threshold) if own.threshold else "", ")"),
            )
            for own in ledger.owned
            if coding.get(own.dimension) == own.code and own.owner in people
        ]
        names = joined(", ", (ledger.codes.codes[pair].name for pair in coding.codes if pair in ledger.codes.codes))
        found = [effects[code] for _, code in coding.codes if code in effects]
        share = Decimal(amount.minor) * 100 / whole if whole else Decimal(0)
        rows.append(ByCoding(coding, names, count, amount, share, owners, found, coding == default))
    return sorted(rows, key=lambda row: -row.amount.minor)
