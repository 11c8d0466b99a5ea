"""Tax inside a gross amount: how much it is, and how much of it can be reclaimed."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.workings import Step, Workings, plain

# What a receipt states wins over what is worked out while they differ by no more than this a line.
STATED_TOLERANCE = Decimal("0.02")


@dataclass(frozen=True, slots=True)
class TaxLine:
    """One rate's share of a gross amount. ``net + tax == gross`` always."""

    gross: Money
    rate: Decimal
    tax: Money
    net: Money
    odd: bool
    workings: Workings

    def __post_init__(self) -> None:
        if self.net + self.tax != self.gross:
            raise ValueError("net and tax do not add up to the gross amount")


def tax_in(gross: Money, rate: Decimal, stated: Money | None = None) -> TaxLine:
    """Return the tax in ``gross`` at ``rate`` (0.25 is 25 %): gross × r ÷ (1 + r).

    ``stated`` is what the receipt says. It is taken when it differs by no more than 0.02; when it
    differs by more it is still taken, because the paper is the evidence, but the line is ``odd``.
    Raises ``ValueError`` for a negative rate.
    """
    if rate < 0:
        raise ValueError("a tax rate is not negative")
    worked = Money.rounded(gross.amount * rate / (1 + rate), gross.currency)
    steps = [Step(joined("", (gross, " × ", plain(rate * 100), " ÷ ", plain(100 + rate * 100))), str(worked))]
    tax, odd = worked, False
    if stated is not None:
        odd = abs(stated.amount - worked.amount) > STATED_TOLERANCE
        tax = stated
        steps.append(Step(say("The receipt states"), str(stated)))
    return TaxLine(
        gross, rate, tax, gross - tax, odd, Workings(say("Tax at {rate} %", rate=plain(rate * 100)), tuple(steps))
    )


@dataclass(frozen=True, slots=True)
class Reclaim:
    """How much of a tax can be reclaimed; the rest stays in the cost. Foreign tax is kept apart."""

    recoverable: Money
    in_cost: Money
    foreign: Money
    workings: Workings


def reclaim(tax: Money, share: Decimal, has_tax_receipt: bool, own_country: bool) -> Reclaim:
    """Return what of ``tax`` is recoverable at the category's ``share`` (0 to 1).

    Recoverable only with a tax receipt and in the firm's own country. Raises ``ValueError`` for
    a share outside 0 to 1.
    """
    if not 0 <= share <= 1:
        raise ValueError("a recoverable share lies between 0 and 1")
    nothing = Money.zero(tax.currency)
    title = say("Tax to reclaim")
    if not own_country:
        step = Step(say("Foreign tax: kept apart for a refund"), str(tax))
        return Reclaim(nothing, tax, tax, Workings(title, (step,)))
    if not has_tax_receipt:
        return Reclaim(nothing, tax, nothing, Workings(title, (Step(say("No tax receipt: stays in the cost"), "0"),)))
    back = tax.times(share)
    step = Step(say("{tax} × {share} % of the category", tax=tax, share=plain(share * 100)), str(back))
    return Reclaim(back, tax - back, nothing, Workings(title, (step,)))
