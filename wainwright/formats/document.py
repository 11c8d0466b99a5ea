"""A document with its evidence: front pages, contents, then every paper on pages that are stamped with what they prove."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import replace

from PIL import Image
from pypdf import PageObject, PdfReader, PdfWriter
from pypdf.generic import DecodedStreamObject, DictionaryObject, NameObject, NumberObject, StreamObject

from wainwright.core.said import joined, say
from wainwright.formats.binder import Bound, contents, fitting
from wainwright.formats.sheets import stamps

# A4 in points; a paper stands above its stamp.
WIDTH, HEIGHT, MARGIN, FOOT = 595.28, 841.89, 34.0, 52.0


def document(
    front: bytes, title: str, papers: Sequence[tuple[str, Bound]], marks: Sequence[tuple[str, str]] = ()
) -> bytes:
    """Return a PDF: the front pages, a page of contents, and each paper's pages stamped with its own words.

    ``papers`` pairs the stamp ("C-0007 · line 3") with a paper; ``marks`` are (words, text to look for) that become
    bookmarks of the front pages. No more than ``MOST_PAGES`` pages of evidence go in; what is left out is said.
    """
    first = PdfReader(io.BytesIO(front))
    fits, left = fitting([replace(bound, label=joined(": ", (stamp, bound.label))) for stamp, bound in papers])
    listed = contents(title, fits, left, len(first.pages), say(" of evidence"))
    writer = PdfWriter()
    for page in first.pages:
        writer.add_page(page)
    for words, text in marks:
        number = next((n for n, page in enumerate(first.pages) if str(text) in (page.extract_text() or "")), None)
        if number is not None:
            writer.add_outline_item(title=str(words), page_number=number)
    writer.add_outline_item(title=str(say("Contents of the evidence")), page_number=len(writer.pages))
    for page in listed.pages:
        writer.add_page(page)
    texts = [
        str(
            say(
                "{stamp} · page {n} of {pages_count} · {bound_label}",
                stamp=stamp,
                n=n,
                pages_count=len(fit.pages),
                bound_label=bound.label,
            )
        )[:130]
        for (stamp, bound), fit in zip(papers, fits, strict=True)
        for n in range(1, len(fit.pages) + 1)
    ]
    blanks = iter(PdfReader(io.BytesIO(stamps(texts))).pages if texts else [])
    for fit in fits:
        if fit.pages:
            writer.add_outline_item(title=str(fit.label), page_number=len(writer.pages))
        for picture in fit.pages:
            _lay(writer, writer.add_page(next(blanks)), picture)
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def _lay(writer: PdfWriter, page: PageObject, picture: bytes) -> None:
    """Lay a picture of a page on an A4 page above its stamp, as large as it fits.

    The pictures of pages are our own JPEG files: they go in as they are, so that many pages are laid out quickly.
    """
    with Image.open(io.BytesIO(picture)) as image:
        width, height = image.size
        kind = {"RGB": "/DeviceRGB", "L": "/DeviceGray"}.get(image.mode) if image.format == "JPEG" else None
        if kind is None:
            out = io.BytesIO()
            image.convert("RGB").save(out, "JPEG", quality=85)
            picture, kind = out.getvalue(), "/DeviceRGB"
    stream = StreamObject()
    stream.set_data(picture)
    for name, value in (
        ("/Type", NameObject("/XObject")), ("/Subtype", NameObject("/Image")), ("/Width", NumberObject(width)),
        ("/Height", NumberObject(height)), ("/ColorSpace", NameObject(kind)), ("/BitsPerComponent", NumberObject(8)),
        ("/Filter", NameObject("/DCTDecode")),
    ):  # fmt: skip
        stream[NameObject(name)] = value
    resources = page.setdefault(NameObject("/Resources"), DictionaryObject()).get_object()
    images = resources.setdefault(NameObject("/XObject"), DictionaryObject()).get_object()
    images[NameObject("/Evidence")] = writer._add_object(stream)
    scale = min((WIDTH - 2 * MARGIN) / width, (HEIGHT - MARGIN - FOOT) / height)
    x, y = (WIDTH - width * scale) / 2, FOOT + (HEIGHT - MARGIN - FOOT - height * scale)
    drawing = f"q {width * scale:.2f} 0 0 {height * scale:.2f} {x:.2f} {y:.2f} cm /Evidence Do Q\n"
    content = DecodedStreamObject()
    stamp = page.get_contents()
    content.set_data(drawing.encode() + (stamp.get_data() if stamp is not None else b""))
    page[NameObject("/Contents")] = writer._add_object(content)
