"""Run as a process of its own: the pages of a PDF as pictures and words, within bounds of memory and time.

Usage: ``python -m wainwright.formats.pdf_pages FILE FOLDER MOST_PAGES``. Exit status 3 with a
sentence for the person when the PDF cannot be taken.
"""

from __future__ import annotations

import json
import resource
import sys
from pathlib import Path
from typing import Any

import pypdfium2 as pdfium

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
        word = "password" in str(error).lower()
        print(
            "The PDF asks for a password. Save it without one." if word else "The PDF is damaged and cannot be opened."
        )
        sys.exit(3)
    if len(document) > most:
        print(f"The PDF has {len(document)} pages, {most} are taken. Send only the pages of the bill.")
        sys.exit(3)
    rows = [_page(document, number, folder) for number in range(len(document))]
    Path(folder, "pages.json").write_text(json.dumps(rows))


def _page(document: Any, number: int, folder: str) -> dict[str, Any]:
    page = document[number]
    width, height = page.get_size()
    if width < 1 or height < 1:
        print("The PDF has a page without a size.")
        sys.exit(3)
    scale = min(3.0, LONG_EDGE / max(width, height))
    picture = page.render(scale=scale).to_pil().convert("RGB")
    name = f"page-{number}.jpg"
    picture.save(Path(folder, name), "JPEG", quality=85)
    return {
        "file": name, "width": picture.width, "height": picture.height,
        "words": _words(page, number, scale, height),
    }  # fmt: skip


def _words(page: Any, number: int, scale: float, height: float) -> list[dict[str, Any]]:
    """Cut the page's text into words with boxes, line by line from the top."""
    text = page.get_textpage()
    boxes = []
    for index in range(min(text.count_rects(), 4000)):
        left, bottom, right, top = text.get_rect(index)
        content = text.get_text_bounded(left, bottom, right, top).strip()
        if content:
            boxes.append((height - top, left, right, height - bottom, content))
    boxes.sort()
    words, line, base = [], 0, -100.0
    rows: list[list[tuple[float, float, float, float, str]]] = []
    for box in boxes:
        middle = (box[0] + box[3]) / 2
        if abs(middle - base) > max(3.0, (box[3] - box[0]) * 0.6):
            rows.append([])
            base = middle
        rows[-1].append(box)
    for line, row in enumerate(rows):
        for top, left, right, bottom, content in sorted(row, key=lambda box: box[1]):
            pieces = content.split()
            step = (right - left) / max(1, len(content))
            at = 0
            for piece in pieces:
                at = content.index(piece, at)
                words.append({
                    "text": piece, "sure": 1.0, "page": number, "line": line,
                    "x": int((left + at * step) * scale), "y": int(top * scale),
                    "width": max(1, int(len(piece) * step * scale)), "height": max(1, int((bottom - top) * scale)),
                })  # fmt: skip
                at += len(piece)
    return words


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2], int(sys.argv[3]))
