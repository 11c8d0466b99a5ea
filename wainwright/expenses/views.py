"""The tray, and expenses one by one."""

from __future__ import annotations

from datetime import date
from decimal import Decimal, InvalidOperation

from django.contrib import messages
from django.http import FileResponse, Http404
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.errors import Refusal
from wainwright.expenses.forms import CostForm, RideForm
from wainwright.expenses.models import Expense, Receipt, ReceiptPage
from wainwright.expenses.selectors import expense_for, receipt_for, tray
from wainwright.expenses.services import charges, editing, receipts, taking
from wainwright.formats.pictures import MOST_BYTES
from wainwright.rulebook.selectors import mileage_rates, rulebook
from wainwright.trail.selectors import history
from wainwright.web.forms import say, whole

FIELD_NAMES = {
    "merchant": "Paid to", "date": "Date", "total": "Total", "currency": "Currency", "tax": "Tax", "tax_rate": "Tax %",
    "card": "Card",
}  # fmt: skip
PART_ROWS = 8


@require_GET
def tray_page(request):
    """The tray as a matching board."""
    return render(request, "expenses/tray.html", {"tray": tray(request.member)})


@require_POST
def drop(request):
    """Take files in, each on its own: a bad one does not lose the good ones."""
    files = request.FILES.getlist("files")
    if not files:
        raise Refusal("No file was chosen. Choose pictures or PDFs of receipts.")
    taken = 0
    for file in files[: receipts.MOST_AT_ONCE]:
        if file.size > MOST_BYTES:
            messages.error(request, f"{file.name}: larger than 20 MB. Take the picture in a lower resolution.")
            continue
        done = receipts.take_in(request.member, file.name, file.read())
        taken += done.receipt is not None and not done.problem
        if done.problem:
            messages.error(request, f"{done.name}: {done.problem}")
    if len(files) > receipts.MOST_AT_ONCE:
        messages.error(
            request, f"{len(files) - receipts.MOST_AT_ONCE} files were not taken: 50 at once. Send the rest again."
        )
    if taken:
        messages.info(request, f"{taken} {'paper' if taken == 1 else 'papers'} taken in; they are being read.")
    return redirect("tray")


@require_POST
def card_file(request):
    """Take in a card file."""
    file = request.FILES.get("file")
    if file is None:
        raise Refusal("No file was chosen. Choose the card file (OFX) from your bank.")
    if file.size > 5_000_000:
        raise Refusal("The file is larger than 5 MB. Ask the card's bank for a shorter period.")
    done = charges.take_card_file(request.member, file.name, file.read())
    words = f"{done.name}: {done.taken} taken, {done.known} known already, {len(done.left)} left out."
    messages.info(request, words)
    for where, why in done.left[:10]:
        messages.error(request, f"Left out: {where}, since {why}.")
    return redirect("tray")


def _id(request, name: str) -> int | None:
    return whole(request.POST.get(name)) or None


@require_POST
def take(request):
    """Take one row of the board."""
    expense = taking.take(request.member, _id(request, "receipt"), _id(request, "charge"))
    messages.info(request, f"{expense.label}, {expense.amount} is an expense now.")
    return redirect("tray")


@require_POST
def take_all(request):
    """Take every row that fits without doubt."""
    rows = tray(request.member).fitting
    for row in rows:
        taking.take(request.member, row.paper.pk if row.paper else None, row.charge.pk if row.charge else None)
    messages.info(
        request, f"{len(rows)} taken." if rows else "Nothing fits without doubt; look at the rows one by one."
    )
    return redirect("tray")


@require_POST
def personal(request):
    """Mark a charge as personal."""
    expense = taking.mark_personal(request.member, _id(request, "charge") or 0)
    messages.info(request, f"{expense.merchant.title()} is personal; you will owe {expense.amount} back.")
    return redirect("tray")


@require_GET
def receipt_page(request, receipt_id: int):
    """A receipt large, beside what was read."""
    receipt = receipt_for(request.member, receipt_id)
    own = receipt.owner_id == request.member.pk
    rows = [(FIELD_NAMES[name], name, receipt.fields.get(name)) for name in FIELD_NAMES]
    boxes = [
        {
            "name": name,
            "page": f["box"][0],
            "x": f["box"][1] - 6,
            "y": f["box"][2] - 6,
            "w": f["box"][3] + 12,
            "h": f["box"][4] + 12,
        }
        for _, name, f in rows
        if f
    ]
    return render(
        request,
        "expenses/receipt.html",
        {"receipt": receipt, "rows": rows, "boxes": boxes, "own": own, "form": _receipt_form(request, receipt)},
    )


def _receipt_form(request, receipt: Receipt, data=None) -> CostForm:
    categories = rulebook(request.member.firm).categories
    return CostForm(
        data, categories=categories.values(),
        initial={
            "date": receipt.value("date"), "merchant": receipt.value("merchant"), "amount": receipt.value("total"),
            "currency": receipt.value("currency") or request.member.firm.currency, "tax": receipt.value("tax"),
            "tax_rate": receipt.value("tax_rate"), "paid_by": "self", "heads": 1, "category": taking.DEFAULT_CATEGORY,
        },
    )  # fmt: skip


@require_POST
def receipt_take(request, receipt_id: int):
    """Make an expense of a receipt as confirmed or corrected by the person."""
    receipt = receipt_for(request.member, receipt_id)
    form = _receipt_form(request, receipt, request.POST)
    if receipt.owner_id == request.member.pk and form.is_valid():
        try:
            return redirect("expense", taking.type_from_receipt(request.member, receipt.pk, **form.values()).pk)
        except Refusal as refusal:
            say(form, refusal)
    rows = [(FIELD_NAMES[name], name, receipt.fields.get(name)) for name in FIELD_NAMES]
    return render(
        request,
        "expenses/receipt.html",
        {"receipt": receipt, "rows": rows, "boxes": [], "own": True, "form": form},
        status=422,
    )


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
        {"category": p.category, "label": p.label, "amount": f"{Decimal(p.amount_minor) / 100:.2f}", "personal": p.personal,
         "night": p.night.isoformat() if p.night else ""}
        for p in expense.parts.all()
    ]  # fmt: skip
    if not parts and editable:
        parts = [
            {"category": expense.category, "label": label, "amount": amount, "personal": False, "night": ""}
            for receipt in expense.receipts.all() for label, amount in _read_lines(receipt)
        ]  # fmt: skip
    shares = [{"coding": s.coding, "share": f"{s.share.normalize():f}"} for s in expense.shares.all()]
    loose = Receipt.objects.filter(owner=expense.owner, expense__isnull=True)[:20] if editable else []
    context = {
        "expense": expense, "editable": editable, "own": own, "categories": list(book.categories.values()),
        "parts": parts + [{"category": "", "label": "", "amount": "", "personal": False, "night": ""}] * max(2, PART_ROWS - len(parts)),
        "has_parts": bool(expense.parts.all()), "shares": shares + [{"coding": Coding(), "share": ""}] * max(1, 3 - len(shares)),
        "centres": ledger.choices("cost_centre"), "projects": ledger.choices("project"), "tasks": ledger.choices("task"),
        "funds": ledger.choices("fund"), "loose": loose, "charge": getattr(expense, "charge", None),
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
    plain = text.replace("\u00a0", "").replace(" ", "").replace("−", "-")
    if plain.rfind(",") > plain.rfind("."):
        plain = plain.replace(".", "").replace(",", ".")
    try:
        value = Decimal(plain.replace(",", ""))
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


@require_GET
def original(request, receipt_id: int):
    """The original of a receipt, as a download, for those who may see it."""
    receipt = receipt_for(request.member, receipt_id)
    response = FileResponse(
        receipt.file.open("rb"), content_type=receipt.media_type, as_attachment=True, filename=receipt.name
    )
    return _safe(response)


@require_GET
def page_picture(request, page_id: int):
    """A page of a receipt as a picture, for those who may see the receipt."""
    page = ReceiptPage.objects.filter(pk=page_id).first()
    if page is None:
        raise Http404
    receipt_for(request.member, page.receipt_id)
    return _safe(FileResponse(page.picture.open("rb"), content_type="image/jpeg"))


def _safe(response):
    response["X-Content-Type-Options"] = "nosniff"
    response["Cache-Control"] = "private, max-age=600"
    response["Content-Security-Policy"] = "default-src 'none'; sandbox"
    return response
