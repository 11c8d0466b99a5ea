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
    number, kept = 2, 0
    for paper in papers:
        rows.append((paper.label, f"{paper.detail}, page {number}" if paper.pages else f"{paper.detail}, no page"))
        number += len(paper.pages)
    contents = PdfReader(io.BytesIO(sheet(title, rows or ["There are no papers."])))
    # A long page of contents moves every number; it is set again with what it takes.
    if len(contents.pages) > 1:
        more = len(contents.pages) - 1
        rows = [_moved(row, more) for row in rows]
        contents = PdfReader(io.BytesIO(sheet(title, rows)))
    writer = PdfWriter()
    for page in contents.pages:
        writer.add_page(page)
    for paper in papers:
        start = len(writer.pages)
        for picture in paper.pages:
            if kept >= MOST_PAGES:
                break
            writer.append(io.BytesIO(_page(picture)))
            kept += 1
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
