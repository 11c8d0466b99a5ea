"""Receipts: taken in, read in the queue, attached and taken off."""

from __future__ import annotations

import hashlib
import logging
from dataclasses import dataclass
from datetime import timedelta
from pathlib import PurePath

from django.core.files.base import ContentFile
from django.db import transaction
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.errors import NotAllowed, Stale
from wainwright.expenses.models import Expense, Receipt, ReceiptPage
from wainwright.formats.pictures import Page, media_type, pages_of
from wainwright.formats.problems import Unreadable
from wainwright.formats.receipt_text import bill_lines, read_fields
from wainwright.outside import service
from wainwright.people.models import Membership
from wainwright.trail.services import record

log = logging.getLogger(__name__)
MOST_AT_ONCE = 50
_ENDINGS = {
    "image/jpeg": ".jpg", "image/png": ".png", "image/webp": ".webp", "image/heic": ".heic", "application/pdf": ".pdf",
}  # fmt: skip


@dataclass(frozen=True)
class TakenIn:
    """What became of one file: the receipt, or why there is none."""

    name: str
    receipt: Receipt | None
    problem: str = ""


def take_in(member: Membership, name: str, content: bytes) -> TakenIn:
    """Take one file into the tray and have it read.

    A file that is no receipt is not taken and the answer says why; the same file again is the receipt it was.
    """
    shown = PurePath(name.replace("\\", "/")).name[-120:] or "receipt"
    try:
        kind = media_type(content)
    except Unreadable as error:
        return TakenIn(shown, None, str(error))
    digest = hashlib.sha256(content).hexdigest()
    with transaction.atomic():
        known = Receipt.objects.filter(owner=member, sha256=digest).first()
        if known:
            return TakenIn(shown, known, "This file was here already; it was not taken twice.")
        receipt = Receipt(
            firm=member.firm, owner=member, name=shown, media_type=kind, size=len(content), sha256=digest,
            received=clock.now(),
        )  # fmt: skip
        receipt.file.save(f"{digest[:24]}{_ENDINGS[kind]}", ContentFile(content), save=False)
        receipt.save()
        record(member, "took in a receipt", f"receipt:{receipt.pk}", after={"name": shown, "sha256": digest})
        read_receipt(receipt.pk)
    return TakenIn(shown, receipt)


@on_commit_task(retries=1, retry_delay=5)
def read_receipt(receipt_id: int) -> None:
    """Read one receipt; whatever happens, it is kept, and says what became of it."""
    claimed = Receipt.objects.filter(pk=receipt_id, state__in=[Receipt.State.WAITING, Receipt.State.READING])
    if not claimed.update(state=Receipt.State.READING, started=clock.now()):
        return
    receipt = Receipt.objects.select_related("firm").get(pk=receipt_id)
    try:
        with receipt.file.open("rb") as file:
            pages = pages_of(file.read())
        words = [word for number, page in enumerate(pages) for word in service("reader").words(page, number)]
        fields = read_fields(words, clock.today(receipt.firm.zone))
        lines = bill_lines(words)
    except Unreadable as error:
        _unreadable(receipt, str(error))
        return
    except (RuntimeError, OSError) as error:
        log.warning("receipt %s was not read: %s", receipt_id, error)
        _unreadable(receipt, "It could not be read on this machine. It is kept; type the figures yourself.")
        return
    with transaction.atomic():
        _keep_pages(receipt, pages)
        receipt.fields = {name: {"value": f.value, "sure": f.sure, "box": f.box} for name, f in fields.items()}
        receipt.lines = [[label[:80], str(amount)] for label, amount in lines[:40]]
        receipt.state = Receipt.State.READ
        if "total" not in fields:
            receipt.problem = "The total is hard to read. Look at it and type it."
        receipt.save()


def _keep_pages(receipt: Receipt, pages: list[Page]) -> None:
    receipt.pages.all().delete()
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


@transaction.atomic
def detach(member: Membership, receipt_id: int) -> None:
    """Take a receipt off; it lies in the tray again."""
    receipt = _own(member, receipt_id)
    if receipt.expense_id is None:
        raise Stale("It lies in the tray already.")
    _must_be_open(receipt.expense)
    before = {"receipt": receipt.pk}
    expense, receipt.expense = receipt.expense, None
    receipt.save(update_fields=["expense"])
    record(member, "took a receipt off", expense.key, before=before)


@transaction.atomic
def attach(member: Membership, receipt_id: int, expense: Expense) -> None:
    """Attach a loose receipt to one's own expense."""
    if expense.owner_id != member.pk:
        raise NotAllowed("Only the person who paid attaches receipts to this.")
    receipt = _own(member, receipt_id)
    if receipt.expense_id not in (None, expense.pk):
        raise Stale("That receipt belongs to another expense by now.")
    _must_be_open(expense)
    receipt.expense = expense
    receipt.save(update_fields=["expense"])
    record(member, "attached a receipt", expense.key, after={"receipt": receipt.pk})


def _own(member: Membership, receipt_id: int) -> Receipt:
    return (
        Receipt.objects.select_for_update(of=("self",))
        .select_related("expense__claim")
        .get(owner=member, pk=receipt_id)
    )


def _must_be_open(expense: Expense) -> None:
    if expense.claim is not None and not expense.claim.editable:
        raise Stale(f"Its claim stands at {expense.claim.state}: nothing can be changed on it now.")
