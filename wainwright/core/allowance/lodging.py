"""What is allowed for a night's lodging: the lower of cost and ceiling, or a flat sum."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wainwright.core.allowance.scheme import Rate, Scheme, rate_for
from wainwright.core.journey import Journey, Night
from wainwright.core.money import Money, total
from wainwright.core.workings import Figure, Step, Workings, day_text, plain


@dataclass(frozen=True, slots=True)
class NightAllowed:
    """One night: what it costs, the ceiling, what is allowed and what is over."""

    night: Night
    cost: Money
    ceiling: Money | None
    allowed: Money
    over: Money
    workings: Workings


def allowed_night(
    night: Night,
    cost: Money,
    scheme: Scheme,
    rates: Sequence[Rate],
    tax: Money | None = None,
    lifted: bool = False,
) -> NightAllowed:
    """Work out what of ``cost`` (tax included) is allowed for one night.

    ``tax`` is the tax inside the cost, which stands outside the ceiling where the scheme says so.
    ``lifted`` is the special permission for actual cost: up to the scheme's share of the ceiling,
    or without a limit where the scheme names none. Supplied quarters cost nothing and allow nothing.
    """
    nothing = Money.zero(cost.currency)
    title = f"Night of {day_text(night.date)}, {night.name or night.place.town}"
    if night.supplied:
        step = Step("Quarters are supplied: nothing is paid", str(nothing))
        return NightAllowed(night, cost, nothing, nothing, cost, Workings(title, (step,)))
    rate = rate_for(rates, night.place, night.date)
    ceiling = rate.ceiling
    if ceiling is None:
        return NightAllowed(night, cost, None, cost, nothing, Workings(title, (Step("No ceiling here", str(cost)),)))
    steps = [Step(f"Ceiling for {rate.label}", str(ceiling), scheme.code, rate.since)]
    if lifted:
        if scheme.actual_cost_share is None:
            steps.append(Step("Permission for actual cost", str(cost)))
            return NightAllowed(night, cost, ceiling, cost, nothing, Workings(title, tuple(steps)))
        ceiling = ceiling.times(scheme.actual_cost_share)
        steps.append(Step(f"Permission: up to {plain(scheme.actual_cost_share * 100)} % of it", str(ceiling)))
    if tax is not None and scheme.nights.tax_outside_ceiling:
        ceiling = ceiling + tax
        steps.append(Step(f"Tax of {tax} stands outside the ceiling", str(ceiling)))
    allowed = min(cost, ceiling)
    steps.append(Step(f"The lower of {cost} and {ceiling}", str(allowed)))
    return NightAllowed(night, cost, ceiling, allowed, cost - allowed, Workings(title, tuple(steps)))


def flat_nights(journey: Journey, scheme: Scheme, currency: str) -> Figure:
    """Return the flat sum for nights without a receipt; nothing where quarters are supplied."""
    title = "Nights without a receipt"
    if scheme.nights.flat is None:
        return Figure(Money.zero(currency), Workings(title, (Step(f"{scheme.name} pays no flat sum"),)))
    paid = [night for night in journey.nights if not night.supplied]
    amount = total((scheme.nights.flat for _ in paid), currency)
    step = Step(f"{len(paid)} nights at {scheme.nights.flat}", str(amount), scheme.code, scheme.since)
    return Figure(amount, Workings(title, (step,)))
