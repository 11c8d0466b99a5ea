"""Exchange rates: a table taken in, and what the tables say of a currency."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db import transaction

from wainwright import clock
from wainwright.core.said import as_figure, said_by, say
from wainwright.errors import Refusal
from wainwright.formats.apart import apart
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.rate_table import PublishedRate
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rulebook.models import ExchangeRate
from wainwright.rulebook.selectors import rate_table
from wainwright.trail.services import record

# Older rates are asked for by no claim any more.
KEPT = timedelta(days=3 * 366)
# So many rates are written while others wait for the database: three years of some sixty currencies.
MOST, BATCH, SHOWN_DAYS = 60_000, 2000, 90


@dataclass(frozen=True)
class RatesTaken:
    """What became of a table: how many rates are new, known already, different from what is known, and left out."""

    new: int
    known: int
    different: list[str]
    left: list[LeftOut]


@dataclass(frozen=True)
class Latest:
    """The last rate of a currency against a firm's own, and its way over the last days, oldest first."""

    currency: str
    rate: Decimal
    day: date
    source: str
    way: list[Decimal]


def take_rates(member: Membership, name: str, content: bytes) -> RatesTaken:
    """Take a table in for one's firm. A rate that is known stays as it is. Raises ``NotAllowed``, ``Refusal``."""
    must(member, "rates")
    today = clock.today(member.firm.zone)
    try:
        table = _read(content, today)
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    with transaction.atomic():
        done = _keep(member.firm, name[-60:], table, today)
        after = {"name": name[-60:], "new": done.new, "known": done.known, "different": done.different[:20]}
        record(member, say("took in exchange rates"), f"firm:{member.firm_id}", after=after)
    return done


def keep_rates(firm: Firm | None, source: str, content: bytes, today: date) -> RatesTaken:
    """Keep the rates of a table, for one firm or for all. Raises ``Unreadable``."""
    table = _read(content, today)
    with transaction.atomic():
        return _keep(firm, source, table, today)


# A table read: its rates, and what was left out of it.
Table = tuple[list[PublishedRate], list[LeftOut]]


def _read(content: bytes, today: date) -> Table:
    """Read a table before anything is locked: nobody waits for it but who sent it."""
    table: Table = apart("rates", content, today - KEPT, MOST)
    return table


def _keep(firm: Firm | None, source: str, table: Table, today: date) -> RatesTaken:
    rates, left = table
    ahead = [rate for rate in rates if rate.day > today]
    left += [
        LeftOut(f"{rate.day}", say("the rate of {currency} is of a day to come", currency=rate.currency))
        for rate in ahead[:5]
    ]
    wanted = {(rate.day, rate.currency): rate for rate in rates if rate.day <= today}
    known = {
        (day, currency): per_euro
        for day, currency, per_euro in ExchangeRate.objects.filter(firm=firm).values_list("day", "currency", "per_euro")
    }
    new = [rate for key, rate in wanted.items() if key not in known]
    ExchangeRate.objects.bulk_create([_row(firm, rate, source) for rate in new], batch_size=BATCH)
    different = [
        say(
            "{currency} on {day}: {normalize} is known, the table says {normalize_2}",
            currency=currency,
            day=day,
            normalize=as_figure(known[day, currency].normalize(), "f"),
            normalize_2=as_figure(rate.per_euro.normalize(), "f"),
        )
        for (day, currency), rate in wanted.items()
        if known.get((day, currency), rate.per_euro) != rate.per_euro
    ]
    return RatesTaken(len(new), len(wanted) - len(new), different, left)


def _row(firm: Firm | None, rate: PublishedRate, source: str) -> ExchangeRate:
    return ExchangeRate(firm=firm, day=rate.day, currency=rate.currency, per_euro=rate.per_euro, source=source)


def latest_rates(firm: Firm, today: date) -> list[Latest]:
    """Return the last rate of every currency against the firm's own, in one query."""
    table = rate_table(firm, today, today - timedelta(days=SHOWN_DAYS))
    by_currency: dict[str, list[tuple[date, Decimal]]] = {}
    for day in sorted(table.days):
        rates = {"EUR": Decimal(1), **table.days[day]}
        if firm.currency in rates:
            for currency in rates.keys() - {firm.currency}:
                by_currency.setdefault(currency, []).append((day, rates[currency] / rates[firm.currency]))
    return [
        Latest(currency, way[-1][1], way[-1][0], table.source_of(way[-1][0], currency if currency != "EUR" else firm.currency),
               [rate for _, rate in way])
        for currency, way in sorted(by_currency.items())
    ]  # fmt: skip
