"""Run as a process of its own: the pages of a PDF as pictures and words, within bounds of memory and time.

Usage: ``python -m wainwright.formats.pdf_pages FILE FOLDER MOST_PAGES``. Exit status 3 with a
sentence for the person when the PDF cannot be taken.
"""

from __future__ import annotations

import json
import resource
import sys
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any

import pypdfium2 as pdfium

from wainwright.core.said import said_by, say

# So many signs of a page are read; how far apart, in heights of a line, its rows, words and letters stand.
MOST_SIGNS, SAME_LINE, WORD_GAP, LETTER_GAP, FEW = 40_000, 0.4, 0.16, 0.7, 3
# How much the same steps may differ, and how many of a line have to be the same.
SAME_STEP, MOSTLY = 1.05, 0.6
MEMORY, SECONDS, LONG_EDGE = 1_500_000_000, 45, 2200


def main(source: str, folder: str, most: int) -> None:
    """Write ``pages.json`` and a JPEG for every page."""
    for kind, most in ((resource.RLIMIT_AS, MEMORY), (resource.RLIMIT_CPU, SECONDS)):
        # Whoever began this process may be bounded more narrowly already.
        hard = resource.getrlimit(kind)[1]
        most = most if hard == resource.RLIM_INFINITY else min(most, hard)
        resource.setrlimit(kind, (most, most))
    try:
        document = pdfium.PdfDocument(source)
    except pdfium.PdfiumError as error:
        word = "password" in said_by(error).lower()
        print(
            say("The PDF asks for a password. Save it without one.")
            if word
            else say("The PDF is damaged and cannot be opened.")
        )
        sys.exit(3)
    if document.get_formtype() != pdfium.raw.FORMTYPE_NONE:
        # What was filled in is drawn, and flattened into the page it is read with the rest.
        document.init_forms()
    if len(document) > most:
        print(
            say(
                "The PDF has {document_count} pages, {most} are taken. Send only the pages of the bill.",
                document_count=len(document),
                most=most,
            )
        )
        sys.exit(3)
    rows = [_page(document, number, folder) for number in range(len(document))]
    Path(folder, "pages.json").write_text(json.dumps(rows))


def _page(document: Any, number: int, folder: str) -> dict[str, Any]:
    page = document[number]
    if document.formenv is not None and page.flatten() == pdfium.raw.FLATTEN_SUCCESS:
        page.close()
        page = document[number]
    width, height = page.get_size()
    if width < 1 or height < 1:
        print(say("The PDF has a page without a size."))
        sys.exit(3)
    scale = min(3.0, LONG_EDGE / max(width, height))
    picture = page.render(scale=scale).to_pil().convert("RGB")
    name = f"page-{number}.jpg"
    picture.save(Path(folder, name), "JPEG", quality=85)
    return {
        "file": name, "width": picture.width, "height": picture.height,
        "words": _words(page, number, scale),
    }  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Sign:
    """A sign on a page, in points from the top left; ``parted`` where the file itself has a blank before it."""

    left: float
    top: float
    right: float
    bottom: float
    text: str
    parted: bool


def _signs(page: Any) -> list[_Sign]:
    text, found, parted = page.get_textpage(), [], False
    height = page.get_height()
    for index in range(min(text.count_chars(), MOST_SIGNS)):
        # What the library adds between pieces is a guess; distance says it better.
        if pdfium.raw.FPDFText_IsGenerated(text, index) == 1:
            continue
        sign = chr(pdfium.raw.FPDFText_GetUnicode(text, index))
        if not sign.isprintable() or sign.isspace():
            parted = True
            continue
        left, bottom, right, top = text.get_charbox(index, loose=True)
        found.append(_Sign(left, height - top, right, height - bottom, sign, parted))
        parted = False
    return found


def _words(page: Any, number: int, scale: float) -> list[dict[str, Any]]:
    """Cut the page's text into words with boxes, line by line from the top, by where its signs stand."""
    rows: list[list[_Sign]] = []
    base = -100.0
    for sign in sorted(_signs(page), key=lambda each: (each.top + each.bottom, each.left)):
        middle = (sign.top + sign.bottom) / 2
        if not rows or abs(middle - base) > max(2.0, (sign.bottom - sign.top) * SAME_LINE):
            rows.append([])
            base = middle
        rows[-1].append(sign)
    words = []
    for line, row in enumerate(rows):
        for word in _cut(sorted(row, key=lambda each: each.left)):
            left, top = min(s.left for s in word), min(s.top for s in word)
            right, bottom = max(s.right for s in word), max(s.bottom for s in word)
            words.append({
                "text": "".join(s.text for s in word), "sure": 1.0, "page": number, "line": line, "x": int(left * scale), "y": int(top * scale),
                "width": max(1, int((right - left) * scale)), "height": max(1, int((bottom - top) * scale)),
            })  # fmt: skip
    return words


def _cut(row: list[_Sign]) -> list[list[_Sign]]:
    """Cut a line into words: at blanks, and where signs stand further apart than the letters of a word do on this line."""
    gaps = sorted(right.left - left.right for left, right in pairwise(row) if not right.parted)
    height = sorted(sign.bottom - sign.top for sign in row)[len(row) // 2]
    usual = max(0.0, gaps[len(gaps) // 2]) if len(gaps) >= FEW else 0.0
    widest = min(usual + WORD_GAP * height, LETTER_GAP * height)
    step = _step(row)
    words: list[list[_Sign]] = []
    for before, sign in zip([None, *row], row, strict=False):
        close = before is not None and (
            sign.left - before.right <= widest or (step > 0 and sign.left - before.left <= step * SAME_STEP)
        )
        if before is None or sign.parted or not close:
            words.append([])
        elif (sign.text, round(sign.left), round(sign.top)) == (before.text, round(before.left), round(before.top)):
            # Printed twice on one place, to look bold.
            continue
        words[-1].append(sign)
    return words


def _step(row: list[_Sign]) -> float:
    """How far each sign of a line begins after the one before, where all keep the same distance whatever their width; else 0."""
    steps = [right.left - left.left for left, right in pairwise(row)]
    usual = sorted(steps)[len(steps) // 2] if len(steps) >= FEW else 0.0
    same = sum(abs(each - usual) <= usual * (SAME_STEP - 1) for each in steps)
    return usual if same >= MOSTLY * len(steps) else 0.0


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2], int(sys.argv[3]))
