"""Reading receipts in the queue: pages, fields, what a file says as data, and whether it is here already."""

from __future__ import annotations

import io
import logging
import time
from collections.abc import Sequence
from datetime import date, timedelta
from zoneinfo import ZoneInfo

import imagehash
from django.core.files.base import ContentFile
from django.db import transaction
from huey.contrib.djhuey import on_commit_task
from PIL import Image

from wainwright import clock
from wainwright.core.money import total
from wainwright.core.said import said_by, say
from wainwright.core.text import clean_data
from wainwright.expenses.arrivals import arrived
from wainwright.expenses.models import Receipt, ReceiptPage
from wainwright.expenses.services.memory import remembered_name
from wainwright.formats.apart import apart
from wainwright.formats.invoice import Invoice
from wainwright.formats.mail import Reservation
from wainwright.formats.opening import Opened
from wainwright.formats.pictures import Page
from wainwright.formats.problems import Unreadable
from wainwright.formats.track import Track
from wainwright.outside import service
from wainwright.tries import NOT_READ, at_most_twice

log = logging.getLogger(__name__)
THUMB = (68, 88)
ALIKE_BITS, ALIKE_AMONG = 3, 300
# Reading the words of one paper takes no longer than this, so that those behind it have their turn.
MOST_SECONDS, MOST_WORDS, MOST_LEFT = 60, 20_000, 40


@on_commit_task(retries=1, retry_delay=5)
def read_receipt(receipt_id: int) -> None:
    """Read one receipt; whatever happens, it is kept, and says what became of it."""
    claimed = Receipt.objects.filter(pk=receipt_id, state__in=[Receipt.State.WAITING, Receipt.State.READING])
    if not claimed.update(state=Receipt.State.READING, started=clock.now()):
        return
    receipt = Receipt.objects.select_related("firm", "owner").get(pk=receipt_id)
    at_most_twice(receipt, lambda: _read_kept(receipt), lambda: _unreadable(receipt, NOT_READ))


def _read_kept(receipt: Receipt) -> None:
    try:
        with receipt.file.open("rb") as file:
            content = file.read()
        seen = apart("paper", receipt.kind, content)
        found = _read(receipt, seen)
    except Unreadable as error:
        _unreadable(receipt, said_by(error))
        return
    except (RuntimeError, OSError) as error:
        log.warning("receipt %s was not read: %s", receipt.pk, error)
        _unreadable(receipt, say("It could not be read on this machine. It is kept; type the figures yourself."))
        return
    with transaction.atomic():
        _keep_pages(receipt, seen.pages)
        _keep_found(receipt, found)
        receipt.like = _alike(receipt)
        receipt.state = Receipt.State.READ
        receipt.save()
        arrived(receipt.owner_id)


def _read(receipt: Receipt, seen: Opened) -> dict:
    """Read the words of the pages, and put what a file says as data in their place."""
    words, until = [], time.monotonic() + MOST_SECONDS
    for number, page in enumerate(seen.pages[: seen.read]):
        if time.monotonic() > until:
            log.warning("receipt %s: words were read on %s of %s pages", receipt.pk, number, len(seen.pages))
            break
        words += service("reader").words(page, number)[:MOST_WORDS]
    read, lines = apart("words", words[:MOST_WORDS], clock.today(receipt.firm.zone))
    fields = {name: {"value": f.value, "sure": f.sure, "box": f.box} for name, f in read.items()}
    found = {"fields": fields, "lines": [[label[:80], str(amount)] for label, amount in lines]}
    if seen.invoice is not None:
        found |= _of_invoice(seen.invoice, fields)
    else:
        fields |= remembered_name(receipt.owner, fields)
    if seen.bookings:
        found["invoice"] = {"bookings": [_booking(each) for each in seen.bookings]}
        if receipt.kind != Receipt.Kind.CALENDAR:
            _of_bookings(seen.bookings, fields)
    if receipt.kind == Receipt.Kind.CALENDAR:
        found["invoice"] = {**found.get("invoice", {}), "left": list(seen.left[:MOST_LEFT])}
        fields |= _day(seen.bookings[0].leaves.date().isoformat() if seen.bookings else "")
    if seen.track is not None:
        found["invoice"] = {"track": _track(seen.track)}
        fields |= _day(found["invoice"]["track"]["day"])
    cleaned: dict = clean_data(found)
    return cleaned


def _of_invoice(invoice: Invoice, read: dict) -> dict:
    def sure(name: str, value: str) -> dict:
        return {"value": value, "sure": 1.0, "box": read.get(name, {}).get("box")}

    fields = {
        "merchant": sure("merchant", invoice.supplier[:120]), "date": sure("date", invoice.day.isoformat()),
        "total": sure("total", str(invoice.gross.amount)), "currency": sure("currency", invoice.currency),
        "tax": sure("tax", str(invoice.tax.amount)),
    }  # fmt: skip
    rates = {tax.percent for tax in invoice.taxes if tax.tax}
    if len(rates) == 1:
        fields["tax_rate"] = sure("tax_rate", f"{rates.pop().normalize():f}")
    return {
        "fields": fields,
        "number": invoice.number,
        "lines": [[line.text[:80], str(line.net.amount)] for line in invoice.lines],
        "invoice": {
            "standard": invoice.standard, "number": invoice.number, "supplier": invoice.supplier, "tax_id": invoice.supplier_tax_id,
            "taxes": [[f"{t.percent.normalize():f}", str(t.net.amount), str(t.tax.amount)] for t in invoice.taxes],
            "net": str(invoice.net.amount), "gross": str(invoice.gross.amount), "problems": list(invoice.problems),
            "attached": [each.name for each in invoice.attached],
        },
    }  # fmt: skip


def _of_bookings(bookings: Sequence[Reservation], fields: dict) -> None:
    """Who is paid, and how much where the words do not say: one price of each number, as legs of one ticket repeat it."""
    fields["merchant"] = {"value": bookings[0].name[:120], "sure": 1.0, "box": None}
    prices = {each.number or each.name: each.price for each in bookings if each.price}
    if "total" not in fields and len({price.currency for price in prices.values()}) == 1:
        sum_ = total(prices.values(), next(iter(prices.values())).currency)
        fields["total"] = {"value": str(sum_.amount), "sure": 1.0, "box": None}
        fields["currency"] = {"value": sum_.currency, "sure": 1.0, "box": None}


def _booking(each: Reservation) -> dict:
    return {
        "mode": each.mode, "name": each.name, "number": each.number, "origin": each.origin, "target": each.target,
        "leaves": each.leaves.isoformat(), "arrives": each.arrives.isoformat(),
        "price": str(each.price.amount) if each.price else "", "currency": each.price.currency if each.price else "",
    }  # fmt: skip


def _day(day: str) -> dict:
    return {"date": {"value": day, "sure": 1.0, "box": None}} if day else {}


def _track(track: Track) -> dict:
    day = track.begins.astimezone(ZoneInfo(track.zone)).date().isoformat() if track.begins else ""
    return {"km": str(track.km), "origin": track.origin, "target": track.target, "day": day, "left": track.left}


def _keep_found(receipt: Receipt, found: dict) -> None:
    receipt.fields, receipt.lines = found["fields"], found["lines"]
    receipt.invoice, receipt.number = found.get("invoice", {}), found.get("number", "")[:60]
    day = receipt.value("date")
    receipt.day = date.fromisoformat(day) if day else None
    problems = found.get("invoice", {}).get("problems", [])
    receipt.problem = ""
    if problems:
        receipt.problem = say("Its sums do not add up: {problems}.", problems=problems[0])[:300]
    elif receipt.kind == Receipt.Kind.CALENDAR:
        receipt.problem = "" if receipt.invoice.get("bookings") else say("No journey was found in it.")
    elif "total" not in receipt.fields and receipt.proves_cost:
        receipt.problem = say("The total is hard to read. Look at it and type it.")


def _alike(receipt: Receipt) -> Receipt | None:
    """An earlier paper of the firm that is much like this one: the same invoice, or the same picture sent anew."""
    earlier = Receipt.objects.filter(firm_id=receipt.firm_id).exclude(pk=receipt.pk)
    if receipt.number:
        same = earlier.filter(number=receipt.number, invoice__supplier=receipt.invoice.get("supplier")).first()
        if same:
            return same
    if receipt.looks:
        looks = int(receipt.looks, 16)
        for each in earlier.filter(owner=receipt.owner).exclude(looks="").order_by("-pk")[:ALIKE_AMONG]:
            differs = any(
                each.value(n) != receipt.value(n) for n in ("total", "date") if each.value(n) and receipt.value(n)
            )
            if not differs and (int(each.looks, 16) ^ looks).bit_count() <= ALIKE_BITS:
                return each
    return None


def _keep_pages(receipt: Receipt, pages: Sequence[Page]) -> None:
    receipt.pages.all().delete()
    if pages:
        with Image.open(io.BytesIO(pages[0].content)) as image:
            receipt.looks = str(imagehash.phash(image))
            image.thumbnail(THUMB)
            out = io.BytesIO()
            image.convert("RGB").save(out, "JPEG", quality=80)
        receipt.thumb.save(f"{receipt.sha256[:24]}-{receipt.pk}.jpg", ContentFile(out.getvalue()), save=False)
    for number, page in enumerate(pages):
        row = ReceiptPage(receipt=receipt, number=number, width=page.width, height=page.height)
        row.picture.save(f"{receipt.sha256[:24]}-{number}.jpg", ContentFile(page.content), save=False)
        row.save()


def _unreadable(receipt: Receipt, problem: str) -> None:
    receipt.state, receipt.problem = Receipt.State.UNREADABLE, problem[:300]
    receipt.save(update_fields=["state", "problem"])


def read_again_what_broke_off() -> int:
    """Put receipts back into the queue whose reading was broken off; return how many."""
    late = Receipt.objects.filter(
        state__in=[Receipt.State.WAITING, Receipt.State.READING], received__lt=clock.now() - timedelta(minutes=10)
    ).exclude(started__gt=clock.now() - timedelta(minutes=10))
    count = 0
    for receipt in late[:100]:
        read_receipt(receipt.pk)
        count += 1
    return count
