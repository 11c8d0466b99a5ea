"""Expenses one by one: typed, changed, broken down, split."""

from __future__ import annotations

from datetime import date
from decimal import Decimal, InvalidOperation

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.core.coding import DIMENSIONS, LABELS, Coding
from wainwright.core.money import Money
from wainwright.errors import Refusal
from wainwright.expenses.forms import CostForm, RideForm
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.selectors import expense_for
from wainwright.expenses.services import editing, receipts, taking
from wainwright.formats.pictures import MOST_BYTES
from wainwright.rulebook.selectors import mileage_rates, rulebook
from wainwright.trail.selectors import history
from wainwright.web.forms import plain_number, say, whole

PART_ROWS, FEW_ROWS = 8, 3


def _id(request, name: str) -> int | None:
    return whole(request.POST.get(name)) or None


def new_cost(request):
    """Type a cost."""
    categories = rulebook(request.member.firm).categories
    initial = {"date": clock.today(request.member.firm.zone), "currency": request.member.firm.currency, "heads": 1}
    form = CostForm(request.POST or None, categories=categories.values(), initial=initial)
    if request.method == "POST" and form.is_valid():
        try:
            expense = taking.type_cost(request.member, **form.values())
            return redirect("expense", expense.pk)
        except Refusal as refusal:
            say(form, refusal)
    return render(request, "expenses/new.html", {"form": form}, status=422 if request.method == "POST" else 200)


def new_ride(request):
    """Type a ride."""
    member = request.member
    kinds = list(dict.fromkeys(rate.vehicle for rate in mileage_rates(member.firm)))
    own = {v.kind: v.plate for v in member.vehicles.all()}
    vehicles = [(kind, f"{kind.capitalize()}{', ' + own[kind] if kind in own else ''}") for kind in kinds]
    form = RideForm(
        request.POST or None, vehicles=vehicles, initial={"date": clock.today(member.firm.zone), "passengers": 0}
    )
    if request.method == "POST" and form.is_valid():
        d = form.cleaned_data
        try:
            expense = taking.type_ride(
                member, d["date"], d["origin"], d["target"], d["there_and_back"], d["vehicle"], d["passengers"] or 0,
                d["km"], d["description"],
            )  # fmt: skip
            return redirect("expense", expense.pk)
        except Refusal as refusal:
            say(form, refusal)
    return render(request, "expenses/ride.html", {"form": form}, status=422 if request.method == "POST" else 200)


def _expense_page(request, expense: Expense, status: int = 200, **more):
    book, ledger = rulebook(expense.firm), books(expense.firm)
    own = expense.owner_id == request.member.pk
    editable = own and (expense.claim is None or expense.claim.editable)
    parts = [
        {"category": p.category, "label": p.label, "amount": str(Money.from_minor(p.amount_minor, expense.currency).amount), "personal": p.personal,
         "night": p.night.isoformat() if p.night else ""}
        for p in expense.parts.all()
    ]  # fmt: skip
    if not parts and editable:
        parts = [
            {"category": expense.category, "label": label, "amount": amount, "personal": False, "night": ""}
            for receipt in expense.receipts.all() for label, amount in _read_lines(receipt)
        ]  # fmt: skip
    category = book.categories.get(expense.category)
    lodging = category is not None and category.is_lodging
    blank = {"category": expense.category, "label": "", "amount": "", "personal": False, "night": ""}
    shares = [{"coding": s.coding, "share": f"{s.share.normalize():f}"} for s in expense.shares.all()]
    loose = Receipt.objects.filter(owner=expense.owner, expense__isnull=True)[:20] if editable else []
    context = {
        "expense": expense, "editable": editable, "own": own, "categories": list(book.categories.values()),
        "parts": parts + [blank] * max(2, (PART_ROWS if lodging else FEW_ROWS) - len(parts)),
        "has_parts": bool(expense.parts.all()), "shares": shares + [{"coding": Coding(), "share": ""}] * max(1, 3 - len(shares)),
        "dimensions": [(name, LABELS[name].capitalize(), ledger.choices(name)) for name in DIMENSIONS if name != "account"],
        "loose": loose, "charge": getattr(expense, "charge", None),
        "change_form": _cost_form(expense) if editable and expense.kind == "cost" and not expense.personal else None,
        "entries": history(expense.key), "parts_error": "", "split_error": "",
    }  # fmt: skip
    return render(request, "expenses/expense.html", context | more, status=status)


def _read_lines(receipt: Receipt) -> list[list[str]]:
    """The lines of a bill as read, where there are several: proposed as parts."""
    rows = Receipt.objects.only("lines").get(pk=receipt.pk).lines
    return rows if len(rows) > 1 else []


@require_GET
def expense_page(request, expense_id: int):
    """An expense: figures, evidence, parts, split."""
    return _expense_page(request, expense_for(request.member, expense_id))


def _version(request) -> int:
    return _id(request, "version") or 0


def _cost_form(expense: Expense, data=None) -> CostForm:
    """The form that changes a cost, filled with what it is."""
    paid = expense.original or expense.amount
    own_rate = expense.rate if expense.rate_source == "exchange receipt" else None
    return CostForm(
        data, categories=rulebook(expense.firm).categories.values(), prefix="change",
        initial={
            "date": expense.date, "merchant": expense.merchant, "category": expense.category, "amount": paid.amount,
            "currency": paid.currency, "rate": own_rate, "tax_rate": (expense.tax_rate * 100).normalize(), "paid_by": expense.paid_by,
            "tax": expense.tax.amount if expense.tax_minor else None, "description": expense.description,
            "guests": expense.guests, "heads": expense.heads,
        },
    )  # fmt: skip


@require_POST
def change(request, expense_id: int):
    """Change the fields of a cost."""
    expense = expense_for(request.member, expense_id)
    form = _cost_form(expense, request.POST)
    if form.is_valid():
        try:
            editing.change_cost(request.member, expense_id, _version(request), **form.values())
            return redirect("expense", expense_id)
        except Refusal as refusal:
            say(form, refusal)
    return _expense_page(request, expense, 422, change_form=form)


@require_POST
def set_parts(request, expense_id: int):
    """Break a bill down, or work out so many nights first."""
    expense = expense_for(request.member, expense_id)
    rows = list(
        zip(*(request.POST.getlist(f"part-{n}") for n in ("category", "label", "amount", "night")), strict=False)
    )
    personal_rows = set(request.POST.getlist("part-personal"))
    try:
        parts = _nightly(request, expense) if "nights" in request.POST else []
        for index, (category, label, amount, night) in enumerate(rows):
            if amount.strip():
                parts.append(
                    editing.PartTyped(
                        category,
                        label or "Part",
                        _money(amount, expense.currency),
                        str(index) in personal_rows,
                        date.fromisoformat(night) if night else None,
                    )
                )
        editing.set_parts(request.member, expense_id, _version(request), parts)
        return redirect("expense", expense_id)
    except (ValueError, OverflowError) as error:
        problem = str(error) if "amount" in str(error) else "A night is not a date. Use the day the night begins."
    except Refusal as refusal:
        problem = refusal.message
    typed = [
        {"category": c, "label": x, "amount": a, "personal": str(i) in personal_rows, "night": n}
        for i, (c, x, a, n) in enumerate(rows)
    ]
    return _expense_page(request, expense, 422, parts=typed, parts_error=problem)


def _nightly(request, expense: Expense) -> list[editing.PartTyped]:
    """The repeat of nights in one act."""
    count = request.POST.get("night-count", "").strip()
    if not count:
        return []
    first = date.fromisoformat(request.POST.get("night-first", ""))
    if not count.isdigit() or not 0 < int(count) <= 60:
        raise Refusal("Say how many nights, from 1 to 60.")
    tax = request.POST.get("night-tax", "").strip()
    lodging = next((c.code for c in rulebook(expense.firm).categories.values() if c.is_lodging), expense.category)
    return editing.nightly_parts(
        first, int(count), _money(request.POST.get("night-price", ""), expense.currency), lodging,
        _money(tax, expense.currency) if tax else None,
    )  # fmt: skip


def _money(text: str, currency: str) -> Money:
    """An amount as typed in a grid. Raises ``ValueError`` saying which."""
    try:
        value = Decimal(plain_number(text))
        if abs(value) > 10**9:
            raise InvalidOperation
        return Money.of(value, currency)
    except (InvalidOperation, ValueError) as error:
        raise ValueError(f"“{text}” is no amount of {currency}.") from error


@require_POST
def set_split(request, expense_id: int):
    """Split a cost by share."""
    expense = expense_for(request.member, expense_id)
    rows = list(
        zip(
            *(request.POST.getlist(f"split-{n}") for n in ("cost_centre", "project", "task", "fund", "share")),
            strict=False,
        )
    )
    try:
        shares = [(Coding("", *row[:4]), Decimal(row[4].replace(",", "."))) for row in rows if row[4].strip()]
        editing.set_split(request.member, expense_id, _version(request), shares)
        return redirect("expense", expense_id)
    except InvalidOperation:
        problem = "A share is a number of per cent, as 60 or 33.3333."
    except Refusal as refusal:
        problem = refusal.message
    typed = [{"coding": Coding("", *row[:4]), "share": row[4]} for row in rows]
    return _expense_page(request, expense, 422, shares=typed, split_error=problem)


@require_POST
def remove(request, expense_id: int):
    """Take an expense apart: its papers and its charge are loose again."""
    expense = expense_for(request.member, expense_id)
    claim_id = expense.claim_id
    editing.remove(request.member, expense_id)
    messages.info(request, "Its papers and its charge lie in the tray again.")
    return redirect("claim", claim_id) if claim_id else redirect("tray")


@require_POST
def attach(request, expense_id: int):
    """Attach a loose receipt, or one sent along."""
    expense = expense_for(request.member, expense_id)
    receipt_id = _id(request, "receipt")
    file = request.FILES.get("file")
    if file is not None:
        if file.size > MOST_BYTES:
            raise Refusal("The file is larger than 20 MB. Take the picture in a lower resolution.")
        done = receipts.take_in(request.member, file.name, file.read())
        if done.receipt is None:
            raise Refusal(f"{done.name}: {done.problem}")
        receipt_id = done.receipt.pk
    if receipt_id is None:
        raise Refusal("Choose a receipt.")
    receipts.attach(request.member, receipt_id, expense)
    return redirect("expense", expense_id)


@require_POST
def detach(request, expense_id: int):
    """Take a receipt off."""
    receipts.detach(request.member, _id(request, "receipt") or 0)
    return redirect("expense", expense_id)
