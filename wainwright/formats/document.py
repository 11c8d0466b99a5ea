"""A document with its evidence: front pages, contents, then every paper on pages that are stamped with what they prove."""

from __future__ import annotations

import io
from collections.abc import Sequence

from PIL import Image
from pypdf import PageObject, PdfReader, PdfWriter, Transformation

from wainwright.formats.binder import LONG_EDGE, MOST_PAGES, Bound
from wainwright.formats.sheets import Row, sheet, stamps

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
    rows, fitting, left, used = _contents(papers, len(first.pages))
    if left:
        rows.insert(0, f"{left} more pages are not in this file: it holds {MOST_PAGES} of evidence.")
    contents = PdfReader(io.BytesIO(sheet(title, rows or ["There are no papers."])))
    if len(contents.pages) > 1:
        rows, *_ = _contents(papers, len(first.pages) + len(contents.pages) - 1)
        contents = PdfReader(io.BytesIO(sheet(title, rows)))
    writer = PdfWriter()
    for page in first.pages:
        writer.add_page(page)
    for words, text in marks:
        number = next((n for n, page in enumerate(first.pages) if text in (page.extract_text() or "")), None)
        if number is not None:
            writer.add_outline_item(title=words, page_number=number)
    writer.add_outline_item(title="Contents of the evidence", page_number=len(writer.pages))
    for page in contents.pages:
        writer.add_page(page)
    texts = [
        f"{stamp} · page {n} of {len(bound.pages)} · {bound.label}"[:130]
        for stamp, bound in fitting
        for n in range(1, len(bound.pages) + 1)
    ]
    blanks = PdfReader(io.BytesIO(stamps(texts))).pages if used else []
    at = 0
    for stamp, bound in fitting:
        if bound.pages:
            writer.add_outline_item(title=f"{stamp}: {bound.label}", page_number=len(writer.pages))
        for picture in bound.pages:
            _lay(writer.add_page(blanks[at]), picture)
            at += 1
    writer.compress_identical_objects()
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def _contents(papers: Sequence[tuple[str, Bound]], before: int) -> tuple[list[Row], list[tuple[str, Bound]], int, int]:
    """The rows of the contents, the papers as far as there is room, and how many pages are left out and put in."""
    rows: list[Row] = []
    fitting, left, used = [], 0, 0
    for stamp, bound in papers:
        pages = bound.pages[: max(0, MOST_PAGES - used)]
        where = f"page {before + 2 + used}" if pages else "no page"
        rows.append((f"{stamp}: {bound.label}", f"{bound.detail}, {where}" if bound.detail else where))
        fitting.append((stamp, Bound(bound.label, bound.detail, pages)))
        left += len(bound.pages) - len(pages)
        used += len(pages)
    return rows, fitting, left, used


def _lay(blank: PageObject, picture: bytes) -> None:
    """Lay a picture of a page on an A4 page above its stamp, as large as it fits."""
    with Image.open(io.BytesIO(picture)) as image:
        # Evidence of many pages is laid out while somebody waits: linear is quick, and as readable.
        flat = image if image.mode == "RGB" else image.convert("RGB")
        flat.thumbnail((LONG_EDGE, LONG_EDGE), Image.Resampling.BILINEAR)
        out = io.BytesIO()
        flat.save(out, "PDF", resolution=150)
    page = PdfReader(io.BytesIO(out.getvalue())).pages[0]
    width, height = float(page.mediabox.width), float(page.mediabox.height)
    scale = min((WIDTH - 2 * MARGIN) / width, (HEIGHT - MARGIN - FOOT) / height)
    x = (WIDTH - width * scale) / 2
    y = FOOT + (HEIGHT - MARGIN - FOOT - height * scale)
    blank.merge_transformed_page(page, Transformation().scale(scale).translate(x, y))
