"""Turns the firm's policy into the core's values."""

from __future__ import annotations

import csv
from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import date, time, timedelta
from decimal import Decimal
from functools import lru_cache
from pathlib import Path
from typing import Any

from django.db.models import F, Q

from wainwright.core.allowance import (
    ClockTimes,
    Fractions,
    HourTable,
    MealRule,
    NightRule,
    Rate,
    Scheme,
    Twelfths,
)
from wainwright.core.carbon import Factor
from wainwright.core.categories import account_for
from wainwright.core.fx import RateTable
from wainwright.core.journey import Meal, Mode
from wainwright.core.mileage import MileageRate, mileage_year
from wainwright.core.money import Money
from wainwright.core.rules import Finding, Level, Setting
from wainwright.people.models import Firm
from wainwright.rulebook.models import (
    AllowanceRate,
    Category,
    ExchangeRate,
    Explanation,
    MileageRateRow,
    Policy,
    RuleSetting,
    SchemeData,
    TaxCode,
)


@dataclass(frozen=True)
class Rulebook:
    """Everything that the core asks of a firm's policy, loaded at once."""

    firm: Firm
    policy: Policy
    scheme: Scheme
    rates: tuple[Rate, ...]
    categories: dict[str, Category]
    settings: tuple[Setting, ...]
    mileage: tuple[MileageRate, ...] = ()
    tax: Mapping[str, TaxCode] = field(default_factory=dict)

    def account_of(self, category: Category, country: str) -> str:
        """The account of a category for what was paid in a country: its own there, its own abroad, else its usual one."""
        return account_for(
            category.account,
            [(each["where"], each["account"]) for each in category.accounts_if],
            country,
            self.firm.country,
        )

    def tax_of(self, category: Category, country: str, day: date) -> TaxCode | None:
        """The usual tax code of a category in a country (nothing said: the firm's own), where it is open on a day."""
        found = self.tax.get(category.tax_codes.get(country or self.firm.country, ""))
        return found if found is not None and found.open_on(day) else None

    @property
    def names(self) -> dict[str, str]:
        """Category names by code."""
        return {code: category.name for code, category in self.categories.items()}


def rulebook(firm: Firm) -> Rulebook:
    """Return a firm's rulebook: seven queries at first, none while its version stays the same."""
    return _rulebook(firm.pk, firm.rules_version)


@lru_cache(maxsize=64)
def _rulebook(firm_id: int, _version: str) -> Rulebook:
    firm = Firm.objects.get(pk=firm_id)
    policy = Policy.objects.get(firm=firm)
    data = SchemeData.objects.get(firm=firm, code=policy.scheme).data
    return Rulebook(
        firm,
        policy,
        scheme_from(data, firm.currency),
        tuple(_rate(row, firm.currency) for row in AllowanceRate.objects.filter(firm=firm)),
        {category.code: category for category in Category.objects.filter(firm=firm)},
        tuple(row.as_core() for row in RuleSetting.objects.filter(firm=firm)),
        tuple(mileage_rates(firm)),
        {row.code: row for row in TaxCode.objects.filter(firm=firm)},
    )


def scheme_from(data: dict[str, Any], currency: str) -> Scheme:
    """Build a scheme from its data. Raises ``KeyError`` or ``ValueError`` for data that says no scheme."""
    ends, meals, nights = data["ends"], data.get("meals", {}), data.get("nights", {})
    number = Decimal
    made: Fractions | HourTable | ClockTimes | Twelfths
    match ends["kind"]:
        case "fractions":
            made = Fractions(number(ends["first"]), number(ends["last"]), number(ends["single"]))
        case "hours":
            made = HourTable(tuple((number(hours), number(share)) for hours, share in ends["rows"]))
        case "clock":
            made = ClockTimes(
                time.fromisoformat(ends["leaving_from"]), time.fromisoformat(ends["back_until"]), number(ends["share"])
            )
        case "twelfths":
            made = Twelfths(number(ends["beyond"]))
        case other:
            raise ValueError(f"no such kind of first and last day: {other}")
    return Scheme(
        data["code"], data["name"], date.fromisoformat(data["since"]), data["window"], made,
        MealRule(
            meals.get("by", "table"), {Meal(k): number(v) for k, v in meals.get("shares", {}).items()},
            meals.get("part_day", "full"), meals.get("floor", "zero"),
        ),
        NightRule(
            Money.of(nights["flat"], currency) if nights.get("flat") else None, nights.get("tax_outside_ceiling", False)
        ),
        number(data.get("least_hours", "0")), data.get("under_way", "left"), data.get("long_stay_from"),
        number(data.get("long_stay_share", "1")),
        number(data["actual_cost_share"]) if data.get("actual_cost_share") else None,
    )  # fmt: skip


def _rate(row: AllowanceRate, currency: str) -> Rate:
    def money(minor: int) -> Money:
        return Money.from_minor(minor, currency)

    meals = {
        Meal.BREAKFAST: money(row.breakfast_minor), Meal.LUNCH: money(row.lunch_minor), Meal.DINNER: money(row.dinner_minor),
    }  # fmt: skip
    ceiling = None if row.ceiling_minor is None else money(row.ceiling_minor)
    return Rate(
        row.town, row.country, row.since, money(row.full_minor), meals, money(row.incidentals_minor), ceiling, row.until
    )


def mileage_rates(firm: Firm) -> list[MileageRate]:
    """Return the firm's mileage rates in one query."""
    return [
        MileageRate(
            row.vehicle, row.since, firm.currency,
            tuple((None if upper is None else Decimal(str(upper)), Decimal(str(rate))) for upper, rate in row.bands),
            row.passenger, row.unit,
        )
        for row in MileageRateRow.objects.filter(firm=firm)
    ]  # fmt: skip


def mileage_year_of(firm: Firm, day: date) -> tuple[date, date]:
    """Return the first and last day of a firm's mileage year around ``day``."""
    policy = rulebook(firm).policy
    return mileage_year(day, policy.mileage_month, policy.mileage_day)


def vehicle_kinds(firm: Firm) -> dict[str, str]:
    """Return the kinds of vehicle that have a mileage rate, each with the unit of its newest one. No query of its own."""
    return {rate.vehicle: rate.unit for rate in sorted(rulebook(firm).mileage, key=lambda rate: rate.since)}


RATE_DAYS = timedelta(days=31)


def rate_table(firm: Firm, on: date, since: date | None = None, currencies: Collection[str] = ()) -> RateTable:
    """Return the rates published in the month before ``since`` (else ``on``) up to ``on``, in one query.

    What the firm took in itself goes before what is there for all. ``currencies``: those alone, with the firm's own.
    """
    known = ExchangeRate.objects.filter(
        Q(firm=firm) | Q(firm__isnull=True), day__lte=on, day__gte=min(since or on, on) - RATE_DAYS
    )
    if currencies:
        known = known.filter(currency__in={*currencies, firm.currency})
    days: dict[date, dict[str, Decimal]] = defaultdict(dict)
    sources: dict[tuple[date, str], str] = {}
    rows = known.order_by(F("firm").asc(nulls_first=True)).values_list("day", "currency", "per_euro", "source")
    for day, currency, per_euro, source in rows:
        days[day][currency] = per_euro
        sources[day, currency] = source
    return RateTable("EUR", dict(days), "table of the day", sources)


@dataclass(frozen=True)
class Explained:
    """A finding and the reason given to it, if any."""

    finding: Finding
    reason: Explanation | None

    @property
    def open(self) -> bool:
        """Whether it still stands in the way."""
        return self.finding.level == Level.STOP or (self.finding.level == Level.EXPLAIN and self.reason is None)


def with_reasons(subject: str, findings: list[Finding]) -> list[Explained]:
    """Put the reasons given beside their findings, in one query."""
    reasons = {row.identity: row for row in Explanation.objects.filter(subject=subject)}
    return [Explained(finding, reasons.get(finding.identity)) for finding in findings]


@lru_cache(maxsize=1)
def carbon_factors() -> tuple[Factor, ...]:
    """Return the carbon factors that ship as data, each with its date of effect and source."""
    with Path(__file__).with_name("carbon.csv").open(encoding="utf-8") as file:
        return tuple(
            Factor(Mode(r["mode"]), r["cabin"], Decimal(r["most_km"]) if r["most_km"] else None, Decimal(r["grams"]),
                   date.fromisoformat(r["since"]), r["source"])
            for r in csv.DictReader(file)
        )  # fmt: skip
