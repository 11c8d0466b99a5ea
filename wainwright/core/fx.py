"""Foreign money: which rate is trusted, and what an amount is worth at home."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from wainwright.core.money import Money
from wainwright.core.said import as_figure, joined, say
from wainwright.core.workings import Step, Workings, day_text

STALE_AFTER_DAYS = 7
TOLERATED_SHARE = Decimal("0.03")


class NoRate(LookupError):
    """The table has no rate for a currency on or before the day."""


@dataclass(frozen=True, slots=True)
class RateTable:
    """Units of each currency for one unit of ``base``, by the day of publication."""

    base: str
    days: Mapping[date, Mapping[str, Decimal]]
    source: str
    sources: Mapping[tuple[date, str], str] = field(default_factory=dict)

    def source_of(self, day: date, currency: str) -> str:
        """Return which table the rate of a currency on a day comes from."""
        return self.sources.get((day, currency)) or self.source

    def against_base(self, currency: str, on: date) -> tuple[Decimal, date]:
        """Return the last published rate on or before ``on``, and its day. Raises ``NoRate``."""
        if currency == self.base:
            return Decimal(1), on
        known = [day for day, rates in self.days.items() if day <= on and currency in rates]
        if not known:
            raise NoRate(
                say("no rate for {currency} on or before {on}", currency=currency, on=as_figure(on, "%d %b %Y"))
            )
        day = max(known)
        return self.days[day][currency], day


@dataclass(frozen=True, slots=True)
class Converted:
    """Both amounts, the rate between them, its date and where it came from."""

    original: Money
    home: Money
    rate: Decimal
    rate_day: date
    source: str
    stale: bool
    workings: Workings
    published: bool = False

    @property
    def said(self) -> str:
        """Where the rate came from; one that was published says of which day it is."""
        return joined("", (self.source, ", ", day_text(self.rate_day, year=True))) if self.published else self.source


def convert(
    amount: Money,
    home: str,
    on: date,
    table: RateTable,
    charged: Money | None = None,
    receipt_rate: Decimal | None = None,
) -> Converted:
    """Work out ``amount`` in ``home`` currency, in the order of trust.

    ``charged`` is what the card was charged in its own (home) currency; ``receipt_rate`` is units
    of the foreign currency for one unit of ``home`` on a receipt for a cash exchange; else the
    table's rate of the day, crossing through its base. Raises ``NoRate``.
    """
    title = say("{amount} {currency} in {home}", amount=amount, currency=amount.currency, home=home)
    if amount.currency == home:
        return Converted(amount, amount, Decimal(1), on, say("same currency"), False, Workings(title))
    if charged is not None and charged.currency == home and charged.amount:
        rate = abs(amount.amount / charged.amount)
        step = Step(say("What the card was charged"), str(charged), say("card statement"))
        return Converted(amount, charged, rate, on, say("card charge"), False, Workings(title, (step,)))
    if receipt_rate is not None:
        worth = Money.rounded(amount.amount / receipt_rate, home)
        step = Step(joined("", (amount, " ÷ ", receipt_rate)), str(worth), say("rate on the exchange receipt"))
        return Converted(amount, worth, receipt_rate, on, say("exchange receipt"), False, Workings(title, (step,)))
    foreign, foreign_day = table.against_base(amount.currency, on)
    own, own_day = table.against_base(home, on)
    rate, day = foreign / own, min(foreign_day, own_day)
    worth = Money.rounded(amount.amount / rate, home)
    source = (
        table.source_of(foreign_day, amount.currency)
        if amount.currency != table.base
        else table.source_of(own_day, home)
    )
    step = Step(
        say(
            "{amount} {currency} ÷ {rate}, rate of {day}",
            amount=amount,
            currency=amount.currency,
            rate=as_figure(rate, ".4f"),
            day=day_text(day, year=True),
        ),
        str(worth),
        source,
    )
    stale = (on - day).days > STALE_AFTER_DAYS
    return Converted(amount, worth, rate, day, source, stale, Workings(title, (step,)), published=True)


def share_off(claimed: Decimal, table_rate: Decimal) -> Decimal:
    """Return by what share a claimed rate is off the table's (0.05 is five per cent)."""
    return abs(claimed - table_rate) / table_rate
