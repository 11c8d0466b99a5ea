"""Splits: one cost over several codings, every line and every total exact."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from wainwright.core.coding import Coding
from wainwright.core.money import Money, share_out, total
from wainwright.core.said import as_figure, say

HUNDRED = Decimal(100)
SHARE_PLACES = Decimal("0.0001")


class SplitError(ValueError):
    """Shares that do not add up, or a split without lines."""


@dataclass(frozen=True, slots=True)
class SplitPart:
    """A coding and its share in per cent, to four places; or the amount that it bears, tax included."""

    coding: Coding
    share: Decimal
    amount: Money | None = None

    @property
    def weight(self) -> Decimal:
        """What it counts beside the others: its amount, where it has one, else its share."""
        return abs(self.amount.amount) if self.amount is not None else self.share


def check_shares(parts: Sequence[SplitPart]) -> None:
    """Raise ``SplitError`` unless the shares are positive, have at most four places, and add up to 100."""
    if not parts:
        raise SplitError(say("A split needs at least one line."))
    for part in parts:
        if part.share <= 0:
            raise SplitError(say("Every share must be more than nothing."))
        if part.share != part.share.quantize(SHARE_PLACES):
            raise SplitError(say("A share has at most four decimal places."))
    whole = sum((part.share for part in parts), Decimal(0))
    if whole != HUNDRED:
        raise SplitError(
            say("The shares add up to {normalize} %, not to 100 %.", normalize=as_figure(whole.normalize(), "f"))
        )


def spread(costs: Sequence[Money], weights: Sequence[Decimal | int]) -> list[list[Money]]:
    """Share several costs out over the same weights so that every cost, and every total, is exact.

    Each total is what sharing out the whole sum gives (``share_out``), and no share of a cost of nothing or more is below
    nothing. A cost below zero is shared out by itself. Returns a row of shares for each cost.
    """
    if not costs:
        return []
    currency = costs[0].currency
    rest = [cost for cost in costs if cost.minor >= 0]
    wanted = share_out(total(rest, currency), list(weights)) if rest else []
    left = [each.minor for each in wanted]
    rows, remaining = [], sum(left)
    for cost in costs:
        if cost.minor < 0:
            rows.append(share_out(cost, list(weights)))
            continue
        row = _portion(cost.minor, left, remaining)
        left = [have - take for have, take in zip(left, row, strict=True)]
        remaining -= cost.minor
        rows.append([Money.from_minor(part, currency) for part in row])
    return rows


def _portion(cost: int, left: Sequence[int], remaining: int) -> list[int]:
    """Take ``cost`` out of what is ``left`` of each total, in proportion, never more than is left; the largest remainders first."""
    if not remaining:
        return [0 for _ in left]
    row = [have * cost // remaining for have in left]
    order = sorted(range(len(left)), key=lambda n: (-(left[n] * cost % remaining), n))
    for n in order[: cost - sum(row)]:
        row[n] += 1
    return row
