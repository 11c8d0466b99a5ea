"""The advance that is proposed before a trip."""

from __future__ import annotations

from decimal import ROUND_FLOOR, Decimal

from wainwright.core.money import Money
from wainwright.core.workings import Figure, Step, Workings, plain


def proposed_advance(
    qualifying: Money, percent: Decimal, unit: Decimal, outstanding: Money | None = None, blocks: bool = False
) -> Figure:
    """Return the firm's percentage of what qualifies, rounded down to a whole ``unit``.

    ``qualifying`` are the estimates that the traveller will pay, daily allowance included.
    Advances of earlier trips still out are taken off, or block a new one, as the firm says.
    """
    currency = qualifying.currency
    raw = qualifying.amount * percent / 100
    steps = [Step(f"{plain(percent)} % of {qualifying}", f"{raw:.2f}")]
    if outstanding:
        if blocks:
            steps.append(Step(f"{outstanding} of earlier trips is still out, which blocks another", "0"))
            return Figure(Money.zero(currency), Workings("Advance", tuple(steps)))
        raw -= outstanding.amount
        steps.append(Step(f"less {outstanding} of earlier trips still out", f"{raw:.2f}"))
    units = max(Decimal(0), (raw / unit).to_integral_value(rounding=ROUND_FLOOR))
    amount = Money.rounded(units * unit, currency)
    steps.append(Step(f"rounded down to a whole {plain(unit)}", str(amount)))
    return Figure(amount, Workings("Advance", tuple(steps)))
