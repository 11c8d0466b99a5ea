"""Reads receipts on the machine itself with Tesseract, after turning the page and evening its light."""

from __future__ import annotations

import io
import re
from functools import lru_cache

import numpy
import pytesseract
from PIL import Image
from scipy import ndimage
from text_unidecode import unidecode

from wainwright.formats.pictures import Page, Word

WANTED_WIDTH = 1400
TURN_STEPS = numpy.arange(-8, 8.01, 1.0)
UPSIDE = (90, 270, 180)
GOOD = 0.62
SECOND_SCALE, DOUBTED = 0.7, 0.5
# Models and layouts of the two looks: the quick one, its words wherever they stand; all of Latin writing, line by line.
FIRST, SECOND, SPARSE, BLOCK = "eng", "Latin", 11, 6
# So many letters before a figure its thousands may stand.
CLOSE = 1.6
_FIGURE = re.compile(r"\d[.,]\d\d\b")

# A word as Tesseract gives it: top, left, width, height, sure in per cent, text.
Row = tuple[int, int, int, int, float, str]


class Standin:
    """The reader; words that a PDF carries itself are taken as they are."""

    def words(self, page: Page, number: int) -> list[Word]:
        """Return the words of a page with their boxes on the page as it was sent."""
        if page.words:
            return list(page.words)
        image = Image.open(io.BytesIO(page.content)).convert("L")
        best: list[Word] = []
        for quarter in (0, *UPSIDE):
            turned = image.rotate(quarter, expand=True)
            words = _read(turned, number)
            if _worth(words) > _worth(best):
                best = [_back(word, quarter, image.size) for word in words]
            if words and sum(w.sure for w in words) / len(words) >= GOOD and len(words) >= 6:
                break
        return best


def _worth(words: list[Word]) -> float:
    return sum(word.sure * len(word.text) for word in words if word.sure > 0.5)


def evened(image: Image.Image) -> tuple[Image.Image, float]:
    """Return the picture with its light evened and its lines level, and the scale it was brought to."""
    scale = min(3.0, WANTED_WIDTH / max(1, image.width))
    if scale != 1:
        image = image.resize(
            (max(1, round(image.width * scale)), max(1, round(image.height * scale))), Image.Resampling.LANCZOS
        )
    pixels = numpy.asarray(image, dtype=numpy.float32)
    # Paper is what is brightest around a point; dividing by it takes shadows out.
    small = pixels[::8, ::8]
    paper = ndimage.gaussian_filter(ndimage.maximum_filter(small, size=9), 6)
    zoom = (pixels.shape[0] / paper.shape[0], pixels.shape[1] / paper.shape[1])
    paper = ndimage.zoom(paper, zoom, order=1)[: pixels.shape[0], : pixels.shape[1]]
    flat = numpy.clip(pixels / numpy.maximum(paper, 1) * 255, 0, 255)
    flat = numpy.clip((flat - 90) * 255 / 130, 0, 255)
    return Image.fromarray(flat.astype(numpy.uint8)), scale


def skew(image: Image.Image) -> float:
    """Return by how many degrees the lines are turned: the turn at which rows of ink are sharpest."""
    small = image.copy()
    small.thumbnail((500, 700))
    ink = 255.0 - numpy.asarray(small, dtype=numpy.float32)

    def sharpness(angle: float) -> float:
        rows = ndimage.rotate(ink, angle, reshape=False, order=1).sum(axis=1)
        return float(numpy.square(numpy.diff(rows)).sum())

    coarse = max(TURN_STEPS, key=sharpness)
    fine = numpy.arange(coarse - 0.75, coarse + 0.76, 0.25)
    return float(max(fine, key=sharpness))


def paper_box(image: Image.Image) -> tuple[int, int, int, int]:
    """Return where the paper lies on the picture (left, top, right, bottom): the largest bright patch, or all of it."""
    step = max(1, image.width // 200)
    small = ndimage.gaussian_filter(numpy.asarray(image, dtype=numpy.float32)[::step, ::step], 2)
    low, high = numpy.percentile(small, [2, 98])
    patches, count = ndimage.label(small > low + (high - low) * 0.45)
    if not count:
        return (0, 0, image.width, image.height)
    sizes = ndimage.sum_labels(numpy.ones_like(small), patches, range(1, count + 1))
    rows, columns = ndimage.find_objects(patches)[int(numpy.argmax(sizes))]
    if sizes.max() < 0.15 * small.size:
        return (0, 0, image.width, image.height)
    return (
        columns.start * step,
        rows.start * step,
        min(image.width, columns.stop * step),
        min(image.height, rows.stop * step),
    )


def _read(image: Image.Image, number: int) -> list[Word]:
    box = paper_box(image)
    flat, scale = evened(image.crop(box))
    angle = skew(flat)
    level = flat.rotate(angle, resample=Image.Resampling.BICUBIC, fillcolor=255) if abs(angle) > 0.2 else flat
    rows = _looked_at_twice(_rows(level), level)
    words = []
    cos, sin = numpy.cos(numpy.radians(angle)), numpy.sin(numpy.radians(angle))
    centre_x, centre_y = level.width / 2, level.height / 2
    for line, (top, left, width, height, sure, text) in _by_line(rows):
        # The middle of the box is turned back to where it was on the page.
        dx, dy = left + width / 2 - centre_x, top + height / 2 - centre_y
        x = (cos * dx - sin * dy + centre_x - width / 2) / scale + box[0]
        y = (sin * dx + cos * dy + centre_y - height / 2) / scale + box[1]
        words.append(
            Word(text, sure / 100, number, max(0, int(x)), max(0, int(y)),
                 max(1, int(width / scale)), max(1, int(height / scale)), line)
        )  # fmt: skip
    return words


def _rows(level: Image.Image, language: str = FIRST, layout: int = SPARSE) -> list[Row]:
    """Return the words of a level picture."""
    try:
        data = pytesseract.image_to_data(
            level, lang=language, config=f"--psm {layout}", output_type=pytesseract.Output.DICT, timeout=25
        )
    except pytesseract.TesseractNotFoundError as error:
        raise RuntimeError("Tesseract is not installed on this machine.") from error
    return [
        (data["top"][i], data["left"][i], data["width"][i], data["height"][i], float(data["conf"][i]), text.strip())
        for i, text in enumerate(data["text"])
        if any(c.isalnum() or c in "*€£$%" for c in text) and float(data["conf"][i]) >= 0
    ]


def _looked_at_twice(rows: list[Row], level: Image.Image) -> list[Row]:
    """Look again, on a smaller picture, with all the letters of Latin writing, and line by line.

    Figures that read differently lose trust: a 5 taken for a 9 is sure of itself. A thin 1 before its thousands that was
    passed over is put back. Letters get the marks that they have.
    """
    if not any(_FIGURE.search(row[5]) for row in rows):
        return rows
    smaller = level.resize(
        (round(level.width * SECOND_SCALE), round(level.height * SECOND_SCALE)), Image.Resampling.LANCZOS
    )
    again = [
        (*(round(part / SECOND_SCALE) for part in row[:4]), row[4], row[5]) for row in _rows(smaller, _second(), BLOCK)
    ]
    looked: list[Row] = []
    for row in rows:
        there = _there(row, again)
        if _FIGURE.search(row[5]):
            if there and all(_digits(o[5]) != _digits(row[5]) for o in there):
                row = (*row[:4], row[4] * DOUBTED, row[5])
            looked += _thousands(row, rows, again)
        elif len(there) == 1 and there[0][5] != row[5] and unidecode(there[0][5]) == unidecode(row[5]):
            row = (*row[:4], max(row[4], there[0][4]), there[0][5])
        looked.append(row)
    return looked


@lru_cache(maxsize=1)
def _second() -> str:
    """The model of the second look, or the first one's on a machine without it."""
    return SECOND if SECOND in pytesseract.get_languages() else FIRST


def _there(row: Row, others: list[Row]) -> list[Row]:
    """Which words of another reading lie on the middle of a word."""
    x, y = row[1] + row[2] / 2, row[0] + row[3] / 2
    return [o for o in others if o[1] <= x <= o[1] + o[2] and o[0] <= y <= o[0] + o[3]]


def _thousands(row: Row, rows: list[Row], again: list[Row]) -> list[Row]:
    """The digits close before a figure that only the second look has seen."""
    top, left, width, height, _, text = row
    letter = width / max(1, len(text))
    for other in again:
        gap = left - other[1] - other[2]
        middle = other[0] + other[3] / 2
        close = -letter / 2 <= gap <= letter * CLOSE and top <= middle <= top + height
        if close and other[5].isdecimal() and len(other[5]) <= 3 and not _there(other, rows):
            return [other]
    return []


def _digits(text: str) -> str:
    return "".join(c for c in text if c.isdecimal())


def _by_line(rows: list[Row]) -> list[tuple[int, Row]]:
    """Number the lines of level text: words whose middles are within half a word's height stand on one line."""
    found, line, middle = [], -1, -1e9
    for row in sorted(rows, key=lambda row: row[0] + row[3] / 2):
        here = row[0] + row[3] / 2
        if here - middle > 0.6 * max(row[3], 12):
            line += 1
            middle = here
        found.append((line, row))
    # Within a line from left to right, as the level page is read.
    return sorted(found, key=lambda pair: (pair[0], pair[1][1]))


def _back(word: Word, quarter: int, size: tuple[int, int]) -> Word:
    """Turn a box found on a page rotated by ``quarter`` degrees back onto the page of ``size``."""
    width, height = size
    x, y, w, h = word.x, word.y, word.width, word.height
    if quarter == 90:
        x, y, w, h = width - y - h, x, h, w
    elif quarter == 270:
        x, y, w, h = y, height - x - w, h, w
    elif quarter == 180:
        x, y = width - x - w, height - y - h
    return Word(word.text, word.sure, word.page, max(0, x), max(0, y), w, h, word.line)
