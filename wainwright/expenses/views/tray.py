"""The tray, its papers, and their files."""

from __future__ import annotations

from django.contrib import messages
from django.http import FileResponse, Http404
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.errors import Refusal
from wainwright.expenses.forms import CostForm
from wainwright.expenses.models import Receipt, ReceiptPage
from wainwright.expenses.selectors import receipt_for, tray
from wainwright.expenses.services import receipts, taking
from wainwright.formats.pictures import MOST_BYTES
from wainwright.rulebook.selectors import rulebook
from wainwright.web.forms import say, whole

FIELD_NAMES = {
    "merchant": "Paid to", "date": "Date", "total": "Total", "currency": "Currency", "tax": "Tax", "tax_rate": "Tax %",
    "card": "Card",
}  # fmt: skip


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
            "tax_rate": receipt.value("tax_rate"), "paid_by": "self", "heads": 1, "category": taking.usual_category(request.member),
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
