"""All papers of a claim or a trip as one PDF: a page of contents, then every page as a picture."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

from PIL import Image
from pypdf import PdfReader, PdfWriter

from wainwright.formats.sheets import Row, sheet

LONG_EDGE, MOST_PAGES = 1600, 400


@dataclass(frozen=True, slots=True)
class Bound:
    """One paper of a binder: what it is, a detail beside it, and its pages as JPEG pictures."""

    label: str
    detail: str
    pages: tuple[bytes, ...]


def bind(title: str, papers: Sequence[Bound]) -> bytes:
    """Return the PDF. Pages are pictures, so that nothing that was hidden in somebody's file travels on."""
    rows: list[Row] = []
    number, left = 2, 0
    fitting: list[Bound] = []
    for paper in papers:
        room = max(0, MOST_PAGES + 2 - number)
        fits = Bound(paper.label, paper.detail, paper.pages[:room])
        fitting.append(fits)
        left += len(paper.pages) - len(fits.pages)
        rows.append((paper.label, f"{paper.detail}, page {number}" if fits.pages else f"{paper.detail}, no page"))
        number += len(fits.pages)
    if left:
        rows.insert(0, f"{left} more pages are not in this file: it holds {MOST_PAGES}.")
    contents = PdfReader(io.BytesIO(sheet(title, rows or ["There are no papers."])))
    # A long page of contents moves every number; it is set again with what it takes.
    if len(contents.pages) > 1:
        more = len(contents.pages) - 1
        rows = [_moved(row, more) for row in rows]
        contents = PdfReader(io.BytesIO(sheet(title, rows)))
    writer = PdfWriter()
    for page in contents.pages:
        writer.add_page(page)
    for paper in fitting:
        start = len(writer.pages)
        for picture in paper.pages:
            writer.append(io.BytesIO(_page(picture)))
        if len(writer.pages) > start:
            writer.add_outline_item(title=paper.label, page_number=start)
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def _moved(row: Row, more: int) -> Row:
    if isinstance(row, str) or ", page " not in row[1]:
        return row
    detail, _, number = row[1].rpartition(", page ")
    return row[0], f"{detail}, page {int(number) + more}"


def _page(picture: bytes) -> bytes:
    with Image.open(io.BytesIO(picture)) as image:
        flat = image.convert("RGB")
        flat.thumbnail((LONG_EDGE, LONG_EDGE))
        out = io.BytesIO()
        flat.save(out, "PDF", resolution=150)
    return out.getvalue()
