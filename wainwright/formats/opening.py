"""Papers opened: their pages as pictures, what they say as data, and the fields that their words give.

Both functions are run by ``formats.apart``: they parse what strangers send.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from wainwright.formats.invoice import Invoice, inside_pdf, read_invoice
from wainwright.formats.journey_file import read_calendar
from wainwright.formats.mail import Reservation, read_mail
from wainwright.formats.pictures import MOST_PAGES, Page, Word, pages_of
from wainwright.formats.problems import Unreadable
from wainwright.formats.receipt_text import Field, bill_lines, read_fields
from wainwright.formats.sheets import invoice_sheet, mail_sheet, sheet
from wainwright.formats.track import Track, read_track, track_sheet

RECEIPT, INVOICE, MAIL, CALENDAR, TRACK = "receipt", "invoice", "mail", "calendar", "track"
MOST_LINES = 40


@dataclass(frozen=True, slots=True)
class Opened:
    """A paper opened. ``read`` is how many of its pages words are read on: what is attached to data is only looked at.

    ``left`` says what of a calendar is no way and no stay.
    """

    pages: tuple[Page, ...]
    invoice: Invoice | None = None
    bookings: tuple[Reservation, ...] = ()
    read: int = MOST_PAGES
    left: tuple[str, ...] = ()
    track: Track | None = None


def open_paper(kind: str, content: bytes) -> Opened:
    """Open a picture or PDF, an invoice as data, a mail, a calendar file, or a track. Raises ``Unreadable``."""
    if kind == INVOICE:
        invoice = read_invoice(content)
        drawn = pages_of(invoice_sheet(invoice))
        return Opened(tuple((drawn + _attached(invoice))[:MOST_PAGES]), invoice, read=len(drawn))
    if kind == MAIL:
        letter = read_mail(content)
        return Opened(tuple(pages_of(mail_sheet(letter))), bookings=letter.bookings)
    if kind == CALENDAR:
        found = read_calendar(content)
        rows = [f"{each.leaves:%d.%m.%Y %H:%M} {each.name}: {each.origin} {each.target}" for each in found.journeys]
        pictures = pages_of(sheet("Calendar", [*rows, *found.left]))
        return Opened(tuple(pictures), bookings=found.journeys, read=0, left=found.left)
    if kind == TRACK:
        track = read_track(content)
        return Opened(tuple(pages_of(track_sheet(track))), read=0, track=track)
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
