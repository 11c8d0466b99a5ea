"""Turns the firm's policy into the core's values."""

from __future__ import annotations

import csv
from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from decimal import Decimal
from functools import cached_property, lru_cache
from pathlib import Path

from django.db.models import F, Q, QuerySet

from wainwright import clock
from wainwright.core.allowance import MealSet, NoRate, Rate, Rates, Scheme, in_force, rate_for
from wainwright.core.allowance.homeward import at_home
from wainwright.core.allowance.reading import meal_set, read_scheme
from wainwright.core.asking import Asks, meant_for
from wainwright.core.carbon import Factor
from wainwright.core.categories import account_for
from wainwright.core.fx import RateTable
from wainwright.core.journey import LODGINGS, Meal, Mode, Place
from wainwright.core.mileage import MileageRate, mileage_year
from wainwright.core.money import Money
from wainwright.core.policy import Paragraph, read_policy
from wainwright.core.questions import Question
from wainwright.core.rules import Finding, Level, Setting
from wainwright.core.said import say
from wainwright.core.workings import day_text
from wainwright.formats.places import called_on_journeys, country_of
from wainwright.people.models import Firm, Membership
from wainwright.prepared import padded, prepared
from wainwright.rulebook.models import (
    AllowanceRate,
    Category,
    ExchangeRate,
    Explanation,
    FirmQuestion,
    MileageRateRow,
    Policy,
    PolicyText,
    RouteSetting,
    RuleSetting,
    SchemeData,
    TaxCode,
)

# So many days are kept as they were worked out.
MOST_DAYS = 800
# So long after its end a category is still offered, for costs of the days before.
YEAR = timedelta(days=366)


@dataclass(frozen=True)
class Rulebook:
    """Everything that the core asks of a firm's policy, loaded at once."""

    firm: Firm
    policy: Policy
    schemes: tuple[Scheme, ...]
    rates: Rates
    all_categories: tuple[Category, ...]
    settings: tuple[Setting, ...]
    mileage: tuple[MileageRate, ...] = ()
    tax: Mapping[str, TaxCode] = field(default_factory=dict)
    texts: tuple[tuple[date, tuple[Paragraph, ...]], ...] = ()
    asks: tuple[Asks, ...] = ()
    questions: tuple[Question, ...] = ()
    _of_days: dict[date, dict[str, Category]] = field(default_factory=dict, compare=False, repr=False)

    @property
    def categories(self) -> dict[str, Category]:
        """Every category by its code as it is today; one that has ended as it was last, one to come as it will be."""
        return self.categories_on(clock.today(self.firm.zone))

    def categories_on(self, day: date) -> dict[str, Category]:
        """The same as of a day: by it goes what a cost of that day posts to, and what it counts for."""
        found = self._of_days.get(day)
        if found is None:
            if len(self._of_days) > MOST_DAYS:
                self._of_days.clear()
            found = self._of_days[day] = self._categories_on(day)
        return found

    def _categories_on(self, day: date) -> dict[str, Category]:
        found: dict[str, Category] = {}
        for row in sorted(self.all_categories, key=lambda row: row.since or date.min):
            # What begins later speaks only where nothing did before.
            if row.code not in found or not (row.since and row.since > day):
                found[row.code] = row
        return {row.code: found[row.code] for row in self.all_categories if found[row.code] is row}

    def choices(self, member: Membership) -> dict[str, Category]:
        """The categories that somebody may choose from: meant for them, in force today or ended within a year."""
        today = clock.today(self.firm.zone)
        groups = groups_of(member, self.names_countries)
        return {
            code: row
            for code, row in self.categories.items()
            if meant_for(row.groups, groups)
            and (row.in_force(today) or (row.until and today - YEAR <= row.until < today))
        }

    def refuses_category(self, code: str, day: date, member: Membership | None) -> str:
        """Say why a category may not stand on a cost of a day; an empty text where it may. Without ``member``: whoever's."""
        row = self.categories_on(day).get(code)
        if row is None:
            return say("Choose what the cost was for.")
        if not row.in_force(day):
            until = max(
                (each.until for each in self.all_categories if each.code == code and each.until and each.until < day),
                default=None,
            )
            if until is not None:
                return say(
                    "{name} is for costs up to {until}. Choose another.",
                    name=row.name,
                    until=day_text(until, year=True),
                )
            return say(
                "{name} is for costs from {since} on. Choose another.",
                name=row.name,
                since=day_text(row.since or day, year=True),
            )
        if member is not None and not meant_for(row.groups, groups_of(member, self.names_countries)):
            return say(
                "{name} is not for {member}: an administrator says who may use it. Choose another.",
                name=row.name,
                member=member.person.name,
            )
        return ""

    @property
    def scheme(self) -> Scheme:
        """The allowance scheme in force today."""
        return in_force(self.schemes, clock.today(self.firm.zone))

    @cached_property
    def foreign(self) -> frozenset[str]:
        """The currencies of allowance rates that are not in the firm's own."""
        return frozenset(rate.full.currency for rate in self.rates) - {self.firm.currency}

    @cached_property
    def stays_go_on(self) -> int:
        """Within how many days a long stay goes on where one is back; 0 where no scheme pays less for a long stay."""
        return max(
            (max(1, each.long_stay.continues_within) for each in self.schemes if each.long_stay.steps), default=0
        )

    @cached_property
    def pays_flat(self) -> bool:
        """Whether a night without a bill earns a flat sum anywhere."""
        return any(each.nights.flat for each in self.schemes) or any(
            rate.flat_night or rate.flats for rate in self.rates
        )

    @cached_property
    def lodgings(self) -> list[str]:
        """The kinds of lodging that a rate has a ceiling or a flat sum of its own for: what a night is asked where there are any."""
        named = {kind for rate in self.rates for kind in (*rate.ceilings, *rate.flats)}
        return [kind for kind in LODGINGS if kind in named]

    @property
    def policy_text(self) -> tuple[date, tuple[Paragraph, ...]] | None:
        """The firm's policy as people read it today, and from when it is; nothing where none is published."""
        today = clock.today(self.firm.zone)
        return next(((since, text) for since, text in self.texts if since <= today), None)

    def rules_for(self, member: Membership) -> list[Setting]:
        """The rules that are meant for somebody, of every day on which one was, is or will be in force."""
        groups = groups_of(member, self.names_countries)
        return [setting for setting in self.settings if setting.meant_for(groups)]

    @cached_property
    def names_countries(self) -> bool:
        """Whether any rule, rule of the route, category or question is meant for people by where they live: else nobody's country is looked up."""
        named = (
            group
            for each in (*self.settings, *self.asks, *self.all_categories, *self.questions)
            for group in each.groups
        )
        return any(group.lstrip("-").startswith("country:") for group in named)

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


def from_now(firm: Firm, day: date) -> QuerySet[Category]:
    """The categories that are in force on a day, come after it, or are drafted: what still has to post somewhere."""
    return Category.objects.filter(Q(until=None) | Q(until__gte=day), firm=firm)


def groups_of(member: Membership, countries: bool = True) -> frozenset[str]:
    """Return the groups that somebody is of, as rules name them: their roles, their usual codes, where they live, they alone.

    Without ``countries`` where they live is not looked up, which spares a page the table of all airports.
    """
    home = country_of(member.home_code) if countries and member.home_code else ""
    codes = (f"code:{dimension}:{code}" for dimension, code in member.coding.parts().items())
    return frozenset(
        {f"person:{member.pk}", f"country:{home or member.firm.country}", *codes}
        | {f"role:{role}" for role in member.roles}
    )


def rulebook(firm: Firm) -> Rulebook:
    """Return a firm's rulebook: ten queries at first, none while its version stays the same."""
    return _rulebook(firm.pk, firm.rules_version)


@lru_cache(maxsize=64)
def _rulebook(firm_id: int, _version: str) -> Rulebook:
    firm = Firm.objects.get(pk=firm_id)
    policy = Policy.objects.get(firm=firm)
    categories = tuple(Category.objects.filter(firm=firm, draft=False))
    asking = tuple(setting for row in categories for setting in row.asking)
    return Rulebook(
        firm,
        policy,
        _schemes(firm, policy.bed_hour),
        Rates(rate_of(row, firm.currency) for row in AllowanceRate.objects.filter(firm=firm)),
        categories,
        (*(row.as_core() for row in RuleSetting.objects.filter(firm=firm, draft=False)), *asking),
        tuple(mileage_rates(firm)),
        {row.code: row for row in TaxCode.objects.filter(firm=firm)},
        tuple((row.since, read_policy(row.text)) for row in PolicyText.objects.filter(firm=firm)[:6]),
        tuple(row.as_core() for row in RouteSetting.objects.filter(firm=firm, draft=False).select_related("firm")),
        tuple(row.as_core() for row in FirmQuestion.objects.filter(firm=firm, draft=False)),
    )


def _schemes(firm: Firm, bed_hour: int) -> tuple[Scheme, ...]:
    """The firm's schemes that are in force on some day; drafts are not among them."""
    rows = SchemeData.objects.filter(firm=firm, since__isnull=False)
    return tuple(
        replace(read_scheme(row.data, firm.currency), since=row.since, bed_hour=bed_hour) for row in rows if row.since
    )


def rate_of(row: AllowanceRate, home: str) -> Rate:
    """Return a rate as the core reckons with it; ``home`` is the firm's currency, that of a rate that names none."""
    currency = row.currency or home

    def money(minor: int) -> Money:
        return Money.from_minor(minor, currency)

    def named(amounts: Mapping[str, int]) -> dict[str, Money]:
        return {name: money(minor) for name, minor in amounts.items()}

    meals = {
        Meal.BREAKFAST: money(row.breakfast_minor), Meal.LUNCH: money(row.lunch_minor), Meal.DINNER: money(row.dinner_minor),
    }  # fmt: skip
    sets = tuple(MealSet(meals_of, money(minor)) for key, minor in row.sets.items() if (meals_of := meal_set(key)))
    return Rate(
        row.town, row.country, row.since, money(row.full_minor), meals, money(row.incidentals_minor),
        None if row.ceiling_minor is None else money(row.ceiling_minor), row.until, named(row.amounts), named(row.free), sets,
        None if row.flat_night_minor is None else money(row.flat_night_minor), named(row.ceilings), named(row.flats),
        called_on_journeys(row.town, row.country),
    )  # fmt: skip


def exchange_of(book: Rulebook, since: date, until: date) -> RateTable | None:
    """Return the rates of exchange for allowance rates in other money, in one query; nothing where all are in the firm's.

    What is ahead is reckoned by the last rate known.
    """
    if not book.foreign:
        return None
    return rate_table(book.firm, until, min(since, clock.today(book.firm.zone)), book.foreign)


def ceiling_of(book: Rulebook, place: Place, day: date) -> Money | None:
    """Return the most that a night may cost at a place, in the firm's money; nothing where there is no ceiling, or no rate."""
    try:
        ceiling = rate_for(book.rates, place, day).ceiling
        return None if ceiling is None else at_home(ceiling, book.firm.currency, day, exchange_of(book, day, day))[0]
    except NoRate:
        return None


def mileage_rates(firm: Firm) -> list[MileageRate]:
    """Return the firm's mileage rates in one query."""
    return [mileage_rate_of(row, firm.currency) for row in MileageRateRow.objects.filter(firm=firm)]


def mileage_rate_of(row: MileageRateRow, currency: str) -> MileageRate:
    """Return a mileage rate as the core reckons with it."""
    bands = tuple((None if upper is None else Decimal(str(upper)), Decimal(str(rate))) for upper, rate in row.bands)
    return MileageRate(row.vehicle, row.since, currency, bands, row.passenger, row.unit)


def mileage_year_of(firm: Firm, day: date) -> tuple[date, date]:
    """Return the first and last day of a firm's mileage year around ``day``."""
    policy = rulebook(firm).policy
    return mileage_year(day, policy.mileage_month, policy.mileage_day)


def vehicle_kinds(firm: Firm) -> dict[str, str]:
    """Return the kinds of vehicle that have a mileage rate today, or one to come, each with the unit of its newest one.

    No query of its own.
    """
    today, found = clock.today(firm.zone), {}
    for rate in sorted(rulebook(firm).mileage, key=lambda rate: rate.since):
        if rate.bands:
            found[rate.vehicle] = rate.unit
        elif rate.since <= today:
            found.pop(rate.vehicle, None)
    return found


RATE_DAYS = timedelta(days=31)


@prepared
def _published(firm: int, on: date, since: date, *currencies: str) -> QuerySet:
    rows = ExchangeRate.objects.filter(Q(firm_id=firm) | Q(firm__isnull=True), day__lte=on, day__gte=since)
    if currencies:
        rows = rows.filter(currency__in=currencies)
    return rows.order_by(F("firm").asc(nulls_first=True)).values_list("day", "currency", "per_euro", "source")


def rate_table(firm: Firm, on: date, since: date | None = None, currencies: Collection[str] = ()) -> RateTable:
    """Return the rates published in the month before ``since`` (else ``on``) up to ``on``, in one query.

    What the firm took in itself goes before what is there for all. ``currencies``: those alone, with the firm's own.
    """
    wanted = padded({*currencies, firm.currency}) if currencies else []
    days: dict[date, dict[str, Decimal]] = defaultdict(dict)
    sources: dict[tuple[date, str], str] = {}
    for day, currency, per_euro, source in _published(firm.pk, on, min(since or on, on) - RATE_DAYS, *wanted):
        days[day][currency] = per_euro
        sources[day, currency] = source
    return RateTable("EUR", dict(days), say("table of the day"), sources)


@dataclass(frozen=True)
class Explained:
    """A finding and the reason given to it, if any."""

    finding: Finding
    reason: Explanation | None

    @property
    def open(self) -> bool:
        """Whether it still stands in the way."""
        return self.finding.level == Level.STOP or (self.finding.level == Level.EXPLAIN and self.reason is None)


@prepared
def reasons_to(subject: str) -> QuerySet[Explanation]:
    """The reasons that were given to findings on a trip or a claim: worded once, since each of their pages asks."""
    return Explanation.objects.filter(subject=subject)


def with_reasons(subject: str, findings: list[Finding]) -> list[Explained]:
    """Put the reasons given beside their findings, in one query."""
    reasons = {row.identity: row for row in reasons_to(subject)}
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
