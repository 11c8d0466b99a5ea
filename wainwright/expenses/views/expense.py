"""One expense: its page, its change, its evidence."""

from __future__ import annotations

from collections.abc import Callable
from decimal import InvalidOperation
from functools import wraps

from django.contrib import messages
from django.http import HttpResponseRedirect
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.accounts.forms import coding_initial
from wainwright.accounts.split_form import TypedSplit, editor
from wainwright.core.money import Money, places, total
from wainwright.core.said import joined, say
from wainwright.core.text import decimal
from wainwright.errors import Refusal
from wainwright.expenses.forms import CostForm
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.proposals import proposed_parts, recent_codings
from wainwright.expenses.selectors import expense_for
from wainwright.expenses.services import editing, pages, receipts
from wainwright.fields import tell, typed_number, whole
from wainwright.formats.pictures import MOST_BYTES
from wainwright.language import in_box
from wainwright.rulebook.models import Category
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.selectors import history
from wainwright.trips.earnings import allowance_of
from wainwright.trips.models import Trip

PART_ROWS, FEW_ROWS = 8, 3


def number_of(request, name: str) -> int | None:
    """A whole number of a form, or nothing."""
    return whole(request.POST.get(name)) or None


def show(request, expense: Expense, status: int = 200, **more):
    """The page of an expense; ``more`` is what was typed and what is wrong with it, after a refusal."""
    book = rulebook(expense.firm)
    own = expense.owner_id == request.member.pk
    editable = own and (expense.claim is None or expense.claim.editable)
    parts = part_rows(expense)
    proposed = not parts and editable
    if proposed:
        parts = proposed_parts(expense, book)
    category = book.categories.get(expense.category)
    lodging = category is not None and category.is_lodging
    shares = [share.as_core(expense.coding) for share in expense.shares.all()]
    typed = more.pop("typed_split", None)
    splitting = editable and expense.kind == "cost" and not expense.personal
    loose = Receipt.objects.filter(owner=expense.owner, expense__isnull=True)[:20] if editable else []
    has_parts = bool(expense.parts.all())
    asked = "parts" in request.GET or "parts_error" in more
    pages = [page for receipt in list(expense.receipts.all())[:1] for page in receipt.pages.all() if not page.off][:1]
    context = {
        "breaking": expense.kind == "cost" and not expense.personal and (has_parts or (proposed and bool(parts)) or asked),
        "first_pages": pages, "category_name": category.name if category else expense.category, "is_split": bool(shares),
        "expense": expense, "editable": editable, "own": own, "categories": list(offered(expense, by_finance=not own).values()),
        "parts": with_blanks(expense, parts, PART_ROWS if lodging else FEW_ROWS),
        "has_parts": has_parts, "proposed": proposed and bool(parts), "meals": editing.MEALS, "personal_error": "",
        "left": expense.amount - total((money_or_nothing(p["amount"], expense.currency) for p in parts), expense.currency),
        "own_personal": _own_personal(expense), "lost_error": "", "lost_words": expense.lost.get("words", ""), "lost_name": "", "shares": shares,
        "edit": editor(request.member, typed or TypedSplit.from_parts(shares, "", str(expense.coding or (expense.claim or expense.owner).coding)), expense.amount, recent=recent_codings(expense.owner)) if splitting else None,
        "split_open": bool(shares) or typed is not None, "readonly": "" if editable else "yes",
        "loose": loose, "charge": getattr(expense, "charge", None),
        "change_form": cost_form(expense) if editable and expense.kind == "cost" and not expense.personal else None,
        "entries": history(expense.key), "parts_error": "", "parts_action": "parts/", "parts_version": expense.version, "parts_why": False, "why": "",
    }  # fmt: skip
    return render(request, "expenses/expense.html", context | more, status=status)


def part_rows(expense: Expense) -> list[dict]:
    """The parts of a bill as rows of its form."""
    return [
        {"category": p.category, "label": p.label, "amount": in_box(Money.from_minor(p.amount_minor, expense.currency).amount), "personal": p.personal,
         "night": (p.night or p.day).isoformat() if p.night or p.day else "", "meal": p.meal,
         "tax": in_box(Money.from_minor(p.tax_minor, expense.currency).amount) if p.tax_minor else "", "code": str(p.coding)}
        for p in expense.parts.all()
    ]  # fmt: skip


def with_blanks(expense: Expense, rows: list[dict], most: int = FEW_ROWS) -> list[dict]:
    """Rows of parts with empty ones behind them, to be filled."""
    empty = dict.fromkeys(("label", "amount", "night", "meal", "tax", "code"), "")
    return rows + [{"category": expense.category, "personal": False} | empty] * max(2, most - len(rows))


def _own_personal(expense: Expense) -> str:
    """What is personal of a cost, where that is all that its parts say."""
    parts = list(expense.parts.all())
    if len(parts) == 2 and parts[1].personal and not any(p.night or p.meal for p in parts):
        return in_box(Money.from_minor(parts[1].amount_minor, expense.currency).amount)
    return ""


def money_or_nothing(text: str, currency: str) -> Money:
    """An amount as typed, for a sum on the way; what is no amount counts as nothing."""
    try:
        return money_of(text, currency)
    except ValueError:
        return Money.zero(currency)


@require_GET
def expense_page(request, expense_id: int):
    """An expense: figures, evidence, parts, split."""
    return show(request, expense_for(request.member, expense_id))


def version_of(request) -> int:
    """The version of the expense that the form was made from."""
    return number_of(request, "version") or 0


def offered(expense: Expense, by_finance: bool) -> dict[str, Category]:
    """The categories from which is chosen: finance from all, else what its owner may use, and what stands there."""
    book = rulebook(expense.firm)
    if by_finance:
        return book.categories
    there = {expense.category, *(part.category for part in expense.parts.all())}
    mine = book.choices(expense.owner)
    return {code: row for code, row in book.categories.items() if code in mine or code in there}


def cost_form(expense: Expense, data=None, by_finance: bool = False) -> CostForm:
    """The form that changes a cost, filled with what it is."""
    paid = expense.original or expense.amount
    own_rate = expense.rate if expense.rate_source == "exchange receipt" else None
    return CostForm(
        data, member=expense.owner, prefix="change", categories=offered(expense, by_finance),
        initial={
            "date": expense.date, "merchant": expense.merchant, "category": expense.category, "amount": paid.amount,
            "currency": paid.currency, "rate": own_rate, "tax_rate": (expense.tax_rate * 100).normalize(), "paid_by": expense.paid_by,
            "tax": expense.tax.amount if expense.tax_minor else None, "description": expense.description,
            "guests": expense.guests, "heads": expense.heads, "reference": expense.reference, "customer": expense.customer, "country": expense.country,
            **coding_initial(expense.coding),
        },
    )  # fmt: skip


@require_POST
def change(request, expense_id: int):
    """Change the fields of a cost."""
    expense = expense_for(request.member, expense_id)
    form = cost_form(expense, request.POST)
    if form.is_valid():
        try:
            editing.change_cost(request.member, expense_id, version_of(request), **form.values())
            return redirect("expense", expense_id)
        except Refusal as refusal:
            tell(form, refusal)
    return show(request, expense, 422, change_form=form)


def says_allowance(view: Callable) -> Callable:
    """After an act on a bill, say what the daily allowance of its trip was and is: a meal on the bill is paid once."""

    @wraps(view)
    def wrapped(request, expense_id: int):
        claim = expense_for(request.member, expense_id).claim
        trip_id = claim.trip_id if claim is not None and claim.editable else None
        before = _allowance(trip_id)
        response = view(request, expense_id)
        after = _allowance(trip_id) if isinstance(response, HttpResponseRedirect) else before
        if before != after:
            messages.info(
                request,
                say(
                    "The daily allowance was {before}, is {after}: what a bill pays for is not paid twice.",
                    before=before,
                    after=after,
                ),
            )
        return response

    return wrapped


def _allowance(trip_id: int | None) -> Money | None:
    if trip_id is None:
        return None
    # The trip is read anew each time: the act between may have changed it.
    trip = Trip.objects.select_related("firm", "traveller").get(pk=trip_id)
    return allowance_of(trip, rulebook(trip.firm), trip.currency).amount


@require_POST
def declare_lost(request, expense_id: int):
    """Declare a receipt lost, or take the declaration back."""
    expense = expense_for(request.member, expense_id)
    words, name = request.POST.get("words", ""), request.POST.get("name", "")
    try:
        editing.declare_lost(request.member, expense_id, version_of(request), words, name)
        return redirect("expense", expense_id)
    except Refusal as refusal:
        return show(request, expense, 422, lost_error=refusal.message, lost_words=words, lost_name=name)


def money_of(text: str, currency: str) -> Money:
    """An amount as typed in a grid. Raises ``ValueError`` saying which."""
    try:
        value = decimal(typed_number(text, places(currency)))
        if abs(value) > 10**9:
            raise InvalidOperation
        return Money.of(value, currency)
    except (InvalidOperation, ValueError) as error:
        raise ValueError(say("“{value}” is no amount of {value_2}.", value=text, value_2=currency)) from error


@require_POST
@says_allowance
def remove(request, expense_id: int):
    """Take an expense apart: its papers and its charge are loose again."""
    expense = expense_for(request.member, expense_id)
    claim_id = expense.claim_id
    editing.remove(request.member, expense_id)
    messages.info(request, say("Its papers and its charge lie in the tray again."))
    return redirect("claim", claim_id) if claim_id else redirect("tray")


@require_POST
def attach(request, expense_id: int):
    """Attach a loose receipt, or one sent along."""
    expense = expense_for(request.member, expense_id)
    receipt_id = number_of(request, "receipt")
    file = request.FILES.get("file")
    if file is not None:
        if file.size > MOST_BYTES:
            raise Refusal(say("The file is larger than 20 MB. Take the picture in a lower resolution."))
        done = receipts.take_in(request.member, file.name, file.read())
        if done.receipt is None:
            raise Refusal(joined("", (done.name, ": ", done.problem)))
        receipt_id = done.receipt.pk
    if receipt_id is None:
        raise Refusal(say("Choose a receipt."))
    receipts.attach(request.member, receipt_id, expense)
    return redirect("expense", expense_id)


@require_POST
def detach(request, expense_id: int):
    """Take a receipt off."""
    receipts.detach(request.member, number_of(request, "receipt") or 0)
    return redirect("expense", expense_id)


@require_POST
def order_papers(request, expense_id: int):
    """Move a paper one place up or down."""
    pages.order(request.member, expense_id, number_of(request, "receipt") or 0, "up" in request.POST)
    return redirect("expense", expense_id)
