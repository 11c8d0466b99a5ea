"""The tray, its papers, and their files."""

from __future__ import annotations

import re
from datetime import timedelta

from django.contrib import messages
from django.http import FileResponse, Http404
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.claims.models import Claim
from wainwright.claims.services import compose
from wainwright.errors import Refusal
from wainwright.expenses.forms import CostForm
from wainwright.expenses.models import Receipt, ReceiptPage
from wainwright.expenses.selectors import Narrow, receipt_for, tray
from wainwright.expenses.services import receipts, sorting, taking
from wainwright.formats.pictures import MOST_BYTES
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import rulebook
from wainwright.trips.models import Trip
from wainwright.web.forms import say, whole

MONTH = re.compile(r"^20\d\d-(0[1-9]|1[0-2])$")
FIELD_NAMES = {
    "merchant": "Paid to", "date": "Date", "total": "Total", "currency": "Currency", "tax": "Tax", "tax_rate": "Tax %",
    "card": "Card",
}  # fmt: skip


KINDS = [
    ("papers", "all papers"),
    ("receipt", "receipts"),
    ("invoice", "invoices"),
    ("mail", "mails"),
    ("charges", "charges"),
]


def _narrow(query) -> Narrow:
    month, kind = query.get("month", ""), query.get("kind", "")
    return Narrow(
        query.get("card", "")[:4], month if MONTH.match(month) else "", kind if kind in dict(KINDS) else "",
        "old" in query, "aside" in query, whole(query.get("trip")),
    )  # fmt: skip


@require_GET
def tray_page(request):
    """The tray as a matching board, narrowed if wanted."""
    member = request.member
    narrow, today = _narrow(request.GET), clock.today(member.firm.zone)
    months = [(today.replace(day=1) - timedelta(days=30 * n)).strftime("%Y-%m") for n in range(6)]
    context = {
        "tray": tray(member, narrow), "narrow": narrow, "months": list(dict.fromkeys(months)), "kinds": KINDS,
        "undo": request.session.get("undo", []), "cards": list(member.cards.order_by("last_four")),
        "claims": list(Claim.objects.filter(claimant=member, state__in=["Open", "Sent back"]).order_by("-id")[:20]),
        "trips": list(Trip.objects.filter(traveller=member, starts__isnull=False).order_by("-starts")[:20]),
        "others": list(
            Membership.objects.filter(firm_id=member.firm_id, active=True, traveller=True).exclude(pk=member.pk)
            .select_related("person").order_by("person__name")[:300]
        ),
    }  # fmt: skip
    return render(request, "expenses/tray.html", context)


@require_POST
def sort(request):
    """Do one thing with every row that was ticked."""
    member, act = request.member, request.POST.get("act", "")
    rows = sorting.things(request.POST.getlist("row"))
    if act == "take":
        _taken(request, sorting.take_many(member, rows))
    elif act == "claim":
        taken = sorting.take_many(member, rows)
        compose.put_in(member, whole(request.POST.get("claim")), [e.pk for e in taken])
        _taken(request, taken, " and on the claim")
    elif act == "personal":
        _taken(request, sorting.all_personal(member, rows), " and personal")
    elif act == "aside":
        reason = request.POST.get("reason", "").strip()
        if not reason:
            raise Refusal("Say in a word why they are put aside.")
        messages.info(request, f"{sorting.put_aside(member, rows, reason)} put aside: {reason[:120]}.")
    elif act == "back":
        messages.info(request, f"{sorting.put_aside(member, rows, '')} brought back.")
    elif act == "give":
        messages.info(request, f"Handed to {sorting.give_to(member, rows, request.POST.get('email', '')).person.name}.")
    elif act == "refuse":
        sorting.refuse_pair(member, rows[0])
        messages.info(request, "They are not proposed together again.")
    else:
        raise Refusal("Choose what to do with the rows.")
    return redirect("tray")


def _taken(request, taken: list, more: str = "") -> None:
    request.session["undo"] = [e.pk for e in taken]
    words = (
        f"{taken[0].label}, {taken[0].amount} is an expense now"
        if len(taken) == 1
        else f"{len(taken)} are expenses now"
    )
    messages.info(request, f"{words}{more}. U undoes it.")


@require_POST
def undo(request):
    """Undo what was taken last."""
    count = sorting.undo(request.member, request.session.pop("undo", []))
    messages.info(request, f"{count} undone; papers and charges lie loose again.")
    return redirect("tray")


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
    _taken(request, [taking.take(request.member, _id(request, "receipt"), _id(request, "charge"))])
    return redirect("tray")


@require_POST
def take_all(request):
    """Take every row that fits without doubt."""
    rows = tray(request.member).fitting
    taken = [
        taking.take(request.member, row.paper.pk if row.paper else None, row.charge.pk if row.charge else None)
        for row in rows
    ]
    if taken:
        request.session["undo"] = [e.pk for e in taken]
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
