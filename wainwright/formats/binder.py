"""All papers of a claim or a trip as one PDF: a page of contents, then every page as a picture."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

from PIL import Image
from pypdf import PdfReader, PdfWriter

from wainwright.core.said import joined, say
from wainwright.formats.sheets import Row, sheet

LONG_EDGE, MOST_PAGES = 1600, 400


@dataclass(frozen=True, slots=True)
class Bound:
    """One paper of a binder: what it is, a detail beside it, and its pages as JPEG pictures."""

    label: str
    detail: str
    pages: tuple[bytes, ...]


def fitting(papers: Sequence[Bound]) -> tuple[list[Bound], int]:
    """Return papers with the pages for which a file has room, ``MOST_PAGES`` in all, and how many pages are left out."""
    found, used = [], 0
    for paper in papers:
        pages = paper.pages[: MOST_PAGES - used]
        found.append(Bound(paper.label, paper.detail, pages))
        used += len(pages)
    return found, sum(len(paper.pages) for paper in papers) - used


def contents(title: str, papers: Sequence[Bound], left: int, before: int = 0, of: str = "") -> PdfReader:
    """Return the contents of papers that fit, with the page on which each begins; ``before`` is what stands before them.

    Where pages are ``left`` out it says so: the file holds so many ``of`` them.
    """

    def laid(own: int) -> PdfReader:
        rows: list[Row] = (
            [
                say(
                    "{left} more pages are not in this file: it holds {most_pages}{of}.",
                    left=left,
                    most_pages=MOST_PAGES,
                    of=of,
                )
            ]
            if left
            else []
        )
        number = before + own + 1
        for paper in papers:
            where = say("page {number}", number=number) if paper.pages else say("no page")
            rows.append((paper.label, joined(", ", (paper.detail, where)) if paper.detail else where))
            number += len(paper.pages)
        return PdfReader(io.BytesIO(sheet(title, rows or [say("There are no papers.")])))

    # Long contents move every number; they are set again with what they take.
    first = laid(1)
    return first if len(first.pages) == 1 else laid(len(first.pages))


def bind(title: str, papers: Sequence[Bound]) -> bytes:
    """Return the PDF. Pages are pictures, so that nothing that was hidden in somebody's file travels on."""
    fits, left = fitting(papers)
    writer = PdfWriter()
    for page in contents(title, fits, left).pages:
        writer.add_page(page)
    for paper in fits:
        start = len(writer.pages)
        for picture in paper.pages:
            writer.append(io.BytesIO(_page(picture)))
        if len(writer.pages) > start:
            writer.add_outline_item(title=str(paper.label), page_number=start)
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def _page(picture: bytes) -> bytes:
    with Image.open(io.BytesIO(picture)) as image:
        flat = image.convert("RGB")
        flat.thumbnail((LONG_EDGE, LONG_EDGE))
        out = io.BytesIO()
        flat.save(out, "PDF", resolution=150)
    return out.getvalue()
