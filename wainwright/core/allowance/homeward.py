"""Amounts of a rate that is in money of its own, in the firm's."""

from __future__ import annotations

from datetime import date

from wainwright.core import fx
from wainwright.core.allowance.scheme import NoRate
from wainwright.core.money import Money
from wainwright.core.said import as_figure, said_by, say
from wainwright.core.workings import Step


def at_home(amount: Money, currency: str, day: date, table: fx.RateTable | None) -> tuple[Money, tuple[Step, ...]]:
    """Return an amount in ``currency`` by the rate of a day, and how; as it is where it is in it already.

    Raises ``NoRate`` where no rate of exchange is known.
    """
    if amount.currency == currency:
        return amount, ()
    try:
        if table is None:
            raise fx.NoRate(
                say("no rate for {currency} on {day}", currency=amount.currency, day=as_figure(day, "%d %b %Y"))
            )
        worth = fx.convert(amount, currency, day, table)
    except fx.NoRate as error:
        raise NoRate(said_by(error)) from error
    return worth.home, worth.workings.steps
