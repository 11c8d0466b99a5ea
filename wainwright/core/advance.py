"""The advance that is proposed before a trip."""

from __future__ import annotations

from decimal import ROUND_FLOOR, Decimal

from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.core.states import CLAIM_SENT
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
    steps = [Step(say("{percent} % of {qualifying}", percent=plain(percent), qualifying=qualifying), f"{raw:.2f}")]
    if outstanding:
        if blocks:
            steps.append(
                Step(
                    say("{outstanding} of earlier trips is still out, which blocks another", outstanding=outstanding),
                    "0",
                )
            )
            return Figure(Money.zero(currency), Workings(say("Advance"), tuple(steps)))
        raw -= outstanding.amount
        steps.append(Step(say("less {outstanding} of earlier trips still out", outstanding=outstanding), f"{raw:.2f}"))
    units = max(Decimal(0), (raw / unit).to_integral_value(rounding=ROUND_FLOOR))
    amount = Money.rounded(units * unit, currency)
    steps.append(Step(say("rounded down to a whole {unit}", unit=plain(unit)), str(amount)))
    return Figure(amount, Workings(say("Advance"), tuple(steps)))


def advance_standing(paid: bool, with_bank: bool, claim: str, claim_state: str, set_off: bool) -> str:
    """Say how an advance stands that was asked for, in the words that stand on the trip's page and on its claim's.

    ``claim`` is the number of the trip's claim or empty; ``set_off`` says that its statement takes the advance into account.
    """
    sent = claim_state in CLAIM_SENT
    if paid:
        if sent and not set_off:
            return say(
                "paid after {claim} was settled without it: it is to be paid back, and counts as outstanding",
                claim=claim,
            )
        return (
            say("paid, and set against {claim}", claim=claim)
            if sent
            else say("paid; the claim of the trip is set against it")
        )
    if with_bank:
        return (
            say("with the bank; {claim} is paid when the bank has answered, less the advance", claim=claim)
            if sent
            else say("with the bank")
        )
    return (
        say("not paid: {claim} was sent without it, and pays everything itself", claim=claim)
        if sent
        else say("asked for, not paid yet")
    )
