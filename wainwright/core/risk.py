"""How much there is to think about on a claim or a plan: points with their reasons in words, plain arithmetic.

The points are ours, to put what waits in an order; they decide nothing by themselves. Which of the harmless claims finance
looks at is drawn by a seed, so that it can be checked afterwards.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.workings import plain

MOST = 100
# What each thing is worth, and how much of the same kind counts at most.
EXPLAINED, PERMISSION, OWN_HABIT, FIRM_HABIT, NEW_MERCHANT, WEEKEND, JUST_UNDER, UNSURE, NO_PAPER = (
    (10, 40), (6, 18), (10, 20), (6, 12), (4, 12), (3, 9), (8, 16), (5, 15), (5, 15),
)  # fmt: skip
CHANGED = 6
# A habit is known from so many costs on; far from it is more than so many times the mean.
OWN_KNOWN, FIRM_KNOWN, FAR = 3, 5, 2
NEAR = Decimal("0.95")
SURE = Decimal("0.8")


@dataclass(frozen=True, slots=True)
class Habit:
    """What a category costs as a rule: the mean of so many costs."""

    mean: Money
    count: int


@dataclass(frozen=True, slots=True)
class Seen:
    """One cost as its risk is judged. ``sure`` is how surely its paper was read (0 to 1), nothing where nobody read one.

    ``limits`` are the amounts from which a rule asks more, ``known`` says that the firm has paid at this merchant before.
    """

    key: str
    label: str
    amount: Money
    category: str
    own: Habit | None = None
    firm: Habit | None = None
    known: bool = True
    weekend: bool = False
    limits: tuple[Money, ...] = ()
    sure: Decimal | None = None
    paper: bool = True


@dataclass(frozen=True, slots=True)
class Reason:
    """Why points were given."""

    points: int
    words: str


@dataclass(frozen=True, slots=True)
class Risk:
    """The points, from 0 to 100, and where they come from."""

    points: int
    reasons: tuple[Reason, ...]

    @property
    def lines(self) -> list[str]:
        """The reasons as workings."""
        return [joined("", (each.words, ": ", each.points)) for each in self.reasons]


def _capped(found: Iterable[str], worth: tuple[int, int]) -> list[Reason]:
    """A reason for each of some words, no more together than their kind may count."""
    points, most = worth
    reasons = []
    for words in found:
        given = min(points, most)
        if given <= 0:
            break
        reasons.append(Reason(given, words))
        most -= given
    return reasons


def _summed(reasons: Sequence[Reason]) -> Risk:
    return Risk(min(MOST, sum(each.points for each in reasons)), tuple(reasons))


def claim_risk(costs: Sequence[Seen], explained: Sequence[str]) -> Risk:
    """Return the risk of a claim: ``explained`` are its findings that a reason was given to."""

    def far(habit: Habit | None, known: int, amount: Money) -> bool:
        return habit is not None and habit.count >= known and amount.minor > FAR * habit.mean.minor

    def times(habit: Habit | None, amount: Money) -> str:
        return plain(round(Decimal(amount.minor) / max(1, habit.mean.minor), 1)) if habit else ""

    own = [c for c in costs if far(c.own, OWN_KNOWN, c.amount)]
    firm = [c for c in costs if far(c.firm, FIRM_KNOWN, c.amount) and c not in own]
    near = [(c, limit) for c in costs for limit in c.limits if limit.minor * NEAR <= c.amount.minor <= limit.minor]
    return _summed([
        *_capped((say("Explained: {words}", words=words) for words in explained), EXPLAINED),
        *_capped((say("{c_label}, {c_amount}, is {times} times what this person pays as a rule", c_label=c.label, c_amount=c.amount, times=times(c.own, c.amount)) for c in own), OWN_HABIT),
        *_capped((say("{c_label}, {c_amount}, is {times} times what the firm pays as a rule", c_label=c.label, c_amount=c.amount, times=times(c.firm, c.amount)) for c in firm), FIRM_HABIT),
        *_capped((say("Nobody of the firm has been at {c_label} before", c_label=c.label) for c in costs if not c.known), NEW_MERCHANT),
        *_capped((say("{c_label} is of a weekend", c_label=c.label) for c in costs if c.weekend), WEEKEND),
        *_capped((say("{c_label}, {c_amount}, is just under {limit}", c_label=c.label, c_amount=c.amount, limit=limit) for c, limit in near), JUST_UNDER),
        *_capped((say("The paper of {c_label} was read with little sureness", c_label=c.label) for c in costs if c.sure is not None and c.sure < SURE), UNSURE),
        *_capped((say("{c_label} has no paper", c_label=c.label) for c in costs if not c.paper), NO_PAPER),
    ])  # fmt: skip


def after_change(risk: Risk) -> Risk:
    """Return the risk of a claim that is changed after it was sent: as before, and that it was changed, said once."""
    words = say("It was changed after it was sent")
    if any(each.words == words for each in risk.reasons):
        return risk
    reason = Reason(min(CHANGED, MOST - risk.points), words)
    return Risk(risk.points + reason.points, (*risk.reasons, reason))


def plan_risk(explained: Sequence[str], permissions: Sequence[str]) -> Risk:
    """Return the risk of a plan: by what had to be explained and what is specially permitted."""
    return _summed([
        *_capped((say("Explained: {words}", words=words) for words in explained), EXPLAINED),
        *_capped((say("Special permission: {words}", words=words) for words in permissions), PERMISSION),
    ])  # fmt: skip


def drawn(seed: str, key: str) -> Decimal:
    """Return the number from 0 to 99.99 that a seed draws for a thing; the same whenever it is asked."""
    digest = hashlib.sha256(f"{seed}|{key}".encode()).digest()
    return Decimal(int.from_bytes(digest[:8], "big") % 10_000) / 100


@dataclass(frozen=True, slots=True)
class Looked:
    """Whether finance looks at a claim, and why."""

    looks: bool
    why: str


def looks_at(risk: Risk, harmless_to: int, total: Money, above: Money | None, share: int, number: Decimal) -> Looked:
    """Decide whether finance looks at a claim that is signed: always above an amount or a risk, else by the number drawn."""
    if risk.points > harmless_to:
        return Looked(
            True, say("its risk of {points} is over {harmless_to}", points=risk.points, harmless_to=harmless_to)
        )
    if above is not None and total > above:
        return Looked(True, say("{total} is over {above}", total=total, above=above))
    if number < share:
        return Looked(True, say("drawn: {number} is under {share}", number=number, share=share))
    return Looked(False, say("harmless, and not drawn: {number} is not under {share}", number=number, share=share))
