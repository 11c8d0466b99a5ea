"""A paper large beside what was read of it; its pages put in order; its files."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.contrib import messages
from django.db.models import Q
from django.http import FileResponse, Http404
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright.core.said import as_figure, joined, say
from wainwright.errors import Refusal
from wainwright.expenses.forms import CostForm
from wainwright.expenses.models import HeldMail, Receipt, ReceiptPage
from wainwright.expenses.proposals import Asked, propose_all, usual_category
from wainwright.expenses.selectors import receipt_for
from wainwright.expenses.services import mails, pages, taking
from wainwright.fields import tell, whole
from wainwright.trips.models import Trip

FIELD_NAMES = {
    "merchant": say("Paid to"), "date": say("Date"), "total": say("Total"), "currency": say("Currency"), "tax": say("Tax"), "tax_rate": say("Tax %"),
    "card": say("Card"),
}  # fmt: skip
# Around a field, so that the line of the box does not touch the letters.
MARGIN = 6


def _show(request, receipt: Receipt, form: CostForm, status: int = 200):
    own = receipt.owner_id == request.member.pk
    fields = [(name, receipt.fields.get(name)) for name in FIELD_NAMES]
    boxes = [
        {"name": name, "page": f["box"][0], "x": f["box"][1] - MARGIN, "y": f["box"][2] - MARGIN,
         "w": f["box"][3] + 2 * MARGIN, "h": f["box"][4] + 2 * MARGIN}
        for name, f in fields if f and f.get("box")
    ]  # fmt: skip
    bookings = [{**each, "from_to": _from_to(each)} for each in receipt.invoice.get("bookings", [])]
    loose = own and not receipt.expense_id
    context = {
        "receipt": receipt, "own": own, "form": form, "boxes": boxes, "bookings": bookings,
        "track": receipt.invoice.get("track"), "left": receipt.invoice.get("left", []),
        "rows": [(FIELD_NAMES[name], name, field) for name, field in fields],
        "shown": [page for page in receipt.pages.all() if not page.off], "off": [page for page in receipt.pages.all() if page.off],
        "trips": _trips_for(request.member, bookings) if bookings else [],
        "others": list(Receipt.objects.filter(owner=request.member, expense__isnull=True, aside="").exclude(pk=receipt.pk)[:20]) if loose else [],
    }  # fmt: skip
    return render(request, "expenses/receipt.html", context, status=status)


def _trips_for(member, bookings: list[dict]) -> list[Trip]:
    """Trips that bookings may belong to: those of their days first, none that was over before them."""
    first = min(datetime.fromisoformat(each["leaves"]) for each in bookings).date()
    open_ = Trip.objects.filter(traveller=member).filter(Q(ends__isnull=True) | Q(ends__gte=first - timedelta(days=3)))
    trips = list(open_.order_by("-pk")[:20])
    return sorted(trips, key=lambda trip: not (trip.starts and trip.ends and trip.starts <= first <= trip.ends))


def _from_to(booking: dict) -> str:
    """When a booking of a mail begins and ends: days for a stay, times for a way."""
    shape = "%a %-d %b %Y" if booking["mode"] == "stay" else "%a %-d %b %Y %H:%M"
    begins, ends = (datetime.fromisoformat(booking[name]) for name in ("leaves", "arrives"))
    return say("{begins} to {ends}", begins=as_figure(begins, shape), ends=as_figure(ends, shape))


def _form(request, receipt: Receipt, data=None) -> CostForm:
    member = request.member
    proposal = propose_all(member, [Asked(receipt.value("merchant"), day=receipt.day)])[0]
    return CostForm(
        data, member=member,
        initial={
            "date": receipt.value("date"), "merchant": receipt.value("merchant"), "amount": receipt.value("total"),
            "currency": receipt.value("currency") or member.firm.currency, "tax": receipt.value("tax"),
            "tax_rate": receipt.value("tax_rate"), "paid_by": "self", "heads": 1, "reference": receipt.number,
            "category": proposal.category if proposal else usual_category(member, receipt.day),
        },
    )  # fmt: skip


@require_GET
def receipt_page(request, receipt_id: int):
    """A receipt large, beside what was read."""
    receipt = receipt_for(request.member, receipt_id)
    return _show(request, receipt, _form(request, receipt))


@require_POST
def receipt_take(request, receipt_id: int):
    """Make an expense of a receipt as confirmed or corrected by the person."""
    receipt = receipt_for(request.member, receipt_id)
    form = _form(request, receipt, request.POST)
    if receipt.owner_id == request.member.pk and form.is_valid():
        try:
            return redirect("expense", taking.type_from_receipt(request.member, receipt.pk, **form.values()).pk)
        except Refusal as refusal:
            tell(form, refusal)
    return _show(request, receipt, form, 422)


@require_POST
def page_off(request, page_id: int):
    """Take a page off, or put it back."""
    return redirect("receipt", pages.take_page_off(request.member, page_id, "back" not in request.POST).pk)


@require_POST
def cut(request, page_id: int):
    """Cut a picture with two receipts in two."""
    done = pages.cut(request.member, page_id, request.POST.get("way") == "beside", whole(request.POST.get("at")))
    messages.info(request, say("{done_count} papers were made of it; they are being read.", done_count=len(done)))
    return redirect("tray")


@require_POST
def join(request, receipt_id: int):
    """Add the pages of another paper."""
    return redirect("receipt", pages.join(request.member, receipt_id, whole(request.POST.get("other"))).pk)


@require_POST
def put_on_trip(request, receipt_id: int):
    """Put the bookings of a mail on a trip."""
    trip_id = whole(request.POST.get("trip"))
    done = pages.put_on_trip(request.member, receipt_id, trip_id)
    messages.info(request, say("On the trip now: {list}.", list=joined("; ", done)))
    return redirect("trip", trip_id)


@require_http_methods(["GET", "POST"])
def held_mail(request, mail_id: int):
    """A held mail as it came, as a download; or let it in, know its sender from now on, turn it away."""
    if request.method == "GET":
        mail = HeldMail.objects.filter(member=request.member, pk=mail_id).first()
        if mail is None:
            raise Http404
        kind = "application/octet-stream"
        return _safe(FileResponse(mail.file.open("rb"), content_type=kind, as_attachment=True, filename="mail.eml"))
    act = request.POST.get("act")
    if act == "away":
        mails.turn_away(request.member, mail_id)
        messages.info(request, say("The mail is deleted."))
    elif act in ("once", "know"):
        mails.let_in(request.member, mail_id, act == "know")
        messages.info(request, say("The mail is being opened; its papers come into the tray."))
    else:
        raise Refusal(say("Say whether the mail is taken in or deleted."))
    return redirect("tray")


@require_GET
def original(request, receipt_id: int):
    """The original of a receipt, as a download, for those who may see it."""
    receipt = receipt_for(request.member, receipt_id)
    if not receipt.file:
        # It was kept for as long as it had to be, and taken away.
        raise Http404
    # What was sent is never shown by a browser as a page of ours: a mail or XML is handed out as bytes.
    plain = receipt.media_type in ("application/xml", "message/rfc822")
    kind = "application/octet-stream" if plain else receipt.media_type
    response = FileResponse(receipt.file.open("rb"), content_type=kind, as_attachment=True, filename=receipt.name)
    return _safe(response)


@require_GET
def page_picture(request, page_id: int):
    """A page of a receipt as a picture, for those who may see the receipt."""
    page = ReceiptPage.objects.filter(pk=page_id).first()
    if page is None:
        raise Http404
    receipt_for(request.member, page.receipt_id)
    return _safe(FileResponse(page.picture.open("rb"), content_type="image/jpeg"))


@require_GET
def thumb(request, receipt_id: int):
    """A receipt's small picture."""
    receipt = receipt_for(request.member, receipt_id)
    if not receipt.thumb:
        raise Http404
    return _safe(FileResponse(receipt.thumb.open("rb"), content_type="image/jpeg"))


def _safe(response):
    response["X-Content-Type-Options"] = "nosniff"
    response["Cache-Control"] = "private, max-age=600"
    response["Content-Security-Policy"] = "default-src 'none'; sandbox"
    return response
