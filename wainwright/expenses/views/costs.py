"""Expenses one by one: typed, changed, broken down, split."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from decimal import Decimal, InvalidOperation
from functools import wraps
from itertools import zip_longest

from django.contrib import messages
from django.http import HttpResponseRedirect
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.selectors import books, read_coding
from wainwright.claims.selectors import allowance_of
from wainwright.core.coding import DIMENSIONS, LABELS, Coding
from wainwright.core.money import Money, total
from wainwright.drawing.lines import year_bar
from wainwright.errors import Refusal
from wainwright.expenses.checking import check
from wainwright.expenses.forms import CostForm, RideForm
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.proposals import proposed_parts
from wainwright.expenses.selectors import expense_for
from wainwright.expenses.services import editing, pages, receipts, rides, taking
from wainwright.formats.pictures import MOST_BYTES
from wainwright.formats.places import best_place
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.selectors import history
from wainwright.trips.models import Trip
from wainwright.web.forms import plain_number, say, whole

PART_ROWS, FEW_ROWS = 8, 3


def _id(request, name: str) -> int | None:
    return whole(request.POST.get(name)) or None


def new_cost(request):
    """Type a cost."""
    member = request.member
    initial = {"date": clock.today(member.firm.zone), "currency": member.firm.currency, "heads": 1}
    form = CostForm(request.POST or None, member=member, initial=initial)
    if request.method == "POST" and form.is_valid():
        try:
            expense = taking.type_cost(member, **form.values())
            return redirect("expense", expense.pk)
        except Refusal as refusal:
            say(form, refusal)
    return render(request, "expenses/new.html", {"form": form}, status=422 if request.method == "POST" else 200)


@require_POST
def check_typed(request):
    """Say what the rules and the memory have for a cost while it is being typed."""
    prefix = "change" if any(name.startswith("change-") for name in request.POST) else None
    form = CostForm(request.POST, member=request.member, prefix=prefix)
    form.is_valid()
    done = check(request.member, form.cleaned_data, _id(request, "expense") or 0, "with-receipt" in request.POST)
    return render(request, "expenses/_check.html", {"checked": done, "prefix": f"{prefix}-" if prefix else ""})


def new_ride(request):
    """Type a ride."""
    member = request.member
    start = best_place(member.work_code or member.home_code)
    form = RideForm(
        request.POST or None, member=member,
        initial={"date": clock.today(member.firm.zone), "passengers": 0, "origin": start.town if start else ""},
    )  # fmt: skip
    if request.method == "POST" and form.is_valid():
        try:
            return redirect("expense", rides.type_ride(member, form.ride()).pk)
        except Refusal as refusal:
            say(form, refusal)
    return render(request, "expenses/ride.html", {"form": form}, status=422 if request.method == "POST" else 200)


@require_POST
def check_ride(request):
    """Say what a ride earns, or what is in its way, while it is being typed."""
    form = RideForm(request.POST, member=request.member)
    context = {}
    if form.is_valid():
        try:
            known = rides.priced(request.member, form.ride())
        except Refusal as refusal:
            context = {"refused": str(refusal)}
        else:
            limits = [upper for upper, _ in known.rate.bands if upper is not None]
            context = {"known": known, "bar": year_bar(known.so_far, known.driven.km, limits)}
    elif typed := [name for name in form.errors if request.POST.get(name)]:
        # What is still empty is not yet wrong.
        context = {"refused": f"{form.fields[typed[0]].label or typed[0].capitalize()}: {form.errors[typed[0]][0]}"}
    return render(request, "expenses/_ride_check.html", context)


def _expense_page(request, expense: Expense, status: int = 200, **more):
    book, ledger = rulebook(expense.firm), books(expense.firm)
    own = expense.owner_id == request.member.pk
    editable = own and (expense.claim is None or expense.claim.editable)
    parts = [
        {"category": p.category, "label": p.label, "amount": str(Money.from_minor(p.amount_minor, expense.currency).amount), "personal": p.personal,
         "night": (p.night or p.day).isoformat() if p.night or p.day else "", "meal": p.meal,
         "tax": str(Money.from_minor(p.tax_minor, expense.currency).amount) if p.tax_minor else "", "code": str(p.coding)}
        for p in expense.parts.all()
    ]  # fmt: skip
    proposed = not parts and editable
    if proposed:
        parts = proposed_parts(expense, book)
    category = book.categories.get(expense.category)
    lodging = category is not None and category.is_lodging
    blank = {
        "category": expense.category,
        "label": "",
        "amount": "",
        "personal": False,
        "night": "",
        "meal": "",
        "tax": "",
        "code": "",
    }
    shares = [{"coding": s.coding, "share": f"{s.share.normalize():f}"} for s in expense.shares.all()]
    loose = Receipt.objects.filter(owner=expense.owner, expense__isnull=True)[:20] if editable else []
    context = {
        "expense": expense, "editable": editable, "own": own, "categories": list(book.categories.values()),
        "parts": parts + [blank] * max(2, (PART_ROWS if lodging else FEW_ROWS) - len(parts)),
        "has_parts": bool(expense.parts.all()), "proposed": proposed and bool(parts), "meals": editing.MEALS, "personal_error": "",
        "left": expense.amount - total((_money_or_nothing(p["amount"], expense.currency) for p in parts), expense.currency),
        "own_personal": _own_personal(expense), "lost_error": "", "lost_words": expense.lost.get("words", ""), "lost_name": "", "shares": shares + [{"code": "", "share": ""}] * max(1, 3 - len(shares)),
        "dimensions": [(name, LABELS[name].capitalize(), ledger.choices(name)) for name in DIMENSIONS if name != "account"],
        "loose": loose, "charge": getattr(expense, "charge", None),
        "change_form": _cost_form(expense) if editable and expense.kind == "cost" and not expense.personal else None,
        "entries": history(expense.key), "parts_error": "", "split_error": "",
    }  # fmt: skip
    return render(request, "expenses/expense.html", context | more, status=status)


def _own_personal(expense: Expense) -> str:
    """What is personal of a cost, where that is all that its parts say."""
    parts = list(expense.parts.all())
    if len(parts) == 2 and parts[1].personal and not any(p.night or p.meal for p in parts):
        return str(Money.from_minor(parts[1].amount_minor, expense.currency).amount)
    return ""


def _money_or_nothing(text: str, currency: str) -> Money:
    try:
        return _money(text, currency)
    except ValueError:
        return Money.zero(currency)


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
        data, member=expense.owner, prefix="change",
        initial={
            "date": expense.date, "merchant": expense.merchant, "category": expense.category, "amount": paid.amount,
            "currency": paid.currency, "rate": own_rate, "tax_rate": (expense.tax_rate * 100).normalize(), "paid_by": expense.paid_by,
            "tax": expense.tax.amount if expense.tax_minor else None, "description": expense.description,
            "guests": expense.guests, "heads": expense.heads, "reference": expense.reference, "customer": expense.customer,
            "cost_centre": expense.cost_centre, "project": expense.project, "task": expense.task, "fund": expense.fund,
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


PART_FIELDS = ("category", "label", "amount", "night", "meal", "tax", "code")


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
                request, f"The daily allowance was {before}, is {after}: what a bill pays for is not paid twice."
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
@says_allowance
def set_parts(request, expense_id: int):
    """Break a bill down, or work out so many nights first; what is left goes where it is told to."""
    expense = expense_for(request.member, expense_id)
    columns = [request.POST.getlist(f"part-{name}") for name in PART_FIELDS]
    rows = [dict(zip(PART_FIELDS, row, strict=True)) for row in zip_longest(*columns, fillvalue="")]
    personal_rows = set(request.POST.getlist("part-personal"))
    try:
        parts = _nightly(request, expense) if "nights" in request.POST else []
        parts += [
            _part(row, expense, str(index) in personal_rows) for index, row in enumerate(rows) if row["amount"].strip()
        ]
        rest = request.POST.get("rest", "")
        left = expense.amount - total((part.amount for part in parts), expense.currency)
        if rest and parts and left:
            own = rest == "personal"
            label = "Personal" if own else rulebook(expense.firm).names.get(rest, "The rest")
            parts.append(editing.PartTyped(expense.category if own else rest, label, left, own))
        editing.set_parts(request.member, expense_id, _version(request), parts)
        return redirect("expense", expense_id)
    except (ValueError, OverflowError) as error:
        problem = (
            str(error) if "amount" in str(error) else "A night or day is not a date. Use the day the night begins."
        )
    except Refusal as refusal:
        problem = refusal.message
    typed = [row | {"personal": str(n) in personal_rows} for n, row in enumerate(rows)]
    left = expense.amount - total(
        (_money_or_nothing(row["amount"], expense.currency) for row in rows), expense.currency
    )
    return _expense_page(request, expense, 422, parts=typed, parts_error=problem, left=left)


def _part(row: dict[str, str], expense: Expense, personal: bool) -> editing.PartTyped:
    """One typed row. Raises ``ValueError`` saying what is wrong."""
    day = date.fromisoformat(row["night"]) if row["night"] else None
    meal = row["meal"]
    return editing.PartTyped(
        row["category"], row["label"] or "Part", _money(row["amount"], expense.currency), personal, None if meal else day, meal,
        (day or expense.date) if meal else None, _money(row["tax"], expense.currency) if row["tax"].strip() else None,
        read_coding(row["code"], books(expense.firm)),
    )  # fmt: skip


@require_POST
def set_personal(request, expense_id: int):
    """Take the personal share out of a cost: an amount, or per cent."""
    expense = expense_for(request.member, expense_id)
    typed = request.POST.get("personal", "")
    try:
        editing.set_personal(request.member, expense_id, _version(request), typed)
        return redirect("expense", expense_id)
    except Refusal as refusal:
        return _expense_page(request, expense, 422, personal_error=refusal.message, own_personal=typed)


@require_POST
def declare_lost(request, expense_id: int):
    """Declare a receipt lost, or take the declaration back."""
    expense = expense_for(request.member, expense_id)
    words, name = request.POST.get("words", ""), request.POST.get("name", "")
    try:
        editing.declare_lost(request.member, expense_id, _version(request), words, name)
        return redirect("expense", expense_id)
    except Refusal as refusal:
        return _expense_page(request, expense, 422, lost_error=refusal.message, lost_words=words, lost_name=name)


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
@says_allowance
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


@require_POST
def order_papers(request, expense_id: int):
    """Move a paper one place up or down."""
    pages.order(request.member, expense_id, _id(request, "receipt") or 0, "up" in request.POST)
    return redirect("expense", expense_id)
