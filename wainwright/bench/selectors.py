"""What waits."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from wainwright import clock
from wainwright.claims.selectors import to_check
from wainwright.core.money import Money
from wainwright.people.models import Membership
from wainwright.signoff.selectors import waiting_for

SHOWN = 60
WORDS = {"In finance check": "to check", "Cleared": "to post", "Posting refused": "refused"}


@dataclass(frozen=True)
class Waiting:
    """One thing that waits for a decision."""

    kind: str
    object_id: int
    who: str
    title: str
    amount: Money
    due: date | None
    days: int | None
    marks: list[str]
    finance_word: str = ""


@dataclass(frozen=True)
class Bench:
    """Everything that waits for one person."""

    waiting: list[Waiting]

    @property
    def sums(self) -> list[Money]:
        """What it comes to, by currency."""
        sums: dict[str, Money] = {}
        for each in self.waiting:
            sums[each.amount.currency] = sums.get(each.amount.currency, Money.zero(each.amount.currency)) + each.amount
        return list(sums.values())


def bench(member: Membership) -> Bench:
    """Return what waits for a person: sign-offs by due date, then claims for finance. Two queries at most."""
    today = clock.today(member.firm.zone)
    found = []
    for row in waiting_for(member)[:SHOWN]:
        who, _, title = row.title.partition(": ")
        days = (row.due - today).days if row.due else None
        found.append(Waiting(row.kind, row.object_id, who, title, row.amount, row.due, days, _marks(row.marks)))
    if member.finance:
        for claim in to_check(member)[:SHOWN]:
            marks = _marks(claim.statement.marks if claim.statement else [])
            found.append(
                Waiting(
                    "claim",
                    claim.pk,
                    claim.claimant.person.name,
                    claim.title,
                    claim.total,
                    None,
                    None,
                    marks,
                    WORDS[claim.state],
                )
            )
    return Bench(found)


def _marks(levels: list[str]) -> list[str]:
    return sorted(level for level in levels if level != "note")[::-1][:5]
