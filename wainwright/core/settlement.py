"""What a claim comes to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.core.workings import Step, Workings


@dataclass(frozen=True, slots=True)
class ClaimSums:
    """The sums of a claim, all in its currency.

    ``earlier`` is what the traveller owes back on earlier claims and pays by this one; ``flat`` are sums that the firm
    pays without a cost, as for moving house.
    """

    own_money: Money
    allowance: Money
    mileage: Money
    firm_paid: Money
    personal_on_firm_card: Money
    advance: Money
    earlier: Money = None  # type: ignore[assignment]  # nothing, in the claim's currency
    flat: Money = None  # type: ignore[assignment]  # nothing, in the claim's currency

    def __post_init__(self) -> None:
        for name in ("earlier", "flat"):
            if getattr(self, name) is None:
                object.__setattr__(self, name, Money.zero(self.own_money.currency))

    @property
    def earned(self) -> Money:
        """What the traveller is to get before anything is taken off."""
        return self.own_money + self.allowance + self.mileage + self.flat


@dataclass(frozen=True, slots=True)
class Settlement:
    """``due`` is owed to the traveller, or back to the firm when it is below zero.

    ``to_traveller + to_issuer == due`` when something is owed to the traveller.
    """

    sums: ClaimSums
    due: Money
    to_issuer: Money
    to_traveller: Money
    owed_back: Money
    workings: Workings


def set_off(sums: ClaimSums) -> Money:
    """Return what of the personal cost on the firm's card is taken off what the traveller is owed; the rest stays owed back."""
    nothing = Money.zero(sums.own_money.currency)
    owed = sums.earned - sums.advance
    return max(nothing, min(sums.personal_on_firm_card, owed))


def settle(sums: ClaimSums, to_issuer: Money | None = None, issuer_owed: Money | None = None) -> Settlement:
    """Work out a claim: own money + allowance + mileage + flat sums − personal − advance − what earlier claims are owed back.

    ``to_issuer`` is the part the traveller sends to the card issuer: no more than ``issuer_owed``
    (what the card still owes) nor than what is owed. Raises ``ValueError`` beyond that.
    """
    currency = sums.own_money.currency
    due = sums.earned - sums.personal_on_firm_card - sums.advance - sums.earlier
    nothing = Money.zero(currency)
    part = to_issuer or nothing
    if part < nothing or part > max(due, nothing) or (part and (issuer_owed is None or part > issuer_owed)):
        raise ValueError(say("no more can go to the card issuer than what the card owes, nor than what is owed to you"))
    rows = (
        (say("Own money"), sums.own_money, 1), (say("Daily allowance"), sums.allowance, 1), (say("Mileage"), sums.mileage, 1),
        (say("Flat sums"), sums.flat, 1),
        (say("Personal cost on the firm's card"), sums.personal_on_firm_card, -1), (say("Advance already paid"), sums.advance, -1),
        (say("Owed back on earlier claims"), sums.earlier, -1),
    )  # fmt: skip
    steps = [Step(name, f"{'−' if sign < 0 else ''}{amount}") for name, amount, sign in rows if amount]
    steps.append(
        Step(say("Owed to the traveller") if due >= nothing else say("Owed back to the firm"), str(max(due, -due)))
    )
    steps += (
        [Step(say("Of it to the card's issuer"), str(part)), Step(say("Paid to the traveller"), str(due - part))]
        if part
        else []
    )
    return Settlement(
        sums, due, part, max(due, nothing) - part, max(-due, nothing), Workings(say("What it comes to"), tuple(steps))
    )


def settle_sending(sums: ClaimSums, part: Money) -> Settlement:
    """Work out a claim of which ``part`` was to go to the card's issuer: as much of it as is owed by now."""
    due = settle(sums).due
    most = min(part, max(due, Money.zero(due.currency)))
    return settle(sums, most, most)


def take_off(due: Money, owed: Sequence[Money]) -> list[Money]:
    """Return what of each sum ``owed`` back, the oldest first, a claim pays out of what is ``due``: never more than either."""
    left, taken = max(due, Money.zero(due.currency)), []
    for each in owed:
        part = min(left, each)
        taken.append(part)
        left = left - part
    return taken
