"""Papers opened: their pages as pictures, what they say as data, and the fields that their words give.

Both functions are run by ``formats.apart``: they parse what strangers send.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from wainwright.formats.invoice import Invoice, inside_pdf, read_invoice
from wainwright.formats.mail import Reservation, read_mail
from wainwright.formats.pictures import MOST_PAGES, Page, Word, pages_of
from wainwright.formats.problems import Unreadable
from wainwright.formats.receipt_text import Field, bill_lines, read_fields
from wainwright.formats.sheets import invoice_sheet, mail_sheet

RECEIPT, INVOICE, MAIL = "receipt", "invoice", "mail"
MOST_LINES = 40


@dataclass(frozen=True, slots=True)
class Opened:
    """A paper opened. ``read`` is how many of its pages words are read on: what is attached to data is only looked at."""

    pages: tuple[Page, ...]
    invoice: Invoice | None = None
    bookings: tuple[Reservation, ...] = ()
    read: int = MOST_PAGES


def open_paper(kind: str, content: bytes) -> Opened:
    """Open a picture or PDF, an invoice as data, or a mail. Raises ``Unreadable``."""
    if kind == INVOICE:
        invoice = read_invoice(content)
        sheet = pages_of(invoice_sheet(invoice))
        return Opened(tuple((sheet + _attached(invoice))[:MOST_PAGES]), invoice, read=len(sheet))
    if kind == MAIL:
        letter = read_mail(content)
        return Opened(tuple(pages_of(mail_sheet(letter))), bookings=letter.bookings)
    pages = tuple(pages_of(content))
    xml = inside_pdf(content) if content[:1024].lstrip().startswith(b"%PDF-") else None
    try:
        return Opened(pages, read_invoice(xml) if xml else None)
    except Unreadable:
        # What is wrong with the data inside does not make the paper worthless.
        return Opened(pages)


def _attached(invoice: Invoice) -> list[Page]:
    """The pages of what is attached to an invoice; what is no picture or PDF stays in the original."""
    found: list[Page] = []
    for each in invoice.attached:
        if len(found) >= MOST_PAGES:
            break
        try:
            found += pages_of(each.content)
        except Unreadable:
            continue
    return found


def read_words(words: Sequence[Word], today: date) -> tuple[dict[str, Field], list[tuple[str, Decimal]]]:
    """Read the fields of a paper and the lines of a bill out of its words."""
    return read_fields(words, today), bill_lines(words)[:MOST_LINES]
