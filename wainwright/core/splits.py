"""Splits: one cost over several codings, every line and every total exact."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from wainwright.core.coding import Coding
from wainwright.core.money import Money, share_out, total

HUNDRED = Decimal(100)
SHARE_PLACES = Decimal("0.0001")


class SplitError(ValueError):
    """Shares that do not add up, or a split without lines."""


@dataclass(frozen=True, slots=True)
class SplitPart:
    """A coding and its share in per cent, to four places."""

    coding: Coding
    share: Decimal


@dataclass(frozen=True, slots=True)
class SplitLine:
    """What one coding bears: net and tax."""

    coding: Coding
    net: Money
    tax: Money

    @property
    def gross(self) -> Money:
        """Net and tax together."""
        return self.net + self.tax


def check_shares(parts: Sequence[SplitPart]) -> None:
    """Raise ``SplitError`` unless the shares are positive, have at most four places, and add up to 100."""
    if not parts:
        raise SplitError("A split needs at least one line.")
    for part in parts:
        if part.share <= 0:
            raise SplitError("Every share must be more than nothing.")
        if part.share != part.share.quantize(SHARE_PLACES):
            raise SplitError("A share has at most four decimal places.")
    whole = sum((part.share for part in parts), Decimal(0))
    if whole != HUNDRED:
        raise SplitError(f"The shares add up to {whole.normalize():f} %, not to 100 %.")


def split(net: Money, tax: Money, parts: Sequence[SplitPart]) -> list[SplitLine]:
    """Split net and tax by share; each is shared out on its own, so both totals are exact."""
    check_shares(parts)
    weights = [part.share for part in parts]
    return [
        SplitLine(part.coding, line_net, line_tax)
        for part, line_net, line_tax in zip(parts, share_out(net, weights), share_out(tax, weights), strict=True)
    ]


def split_by_amount(net: Money, tax: Money, amounts: Sequence[tuple[Coding, Money]]) -> list[SplitLine]:
    """Split by gross amounts that must add up to the cost. Raises ``SplitError`` with what is left."""
    gross = net + tax
    given = total((amount for _, amount in amounts), gross.currency)
    if not amounts or given != gross:
        raise SplitError(f"The amounts add up to {given}, the cost is {gross}: {gross - given} is left to place.")
    if gross.amount == 0:
        raise SplitError("There is nothing to split.")
    weights = [abs(amount.amount) for _, amount in amounts]
    taxes = share_out(tax, weights)
    return [
        SplitLine(coding, amount - line_tax, line_tax)
        for (coding, amount), line_tax in zip(amounts, taxes, strict=True)
    ]
