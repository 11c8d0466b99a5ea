"""Making expenses of what lies in the tray, and of what is typed."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from django.db import transaction

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.bookings.models import Booking
from wainwright.core.coding import Coding, check_coding
from wainwright.core.fx import NoRate, convert
from wainwright.core.money import Money, total
from wainwright.core.said import say
from wainwright.core.states import CHARGE
from wainwright.core.tax import tax_in
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Charge, Expense, Part, Receipt
from wainwright.expenses.proposals import Asked, propose_all, usual_category
from wainwright.expenses.services.memory import remember
from wainwright.expenses.services.receipts import attach
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import rate_table, rulebook
from wainwright.trail.services import record

NO_CODING = Coding()


@transaction.atomic
def take(member: Membership, receipt_id: int | None, charge_id: int | None, booking_id: int | None = None) -> Expense:
    """Make an expense of a receipt, a charge, or both, of what was booked if that is said. Raises ``Refusal``, ``Stale``.

    The card's own figure counts first.
    """
    receipt = charge = None
    if receipt_id:
        receipt = (
            Receipt.objects.select_for_update(no_key=True)
            .filter(owner=member, pk=receipt_id, expense__isnull=True)
            .first()
        )
    if charge_id:
        charge = (
            Charge.objects.select_for_update(no_key=True)
            .select_related("card")
            .filter(owner=member, pk=charge_id, state="Loose")
            .first()
        )
    if (receipt_id and receipt is None) or (charge_id and charge is None):
        raise Stale(say("It was taken already, on this page or another."))
    if receipt is None and charge is None:
        raise Refusal(say("Choose a receipt or a charge."))
    if charge is None and receipt is not None and not receipt.value("total"):
        raise Refusal(say("The total of this receipt was not read. Open it and type the total."), "amount")
    merchant = (receipt.value("merchant") if receipt else "") or (charge.merchant.title() if charge else "")
    _not_twice(receipt)
    day = charge.date if charge else clock.today(member.firm.zone)
    if receipt and receipt.value("date"):
        day = date.fromisoformat(receipt.value("date"))
    asked = [
        Asked(receipt.value("merchant") if receipt else "", day=day),
        Asked(charge.merchant, charge.merchant_code, day) if charge else Asked(""),
    ]
    proposal = max(filter(None, propose_all(member, asked)), key=lambda p: p.sure, default=None)
    expense = Expense(
        firm=member.firm, owner=member, date=day, merchant=merchant[:120], created=clock.now(),
        category=proposal.category if proposal else usual_category(member, day), currency=member.firm.currency,
        paid_by="firm" if charge and charge.card.firm_pays else "self",
    )  # fmt: skip
    if booking_id:
        _of_booking(expense, booking_id)
    _amounts(expense, member, receipt, charge)
    _tax(expense, receipt)
    expense.save()
    if receipt:
        receipt.expense = expense
        receipt.save(update_fields=["expense"])
    if charge:
        charge.expense, charge.state = expense, CHARGE.after(charge.state, "use")
        charge.save(update_fields=["expense", "state"])
    _follow_number(expense, receipt)
    remember(member, expense, [charge.merchant] if charge else [])
    after = {"receipt": receipt_id, "charge": charge_id, "booking": booking_id, "amount": expense.amount_minor}
    record(member, say("took a cost from the tray"), expense.key, after=after)
    return expense


def _of_booking(expense: Expense, booking_id: int) -> None:
    """A cost that pays a booking has its category, its words and its number. Raises ``Stale`` where it is paid already."""
    rows = Booking.objects.select_for_update(no_key=True).filter(trip__traveller=expense.owner, pk=booking_id)
    booking = rows.exclude(paid_by="central").first()
    if booking is None or booking.expenses.exists():
        raise Stale(say("That booking has its cost already, on this page or another."))
    expense.booking, expense.category = booking, booking.category
    expense.description, expense.reference = booking.label[:200], booking.ticket_number[:60]


def _not_twice(receipt: Receipt | None) -> None:
    """An invoice is claimed once: the same number from the same supplier is refused, naming where it went."""
    if receipt is None or not receipt.number:
        return
    same = Receipt.objects.filter(
        firm_id=receipt.firm_id, number=receipt.number, invoice__supplier=receipt.invoice.get("supplier"), expense__isnull=False
    ).select_related("expense__owner__person").exclude(pk=receipt.pk).first()  # fmt: skip
    if same:
        who = same.expense.owner.person.name if same.expense.owner_id != receipt.owner_id else "you"
        raise Refusal(
            say(
                "Invoice {number} of {value} was recorded already, by {who}. Put this paper aside.",
                number=receipt.number,
                value=same.value("merchant"),
                who=who,
            )
        )


def _follow_number(expense: Expense, receipt: Receipt | None) -> None:
    """An invoice's number is the cost's reference, and its lines of several tax rates become parts."""
    if receipt is None or not receipt.number:
        return
    expense.reference = receipt.number
    expense.save(update_fields=["reference"])
    taxes = receipt.invoice.get("taxes", [])
    if len(taxes) < 2 or expense.original_currency:
        return
    rows = [(percent, Money.of(net, expense.currency), Money.of(tax, expense.currency)) for percent, net, tax in taxes]
    if total((net + tax for _, net, tax in rows), expense.currency) == expense.amount:
        # Each rate answers for its own tax; the invoice as a whole has no rate that it could be held against.
        expense.tax_rate, expense.tax_minor = Decimal(0), total((tax for _, _, tax in rows), expense.currency).minor
        expense.tax_odd = any(tax_in(net + tax, Decimal(percent) / 100, tax).odd for percent, net, tax in rows)
        expense.save(update_fields=["tax_rate", "tax_minor", "tax_odd"])
        Part.objects.bulk_create(
            Part(expense=expense, order=n, category=expense.category, label=say("At {percent} %", percent=percent), amount_minor=(net + tax).minor, tax_minor=tax.minor)
            for n, (percent, net, tax) in enumerate(rows)
        )  # fmt: skip


def _amounts(expense: Expense, member: Membership, receipt: Receipt | None, charge: Charge | None) -> None:
    read = receipt.value("total") if receipt else ""
    currency = (receipt.value("currency") if receipt else "") or member.firm.currency
    original = Money.of(read, currency) if read else (charge.amount if charge else None)
    if original is None:
        raise Refusal(say("No amount is known. Type it."), "amount")
    charged = charge.amount if charge and original.currency != charge.amount.currency else None
    if charge and charged is None:
        original = charge.amount
    set_amount(expense, original, charged)


def set_amount(
    expense: Expense, original: Money, charged: Money | None = None, receipt_rate: Decimal | None = None
) -> None:
    """Set an expense's amount from what was paid, in whatever currency. Raises ``Refusal`` where no rate is known."""
    try:
        done = convert(
            original,
            expense.currency,
            expense.date,
            rate_table(expense.firm, expense.date, currencies=[original.currency]),
            charged,
            receipt_rate,
        )
    except NoRate as error:
        raise Refusal(say("There is {error}. Type the rate of your exchange receipt.", error=error), "rate") from error
    expense.amount_minor = done.home.minor
    foreign = original.currency != expense.currency
    expense.abroad = foreign
    expense.original_minor = original.minor if foreign else None
    expense.original_currency = original.currency if foreign else ""
    expense.rate = done.rate.quantize(Decimal("1e-8")) if foreign else None
    expense.rate_source, expense.rate_stale = (done.said if foreign else ""), done.stale
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
    # Without a rate there is nothing that a stated tax could differ from.
    expense.tax_minor, expense.tax_odd = line.tax.minor, line.odd and bool(expense.tax_rate)


def follow_charge(expense: Expense, charge: Charge) -> None:
    """Give a cost the amount at which its charge was booked; what a receipt says of tax stays. Inside the caller's transaction."""
    before, original = expense.amount_minor, expense.original
    set_amount(expense, original or charge.amount, charge.amount if original is not None else None)
    set_tax(expense, expense.tax if expense.tax_minor else None)
    expense.version += 1
    expense.save()
    record(
        None, say("the card's charge was booked"), expense.key, firm_id=expense.firm_id, before={"amount": before},
        after={"amount": expense.amount_minor, "charge": charge.pk},
    )  # fmt: skip


@transaction.atomic
def mark_personal(member: Membership, charge_id: int) -> Expense:
    """Mark a charge on the firm's card as personal: it becomes a line that is owed back. Raises ``Stale``."""
    charge = (
        Charge.objects.select_for_update(no_key=True).select_related("card").filter(owner=member, pk=charge_id).first()
    )
    if charge is None or not CHARGE.can(charge.state, "mark_personal"):
        raise Stale(say("It was taken already, on this page or another."))
    expense = Expense.objects.create(
        firm=member.firm, owner=member, date=charge.date, merchant=charge.merchant, category=usual_category(member, charge.date),
        description=say("{title}, personal", title=charge.merchant.title())[:200], currency=charge.currency, amount_minor=charge.amount_minor,
        paid_by="firm" if charge.card.firm_pays else "self", personal=True, created=clock.now(),
    )  # fmt: skip
    charge.expense, charge.state = expense, CHARGE.after(charge.state, "mark_personal")
    charge.save(update_fields=["expense", "state"])
    record(
        member, say("marked a charge personal"), expense.key, after={"charge": charge.pk, "amount": charge.amount_minor}
    )
    return expense


@transaction.atomic
def type_cost(member: Membership, *args: Any, **values: Any) -> Expense:
    """Record a cost by hand, as ``fill_cost`` takes it. Raises ``Refusal`` at the field that is wrong."""
    expense = Expense(firm=member.firm, owner=member, currency=member.firm.currency, created=clock.now())
    fill_cost(expense, *args, **values)
    expense.save()
    remember(member, expense)
    record(
        member, say("typed a cost"), expense.key, after={"merchant": expense.merchant, "amount": expense.amount_minor}
    )
    return expense


@transaction.atomic
def type_costs(member: Membership, rows: Sequence[dict[str, Any]]) -> list[Expense]:
    """Record several costs, all or none. Raises ``RowRefusal`` naming the row that is wrong."""
    done = []
    for row, values in enumerate(rows):
        try:
            done.append(type_cost(member, **values))
        except Refusal as refusal:
            raise RowRefusal(row, refusal) from refusal
    return done


class RowRefusal(Refusal):
    """A refusal of one row of many; ``row`` counts from 0."""

    def __init__(self, row: int, refusal: Refusal) -> None:
        super().__init__(refusal.message, refusal.field)
        self.row = row


@transaction.atomic
def type_from_receipt(member: Membership, receipt_id: int, **values) -> Expense:
    """Make an expense of a receipt as the person confirmed or corrected it; both or neither are kept."""
    receipt = Receipt.objects.filter(owner=member, pk=receipt_id).first()
    _not_twice(receipt)
    expense = type_cost(member, **values)
    attach(member, receipt_id, expense)
    if receipt is not None:
        _follow_number(expense, receipt)
        merchant = receipt.fields.get("merchant", {})
        remember(member, expense, [merchant.get("read") or merchant.get("value", "")])
    return expense


def may_be(expense: Expense, category: str, day: date, by_finance: bool = False) -> None:
    """Raise ``Refusal`` where a category may not stand on somebody's cost of a day; finance may choose any of that day."""
    refused = rulebook(expense.firm).refuses_category(category, day, None if by_finance else expense.owner)
    if refused:
        raise Refusal(refused, "category")


def fill_cost(
    expense: Expense, day: date, merchant: str, category: str, amount: Money, paid_by: str, tax_rate: Decimal,
    tax: Money | None, description: str, guests: str, heads: int, receipt_rate: Decimal | None = None,
    reference: str = "", customer: str = "", coding: Coding = NO_CODING, country: str = "", by_finance: bool = False,
) -> None:  # fmt: skip
    """Check and set the fields of a cost; the caller saves it. Raises ``Refusal`` at the field that is wrong.

    A category is one that its person may use, on that day; finance chooses any of that day. What stood there stays.
    """
    must_be_possible(expense.firm.zone, day)
    if (category, day) != (expense.category, expense.date):
        may_be(expense, category, day, by_finance)
    if not amount:
        raise Refusal(say("Type an amount."), "amount")
    if not merchant.strip() and not description.strip():
        raise Refusal(say("Say whom you paid, or what for."), "merchant")
    expense.date, expense.merchant, expense.category = day, merchant.strip()[:120], category
    expense.description, expense.guests, expense.heads = description.strip()[:200], guests.strip()[:300], max(1, heads)
    expense.paid_by, expense.tax_rate = paid_by, tax_rate
    expense.reference, expense.customer, expense.country = reference.strip()[:60], customer, country
    coding = books(expense.firm).codes.completed(coding, (expense.claim or expense.owner).coding)
    if coding != NO_CODING:
        faults = check_coding(coding, books(expense.firm).codes, day)
        if faults:
            raise Refusal(faults[0].text, faults[0].dimension)
    expense.take_coding(coding)
    set_amount(expense, amount, receipt_rate=receipt_rate)
    if tax is not None and abs(tax.minor) > abs(amount.minor):
        raise Refusal(say("The tax is more than the amount."), "tax")
    set_tax(expense, tax if tax is not None and tax.currency == expense.currency else None)


def must_be_possible(zone: str, day: date) -> None:
    """Raise ``Refusal`` for a day on which nothing can have been paid yet, or by anybody alive in this century."""
    if day > clock.today(zone):
        raise Refusal(say("That day has not come yet. Check the date."), "date")
    if day.year < 2000:
        raise Refusal(say("That is long ago. Check the year."), "date")
