"""A claim as the rules see it: every fact that some kind of rule asks for is fed here."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal

from wainwright.claims.lodging import Lodged
from wainwright.claims.models import Claim
from wainwright.core.allowance import NightAllowed
from wainwright.core.fx import NoRate, RateTable, convert
from wainwright.core.money import Money, total
from wainwright.core.rules import Item, Setting, Subject
from wainwright.core.rules.facts import FIELDS, Known
from wainwright.core.said import say
from wainwright.expenses.elsewhere import names_of
from wainwright.expenses.models import Expense
from wainwright.expenses.selectors import shown_by
from wainwright.rulebook.selectors import Rulebook, rate_table
from wainwright.trips.earnings import AllowanceFacts
from wainwright.trips.facts import holidays_between
from wainwright.trips.figures import quarters_in
from wainwright.trips.models import Paper

TAXI = "taxi"


def claim_subject(
    claim: Claim, expenses: Sequence[Expense], stays: Mapping[str, Lodged], allowance: AllowanceFacts,
    known: Sequence[Known], book: Rulebook, rules: Sequence[Setting], today: date,
) -> Subject:  # fmt: skip
    """Return a claim as ``rules`` see it. Two queries at most: papers of the trip, rates where something was paid abroad."""
    trip, home = claim.trip, book.firm.country
    starts = min((each.starts for each in claim.trips if each.starts), default=None)
    ends = max((each.ends for each in claim.trips if each.ends), default=None)
    table, plan = _table(expenses, book), claim.planned_by_category
    rides = [expense for expense in expenses if expense.kind == Expense.Kind.MILEAGE]
    items = tuple(_item(expense, plan, allowance, table, rides) for expense in expenses)
    nights = tuple(night for stay in stays.values() for night in stay.nights)
    abroad = any(countries != {home} for countries in allowance.where.by_day.values())
    return Subject(
        claim.subject, "claim", today, claim.currency, items, nights, tuple(known), starts, ends, trip.state if trip else "", abroad or any(e.abroad for e in expenses),
        any(facts.journey and facts.journey.supplied for facts in allowance.each), claim.due,
        _papers(claim, rules),
        planned_total=_planned_costs(claim, allowance),
        holidays=holidays_between(home, starts, ends),
        quarters=_quarters(nights, allowance, book), names=book.names,
    )  # fmt: skip


def _papers(claim: Claim, rules: Sequence[Setting]) -> frozenset[str]:
    """The kinds of papers that the trip has, where a rule for claims asks for any."""
    asked = any(setting.kind == "paper_missing" and "claim" in setting.subjects for setting in rules)
    return (
        frozenset(Paper.objects.filter(trip__in=claim.trips).values_list("kind", flat=True)) if asked else frozenset()
    )


def _planned_costs(claim: Claim, facts: AllowanceFacts) -> Money | None:
    """What was authorised without the daily allowance and flat sums, which are worked out and not spent."""
    if claim.planned is None:
        return None
    earned = sum(trip.signed.allowance_minor for trip in claim.trips if trip.signed)
    return (
        claim.planned - Money.from_minor(earned, claim.currency) - total((s.amount for s in facts.sums), claim.currency)
    )


def _quarters(nights: Sequence[NightAllowed], allowance: AllowanceFacts, book: Rulebook) -> dict[str, str]:
    """The supplied quarters beside which a night was paid, where nothing says that they were full."""
    found = {}
    for each in nights:
        row = allowance.rows.get(each.night.date)
        supplied = quarters_in(book, each.night.place.town, each.night.place.country)
        if supplied is not None and row is not None and not row.full and not row.supplied:
            found[f"night:{each.night.date.isoformat()}"] = supplied["name"]
    return found


def _table(expenses: Sequence[Expense], book: Rulebook) -> RateTable | None:
    """The rates of the days on which something was paid in another currency at a rate that was typed."""
    days = [e.date for e in expenses if _typed_rate(e)]
    currencies = {e.original_currency for e in expenses if _typed_rate(e)}
    return rate_table(book.firm, max(days), min(days), sorted(currencies)) if days else None


def _typed_rate(expense: Expense) -> bool:
    """Whether its rate is its owner's word: neither the table's nor what the card's statement shows."""
    return bool(expense.original_currency and expense.rate and getattr(expense, "charge", None) is None)


def _table_rate(expense: Expense, table: RateTable | None) -> Decimal | None:
    original = expense.original
    if table is None or original is None or not _typed_rate(expense):
        return None
    try:
        return convert(original, expense.currency, expense.date, table).rate
    except NoRate:
        return None


def _item(
    expense: Expense,
    plan: Mapping[str, int],
    allowance: AllowanceFacts,
    table: RateTable | None,
    rides: Sequence[Expense],
) -> Item:
    receipts = list(expense.receipts.all())
    charge = getattr(expense, "charge", None)
    table_rate = _table_rate(expense, table)
    ride, by, ticket = _ride(expense, allowance, rides)
    return Item(
        expense.key, expense.label, expense.category, expense.date, expense.amount,
        expense.paid_by,  # type: ignore[arg-type]
        has_receipt=bool(receipts) or expense.booking_id is not None, declared_lost=bool(expense.lost), merchant=expense.merchant,
        filled=frozenset(name for name, _ in FIELDS if getattr(expense, name)),
        nights=tuple(date.fromisoformat(n) for n in expense.nights), heads=expense.heads, shows=shown_by(expense)[0],
        planned=Money.from_minor(plan[expense.category], expense.currency) if expense.category in plan else None,
        receipts=tuple(r.sha256 for r in receipts), charge=str(charge.pk) if charge else "",
        claimed_rate=expense.rate if table_rate is not None else None, table_rate=table_rate,
        rate_stale=expense.rate_stale, tax_odd=expense.tax_odd,
        needs_evidence=expense.kind == Expense.Kind.COST and not expense.personal,
        ride=ride, by=by, one_way_km=expense.one_way_km, ticket=ticket, names=names_of(expense),
    )  # fmt: skip


def _ride(
    expense: Expense, allowance: AllowanceFacts, rides: Sequence[Expense]
) -> tuple[tuple[str, ...], str, Money | None]:  # fmt: skip
    """The two towns of a ride, by what it went, and the cheapest other way that the plan compared it with."""
    if expense.kind == Expense.Kind.MILEAGE and expense.origin and expense.target:
        towns = (expense.origin["town"], expense.target["town"])
        price = next(
            (leg.compared["price"] for leg in allowance.drives
             if leg.compared.get("price") and {leg.origin["town"], leg.target["town"]} == set(towns)),
            None,
        )  # fmt: skip
        return towns, say("own car"), Money.of(price, expense.currency) if price else None
    if expense.category != TAXI:
        return (), "", None
    planned = [leg for leg in allowance.taxis if leg.leaves.date() == expense.date]
    if len(planned) == 1:
        return (planned[0].origin["town"], planned[0].target["town"]), TAXI, None
    words = f"{expense.merchant} {expense.description}".casefold()
    for other in rides:
        towns = (other.origin["town"], other.target["town"]) if other.origin and other.target else ()
        if other.date == expense.date and towns and all(town.casefold() in words for town in towns):
            return towns, TAXI, None
    return (), "", None
