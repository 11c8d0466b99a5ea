"""Making expenses of what lies in the tray, and of what is typed."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from django.db import transaction
from django.db.models import Q, Sum

from wainwright import clock
from wainwright.core.fx import NoRate, convert
from wainwright.core.journey import Place
from wainwright.core.mileage import mileage, rate_on
from wainwright.core.money import Money
from wainwright.core.states import CHARGE
from wainwright.core.tax import tax_in
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.expenses.services.receipts import attach
from wainwright.outside import service
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import category_for, mileage_rates, rate_table, rulebook
from wainwright.trail.services import record
from wainwright.trips.models import place_data

DEFAULT_CATEGORY = "supplies"


@transaction.atomic
def take(member: Membership, receipt_id: int | None, charge_id: int | None) -> Expense:
    """Make an expense of a receipt, a charge, or both. The card's own figure counts first. Raises ``Refusal``, ``Stale``."""
    receipt = charge = None
    if receipt_id:
        receipt = Receipt.objects.select_for_update().filter(owner=member, pk=receipt_id, expense__isnull=True).first()
    if charge_id:
        charge = (
            Charge.objects.select_for_update()
            .select_related("card")
            .filter(owner=member, pk=charge_id, state="Loose")
            .first()
        )
    if (receipt_id and receipt is None) or (charge_id and charge is None):
        raise Stale("It was taken already, on this page or another.")
    if receipt is None and charge is None:
        raise Refusal("Choose a receipt or a charge.")
    if charge is None and receipt is not None and not receipt.value("total"):
        raise Refusal("The total of this receipt was not read. Open it and type the total.", "amount")
    merchant = (receipt.value("merchant") if receipt else "") or (charge.merchant.title() if charge else "")
    category = category_for(f"{merchant} {charge.merchant if charge else ''}", rulebook(member.firm).categories)
    day = charge.date if charge else clock.today(member.firm.zone)
    if receipt and receipt.value("date"):
        day = date.fromisoformat(receipt.value("date"))
    expense = Expense(
        firm=member.firm, owner=member, date=day, merchant=merchant[:120], created=clock.now(),
        category=category.code if category else usual_category(member), currency=member.firm.currency,
        paid_by="firm" if charge and charge.card.firm_pays else "self",
    )  # fmt: skip
    _amounts(expense, member, receipt, charge)
    _tax(expense, receipt)
    expense.save()
    if receipt:
        receipt.expense = expense
        receipt.save(update_fields=["expense"])
    if charge:
        charge.expense, charge.state = expense, CHARGE.after(charge.state, "use")
        charge.save(update_fields=["expense", "state"])
    after = {"receipt": receipt_id, "charge": charge_id, "amount": expense.amount_minor}
    record(member, "took a cost from the tray", expense.key, after=after)
    return expense


def _amounts(expense: Expense, member: Membership, receipt: Receipt | None, charge: Charge | None) -> None:
    read = receipt.value("total") if receipt else ""
    currency = (receipt.value("currency") if receipt else "") or member.firm.currency
    original = Money.of(read, currency) if read else (charge.amount if charge else None)
    if original is None:
        raise Refusal("No amount is known. Type it.", "amount")
    charged = charge.amount if charge and original.currency != charge.amount.currency else None
    if charge and charged is None:
        original = charge.amount
    set_amount(expense, original, charged)


def set_amount(
    expense: Expense, original: Money, charged: Money | None = None, receipt_rate: Decimal | None = None
) -> None:
    """Set an expense's amount from what was paid, in whatever currency. Raises ``Refusal`` where no rate is known."""
    try:
        done = convert(original, expense.currency, expense.date, rate_table(expense.date), charged, receipt_rate)
    except NoRate as error:
        raise Refusal(f"There is {error}. Type the rate of your exchange receipt.", "rate") from error
    expense.amount_minor = done.home.minor
    foreign = original.currency != expense.currency
    expense.abroad = expense.abroad or foreign
    expense.original_minor = original.minor if foreign else None
    expense.original_currency = original.currency if foreign else ""
    expense.rate = done.rate.quantize(Decimal("1e-8")) if foreign else None
    expense.rate_source, expense.rate_stale = (done.source if foreign else ""), done.stale
    expense.workings = done.workings.lines()


def _tax(expense: Expense, receipt: Receipt | None) -> None:
    if receipt is None or not receipt.value("tax"):
        return
    percent = receipt.value("tax_rate")
    expense.tax_rate = Decimal(percent) / 100 if percent else Decimal(0)
    stated = Money.of(receipt.value("tax"), receipt.value("currency") or expense.currency)
    set_tax(expense, stated if stated.currency == expense.currency else None)


def set_tax(expense: Expense, stated: Money | None) -> None:
    """Work the tax out at the expense's rate; what a receipt states wins."""
    line = tax_in(expense.amount, expense.tax_rate, stated)
    expense.tax_minor, expense.tax_odd = line.tax.minor, line.odd


def usual_category(member: Membership) -> str:
    """Return the category of a cost that nothing is known of: the firm's "supplies", else its first that is no lodging."""
    categories = rulebook(member.firm).categories
    if DEFAULT_CATEGORY in categories:
        return DEFAULT_CATEGORY
    return next((code for code, category in categories.items() if not category.is_lodging), "")


@transaction.atomic
def mark_personal(member: Membership, charge_id: int) -> Expense:
    """Mark a charge on the firm's card as personal: it becomes a line that is owed back. Raises ``Stale``."""
    charge = Charge.objects.select_for_update().select_related("card").filter(owner=member, pk=charge_id).first()
    if charge is None or not CHARGE.can(charge.state, "mark_personal"):
        raise Stale("It was taken already, on this page or another.")
    expense = Expense.objects.create(
        firm=member.firm, owner=member, date=charge.date, merchant=charge.merchant, category=usual_category(member),
        description=f"{charge.merchant.title()}, personal"[:200], currency=charge.currency, amount_minor=charge.amount_minor,
        paid_by="firm" if charge.card.firm_pays else "self", personal=True, created=clock.now(),
    )  # fmt: skip
    charge.expense, charge.state = expense, CHARGE.after(charge.state, "mark_personal")
    charge.save(update_fields=["expense", "state"])
    record(member, "marked a charge personal", expense.key, after={"charge": charge.pk, "amount": charge.amount_minor})
    return expense


@transaction.atomic
def type_cost(
    member: Membership, day: date, merchant: str, category: str, amount: Money, paid_by: str,
    tax_rate: Decimal, tax: Money | None, description: str, guests: str, heads: int, receipt_rate: Decimal | None = None,
) -> Expense:  # fmt: skip
    """Record a cost by hand. Raises ``Refusal`` at the field that is wrong."""
    expense = Expense(firm=member.firm, owner=member, currency=member.firm.currency, created=clock.now())
    fill_cost(
        expense, day, merchant, category, amount, paid_by, tax_rate, tax, description, guests, heads, receipt_rate
    )
    expense.save()
    record(member, "typed a cost", expense.key, after={"merchant": merchant, "amount": expense.amount_minor})
    return expense


@transaction.atomic
def type_from_receipt(member: Membership, receipt_id: int, **values) -> Expense:
    """Make an expense of a receipt as the person confirmed or corrected it; both or neither are kept."""
    expense = type_cost(member, **values)
    attach(member, receipt_id, expense)
    return expense


def fill_cost(
    expense: Expense, day: date, merchant: str, category: str, amount: Money, paid_by: str, tax_rate: Decimal,
    tax: Money | None, description: str, guests: str, heads: int, receipt_rate: Decimal | None = None,
) -> None:  # fmt: skip
    """Check and set the fields of a cost; the caller saves it."""
    if category not in rulebook(expense.firm).categories:
        raise Refusal("Choose what the cost was for.", "category")
    _possible(expense.firm.zone, day)
    if not amount:
        raise Refusal("Type an amount.", "amount")
    if not merchant.strip() and not description.strip():
        raise Refusal("Say whom you paid, or what for.", "merchant")
    expense.date, expense.merchant, expense.category = day, merchant.strip()[:120], category
    expense.description, expense.guests, expense.heads = description.strip()[:200], guests.strip()[:300], max(1, heads)
    expense.paid_by, expense.tax_rate = paid_by, tax_rate
    set_amount(expense, amount, receipt_rate=receipt_rate)
    if tax is not None and abs(tax.minor) > abs(amount.minor):
        raise Refusal("The tax is more than the amount.", "tax")
    set_tax(expense, tax if tax is not None and tax.currency == expense.currency else None)


def _possible(zone: str, day: date) -> None:
    """Raise ``Refusal`` for a day on which nothing can have been paid yet, or by anybody alive in this century."""
    if day > clock.today(zone):
        raise Refusal("That day has not come yet. Check the date.", "date")
    if day.year < 2000:
        raise Refusal("That is long ago. Check the year.", "date")


@transaction.atomic
def type_ride(
    member: Membership, day: date, origin: Place, target: Place, there_and_back: bool, vehicle: str, passengers: int,
    typed_km: Decimal | None, description: str,
) -> Expense:  # fmt: skip
    """Record a ride in one's own car: distance looked up or typed, rate by date and yearly band. Raises ``Refusal``."""
    _possible(member.firm.zone, day)
    found = service("roads").between(origin, target)
    one_way = typed_km if typed_km is not None else found.km
    km = one_way * (2 if there_and_back else 1)
    if not 0 < km <= 5000:
        raise Refusal("A ride is longer than nothing and no longer than 5,000 km.", "km")
    try:
        rate = rate_on(mileage_rates(member.firm), vehicle, day)
    except LookupError as error:
        raise Refusal(f"There is {error}. An administrator can add one under Rules.", "vehicle") from error
    figure = mileage(km, rate, km_so_far(member, day), passengers)
    via = f", by way of {', '.join(found.via)}" if found.via else ""
    how = "typed" if typed_km is not None else "estimated" if found.estimated else "looked up"
    expense = Expense.objects.create(
        firm=member.firm, owner=member, kind=Expense.Kind.MILEAGE, date=day, category="mileage", currency=member.firm.currency,
        amount_minor=figure.amount.minor, origin=place_data(origin), target=place_data(target), km=km, vehicle=vehicle,
        passengers=passengers, description="", created=clock.now(), guests=description.strip()[:200],
        workings=[f"{origin.town} to {target.town}: {one_way.normalize():f} km one way, {how}{via}", *figure.workings.lines()],
    )  # fmt: skip
    record(member, "typed a ride", expense.key, after={"km": str(km), "amount": expense.amount_minor})
    return expense


def km_so_far(member: Membership, day: date, without: int = 0) -> Decimal:
    """Return what the person has driven so far in the year of ``day``; a claim that was turned down gives its distance back."""
    rides = Expense.objects.filter(owner=member, kind=Expense.Kind.MILEAGE, date__year=day.year)
    counted = rides.filter(Q(claim__isnull=True) | ~Q(claim__state="Turned down")).exclude(pk=without)
    return counted.aggregate(km=Sum("km"))["km"] or Decimal(0)


def km_of_year(member_id: int, year: int) -> Decimal:
    """Return the km of a person's rides in a year, of everything that is not turned down."""
    rides = Expense.objects.filter(owner_id=member_id, kind=Expense.Kind.MILEAGE, date__year=year)
    return rides.exclude(claim__state="Turned down").aggregate(km=Sum("km"))["km"] or Decimal(0)
