"""Matching receipts with charges: a score for each pair, and the best choice of pairs together."""

from __future__ import annotations

import re
from collections.abc import Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from rapidfuzz import fuzz

from wainwright.core.money import Money
from wainwright.core.said import joined, say

SURE, AHEAD, POSSIBLE = 0.9, 0.2, 0.45
FOREIGN_SHARE, TIP_SHARE = Decimal("0.03"), Decimal("0.20")
DAYS_BEFORE, DAYS_AFTER = 1, 5
_WEIGHTS = {"amount": 0.45, "date": 0.2, "merchant": 0.25, "card": 0.1}
_NOISE = re.compile(r"\b(as|ab|asa|ltd|limited|gmbh|bv|sa|pos|kort|card|visa|www|com)\b|[^a-zæøåäöüéß ]|\d+")


@dataclass(frozen=True, slots=True)
class Paper:
    """A receipt as far as it was read; what is not known is empty. ``home`` is its worth in the charge's currency.

    ``tips``: where it was paid a tip is usual, which stands on the card alone. ``until``: what it stands for is charged on
    any day from ``day`` to then, as a booking is between its order and its end.
    """

    key: str
    merchant: str = ""
    day: date | None = None
    amount: Money | None = None
    last_four: str = ""
    home: Money | None = None
    tips: bool = False
    until: date | None = None

    def apart(self, day: date) -> int:
        """Return how many days after it a charge came; below 0 before it. It has a day."""
        first = self.day or day
        return (day - min(max(day, first), self.until or first)).days


@dataclass(frozen=True, slots=True)
class Charge:
    """A card charge; ``tips`` as on a paper, by what the card says of its merchant."""

    key: str
    merchant: str
    day: date
    amount: Money
    last_four: str = ""
    towns: tuple[str, ...] = ()
    tips: bool = False


@dataclass(frozen=True, slots=True)
class Pair:
    """A receipt and a charge that may be one cost: the score from 0 to 1, whether it is sure, and why."""

    paper: str
    charge: str
    score: float
    sure: bool
    why: str


def plain_merchant(name: str, towns: Sequence[str] = ()) -> str:
    """Take card noise out of a merchant's name: numbers, legal forms, towns."""
    text = _NOISE.sub(" ", name.casefold())
    for town in towns:
        text = re.sub(rf"\b{re.escape(town.casefold())}\b", " ", text)
    return " ".join(text.split())


class _Plain:
    """A charge beside what most papers are ruled out by, so that many are compared quickly."""

    __slots__ = ("charge", "currency", "day", "minor")

    def __init__(self, charge: Charge) -> None:
        self.charge, self.day = charge, charge.day
        self.minor, self.currency = charge.amount.minor, charge.amount.currency


def _quick(paper: Paper, each: _Plain) -> tuple[float, str]:
    """The score of a pair; what date or amount rule out at once is not looked at further."""
    if paper.amount is None:
        return 0.0, say("no amount was read")
    if paper.day is not None and not -DAYS_BEFORE <= paper.apart(each.day) <= DAYS_AFTER:
        return 0.0, say("dates too far apart")
    same = paper.amount.currency == each.currency
    if same and not (paper.tips or each.charge.tips) and paper.amount.minor != each.minor:
        return 0.0, say("another amount")
    return score(paper, each.charge)


def score(paper: Paper, charge: Charge) -> tuple[float, str]:
    """Return the score of one pair and the reasons in words; 0 where amount or date rule it out."""
    amount, said = _amount(paper, charge)
    if amount == 0 or paper.amount is None:
        return 0.0, said
    parts, words = {"amount": amount}, [said]
    if paper.day is not None:
        apart = paper.apart(charge.day)
        if not -DAYS_BEFORE <= apart <= DAYS_AFTER:
            return 0.0, say("dates too far apart")
        parts["date"] = 1.0 if apart in (0, 1) else 1 - 0.12 * abs(apart)
        same = say("same day") if paper.until is None else say("in its time")
        words.append(
            same
            if apart == 0
            else (
                say("{apart} days later", apart=abs(apart))
                if apart > 0
                else say("{apart} days earlier", apart=abs(apart))
            )
        )
    if paper.merchant:
        alike = fuzz.token_set_ratio(
            plain_merchant(paper.merchant, charge.towns), plain_merchant(charge.merchant, charge.towns)
        )
        parts["merchant"] = alike / 100
        words.append(
            say("same merchant") if alike >= 85 else say("merchant alike") if alike >= 60 else say("another name")
        )
    if paper.last_four and charge.last_four:
        parts["card"] = 1.0 if paper.last_four == charge.last_four else 0.0
        words.append(say("card {last_four}", last_four=charge.last_four) if parts["card"] else say("another card"))
    # What was not read neither helps nor hurts, but an amount alone is never a sure match.
    weight = sum(_WEIGHTS[name] for name in parts)
    value = sum(_WEIGHTS[name] * part for name, part in parts.items()) / weight
    known = min(1.0, weight / 0.8)
    return round(value * (0.7 + 0.3 * known), 4), joined(", ", words)


def _amount(paper: Paper, charge: Charge) -> tuple[float, str]:
    if paper.amount is None:
        return 0.0, say("no amount was read")
    if paper.amount.currency == charge.amount.currency:
        if paper.amount == charge.amount:
            return 1.0, say("same amount")
        over = charge.amount - paper.amount
        if (
            (paper.tips or charge.tips)
            and paper.amount.amount > 0
            and 0 < over.amount <= paper.amount.amount * TIP_SHARE
        ):
            return 0.8, say("{over} more on the card, as a tip would be", over=over)
        return 0.0, say("another amount")
    if paper.home is None or paper.home.currency != charge.amount.currency or not charge.amount:
        return 0.0, say("another currency")
    off = abs(paper.home.amount - charge.amount.amount) / abs(charge.amount.amount)
    if off <= FOREIGN_SHARE:
        return float(1 - off * 5), say("same amount at the day's rate")
    return 0.0, say("another amount at the day's rate")


def best_pairs(
    papers: Sequence[Paper], charges: Sequence[Charge], refused: AbstractSet[tuple[str, str]] = frozenset()
) -> list[Pair]:
    """Choose pairs so that the sum of scores is best; sure only at 0.9 and 0.2 ahead of the next.

    ``refused`` are pairs (paper, charge) of which somebody said that they are not one cost.
    """
    if not papers or not charges:
        return []
    plain = [_Plain(charge) for charge in charges]
    table = [
        [(0.0, "refused") if (paper.key, each.charge.key) in refused else _quick(paper, each) for each in plain]
        for paper in papers
    ]
    from scipy.optimize import linear_sum_assignment  # noqa: PLC0415 - half a second, and wanted where there are pairs

    rows, columns = linear_sum_assignment([[-value for value, _ in row] for row in table])
    pairs = []
    for row, column in zip(rows, columns, strict=True):
        value, why = table[row][column]
        if value < POSSIBLE:
            continue
        rivals = [table[row][c][0] for c in range(len(charges)) if c != column]
        rivals += [table[r][column][0] for r in range(len(papers)) if r != row]
        sure = value >= SURE and value - max(rivals, default=0.0) >= AHEAD
        pairs.append(Pair(papers[row].key, charges[column].key, value, sure, why))
    return sorted(pairs, key=lambda pair: -pair.score)
