"""What is allowed for a night's lodging: the lower of cost and ceiling, or a flat sum."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date

from wainwright.core import fx
from wainwright.core.allowance.homeward import at_home
from wainwright.core.allowance.scheme import Rate, Scheme, in_force, rate_for
from wainwright.core.journey import Journey, Night
from wainwright.core.money import Money
from wainwright.core.said import say
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
    scheme: Scheme | Sequence[Scheme],
    rates: Sequence[Rate],
    tax: Money | None = None,
    lifted: bool = False,
    table: fx.RateTable | None = None,
) -> NightAllowed:
    """Work out what of ``cost`` (tax included) is allowed for one night.

    ``tax`` is the tax inside the cost, which stands outside the ceiling where the scheme says so.
    ``lifted`` is the special permission for actual cost: up to the scheme's share of the ceiling,
    or without a limit where the scheme names none. Supplied quarters cost nothing and allow nothing.
    ``table``: for a ceiling in another currency than the cost. Raises ``NoRate``.
    """
    scheme = in_force(scheme, night.date)
    nothing = Money.zero(cost.currency)
    title = say("Night of {date}, {night}", date=day_text(night.date), night=night.name or night.place.town)
    if night.supplied:
        step = Step(say("Quarters are supplied: nothing is paid"), str(nothing))
        return NightAllowed(night, cost, nothing, nothing, cost, Workings(title, (step,)))
    rate = rate_for(rates, night.place, night.date)
    ceiling = rate.ceilings.get(night.lodging, rate.ceiling)
    if ceiling is None:
        return NightAllowed(
            night, cost, None, cost, nothing, Workings(title, (Step(say("No ceiling here"), str(cost)),))
        )
    kind = f", {night.lodging}" if night.lodging in rate.ceilings else ""
    ceiling, worth = at_home(ceiling, cost.currency, night.date, table)
    steps = [
        Step(
            say("Ceiling for {rate_label}{kind}", rate_label=rate.label, kind=kind),
            str(ceiling),
            scheme.code,
            rate.since,
        ),
        *worth,
    ]
    if lifted:
        if scheme.actual_cost_share is None:
            steps.append(Step(say("Permission for actual cost"), str(cost)))
            return NightAllowed(night, cost, ceiling, cost, nothing, Workings(title, tuple(steps)))
        ceiling = ceiling.times(scheme.actual_cost_share)
        steps.append(
            Step(
                say(
                    "Permission: up to {actual_cost_share} % of it",
                    actual_cost_share=plain(scheme.actual_cost_share * 100),
                ),
                str(ceiling),
            )
        )
    if tax is not None and scheme.nights.tax_outside_ceiling:
        ceiling = ceiling + tax
        steps.append(Step(say("Tax of {tax} stands outside the ceiling", tax=tax), str(ceiling)))
    allowed = min(cost, ceiling)
    steps.append(Step(say("The lower of {cost} and {ceiling}", cost=cost, ceiling=ceiling), str(allowed)))
    return NightAllowed(night, cost, ceiling, allowed, cost - allowed, Workings(title, tuple(steps)))


def flat_nights(
    journey: Journey, scheme: Scheme | Sequence[Scheme], rates: Sequence[Rate], currency: str,
    billed: Collection[date] = (), table: fx.RateTable | None = None,
) -> Figure:  # fmt: skip
    """Return the flat sums for nights without a bill, by the rate of each place and kind of lodging, else the scheme's own.

    Nothing where quarters are supplied, for a night that is ``billed``, or where neither has a flat sum. Raises ``NoRate``.
    """
    steps, amount = [], Money.zero(currency)
    for night in journey.nights:
        if night.supplied or night.date in billed:
            continue
        rule, rate = in_force(scheme, night.date), rate_for(rates, night.place, night.date)
        # A kind of its own may have nothing; a place without a sum has the scheme's.
        own = rate.flats.get(night.lodging, rate.flat_night or None)
        flat = own if own is not None else rule.nights.flat
        if not flat:
            continue
        paid, worth = at_home(flat, currency, night.date, table)
        since = rate.since if own is not None else rule.since
        kind = f", {night.lodging}" if night.lodging in rate.flats else ""
        steps += [
            Step(
                say(
                    "Night of {date}, {rate_label}{kind}, without a bill",
                    date=day_text(night.date),
                    rate_label=rate.label,
                    kind=kind,
                ),
                str(paid),
                rule.code,
                since,
            ),
            *worth,
        ]
        amount += paid
    if not steps:
        steps.append(Step(say("No night has a flat sum")))
    return Figure(amount, Workings(say("Nights without a bill"), tuple(steps)))
