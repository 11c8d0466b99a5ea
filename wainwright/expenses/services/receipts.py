"""Receipts: taken in, read in the queue, attached and taken off."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import PurePath

from django.core.files.base import ContentFile
from django.db import transaction

from wainwright import clock
from wainwright.core.said import said_by, say
from wainwright.errors import NotAllowed, Stale
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.services.reading import read_receipt
from wainwright.formats.invoice import is_xml
from wainwright.formats.journey_file import is_calendar
from wainwright.formats.mail import is_mail
from wainwright.formats.pictures import MOST_BYTES, media_type
from wainwright.formats.problems import Unreadable
from wainwright.formats.track import is_track
from wainwright.people.models import Membership
from wainwright.trail.services import record

MOST_AT_ONCE = 50
_ENDINGS = {
    "image/jpeg": ".jpg", "image/png": ".png", "image/webp": ".webp", "image/heic": ".heic", "application/pdf": ".pdf",
    "application/xml": ".xml", "message/rfc822": ".eml",
    "text/calendar": ".ics", "application/gpx+xml": ".gpx",
}  # fmt: skip


@dataclass(frozen=True)
class TakenIn:
    """What became of one file: the receipt, or why there is none; that it is a mail, whose papers come later; that the very same is here."""

    name: str
    receipt: Receipt | None
    problem: str = ""
    later: bool = False
    here: bool = False


def take_in(member: Membership, name: str, content: bytes) -> TakenIn:
    """Take one file into the tray and have it read: a picture, a PDF, an invoice as data, or a mail as it stands.

    A file of another kind is not taken and the answer says why; one that turns out damaged is kept and says so. The
    same file again is the receipt it was.
    """
    shown = PurePath(name.replace("\\", "/")).name[-120:] or "receipt"
    if len(content) > MOST_BYTES:
        return TakenIn(shown, None, say("The file is larger than 20 MB. Send it in pieces, or as a picture."))
    try:
        kind, media = _kind(content)
    except Unreadable as error:
        return TakenIn(shown, None, said_by(error))
    digest = hashlib.sha256(content).hexdigest()
    with transaction.atomic():
        known = Receipt.objects.filter(owner=member, sha256=digest).first()
        if known:
            return TakenIn(shown, known, say("This file was here already; it was not taken twice."), here=True)
        receipt = Receipt(
            firm=member.firm, owner=member, name=shown, kind=kind, media_type=media, size=len(content), sha256=digest,
            received=clock.now(),
        )  # fmt: skip
        receipt.file.save(f"{digest[:24]}{_ENDINGS[media]}", ContentFile(content), save=False)
        receipt.save()
        record(member, say("took in a receipt"), f"receipt:{receipt.pk}", after={"name": shown, "sha256": digest})
        read_receipt(receipt.pk)
    return TakenIn(shown, receipt)


def _kind(content: bytes) -> tuple[str, str]:
    """Say what kind of paper a file is, by how it begins; it is opened in the queue. Raises ``Unreadable``."""
    if is_mail(content):
        return Receipt.Kind.MAIL, "message/rfc822"
    if is_calendar(content):
        return Receipt.Kind.CALENDAR, "text/calendar"
    if is_xml(content) and is_track(content):
        return Receipt.Kind.TRACK, "application/gpx+xml"
    if is_xml(content):
        return Receipt.Kind.INVOICE, "application/xml"
    return Receipt.Kind.RECEIPT, media_type(content)


@transaction.atomic
def detach(member: Membership, receipt_id: int) -> None:
    """Take a receipt off; it lies in the tray again."""
    receipt = _own(member, receipt_id)
    if receipt.expense_id is None:
        raise Stale(say("It lies in the tray already."))
    _must_be_open(receipt.expense)
    before = {"receipt": receipt.pk}
    expense, receipt.expense = receipt.expense, None
    receipt.save(update_fields=["expense"])
    record(member, say("took a receipt off"), expense.key, before=before)


@transaction.atomic
def attach(member: Membership, receipt_id: int, expense: Expense) -> None:
    """Attach a loose receipt to one's own expense."""
    if expense.owner_id != member.pk:
        raise NotAllowed(say("Only the person who paid attaches receipts to this."))
    receipt = _own(member, receipt_id)
    if receipt.expense_id not in (None, expense.pk):
        raise Stale(say("That receipt belongs to another expense by now."))
    _must_be_open(expense)
    receipt.expense = expense
    receipt.save(update_fields=["expense"])
    if expense.lost:
        # It was found after all.
        Expense.objects.filter(pk=expense.pk).update(lost={})
    record(member, say("attached a receipt"), expense.key, after={"receipt": receipt.pk})


def _own(member: Membership, receipt_id: int) -> Receipt:
    return (
        Receipt.objects.select_for_update(of=("self",), no_key=True)
        .select_related("expense__claim")
        .get(owner=member, pk=receipt_id)
    )


def _must_be_open(expense: Expense) -> None:
    if expense.claim is not None and not expense.claim.editable:
        raise Stale(say("Its claim stands at {state}: nothing can be changed on it now.", state=expense.claim.state))
