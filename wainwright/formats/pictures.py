"""Receipts as files: what they are by content, their pages as pictures, and the text a PDF carries."""

from __future__ import annotations

import io
import json
import re
import subprocess
import sys
import tempfile
import warnings
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image, ImageFile, ImageOps
from pillow_heif import register_heif_opener

from wainwright.core.said import say
from wainwright.formats.problems import Unreadable

register_heif_opener()
MOST_POINTS = 60_000_000
# Ten times that and more is no picture; what lies between is opened smaller where its format can, else refused.
Image.MAX_IMAGE_PIXELS = MOST_POINTS * 5

MOST_BYTES = 20_000_000
MOST_PAGES = 30
LONG_EDGE = 2200
_TOO_LARGE = say("The picture has more than 60 million points. Take it in a lower resolution.")
_OPENED = ("JPEG", "PNG", "WEBP", "HEIF")
# How a file begins, and what it then is; pictures that are known and not taken have no kind.
_BEGINS = [
    (re.compile(pattern, re.S), kind) for pattern, kind in (
        (rb"\xff\xd8\xff", "image/jpeg"), (rb"\x89PNG\r\n\x1a\n", "image/png"), (rb"RIFF.{4}WEBP", "image/webp"),
        (rb".{4}ftyp(heic|heix|hevc|hevx|heim|heis|hevm|hevs|heif|mif1|msf1)", "image/heic"),
        (rb"GIF8|BM|II\*\x00|MM\x00\*|.{4}ftypavif", ""),
    )
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Word:
    """A word on a page with its box in pixels of the page's picture, and how sure it is (0 to 1)."""

    text: str
    sure: float
    page: int
    x: int
    y: int
    width: int
    height: int
    line: int


@dataclass(frozen=True, slots=True)
class Page:
    """One page as a PNG or JPEG picture, with the words that the file itself carries (PDF text)."""

    content: bytes
    width: int
    height: int
    words: tuple[Word, ...] = ()


def media_type(content: bytes) -> str:
    """Say what a file is by how it begins, never by its name: nothing of it is opened. Raises ``Unreadable`` with what is taken."""
    if not content:
        raise Unreadable(say("The file is empty."))
    if len(content) > MOST_BYTES:
        raise Unreadable(say("The file is larger than 20 MB. Take the picture in a lower resolution."))
    if content[:1024].lstrip().startswith(b"%PDF-"):
        return "application/pdf"
    for begins, kind in _BEGINS:
        if begins.match(content[:16]):
            if kind:
                return kind
            raise Unreadable(say("This sort of picture is not taken. Taken are JPEG, PNG, WebP, HEIC and PDF."))
    raise Unreadable(
        say("This is neither a picture nor a PDF, whatever its name says. Taken are JPEG, PNG, WebP, HEIC and PDF.")
    )


def pages_of(content: bytes) -> list[Page]:
    """Return the pages of a picture or PDF. Raises ``Unreadable``. It parses what strangers send: see ``formats.apart``."""
    if media_type(content) == "application/pdf":
        return _pdf_pages(content)
    # Other libraries of the process may have allowed cut-off pictures; a receipt that breaks off is not read.
    ImageFile.LOAD_TRUNCATED_IMAGES = False
    try:
        # What a camera writes beside the picture may be damaged; Pillow warns of it already while it opens one.
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(content), formats=_OPENED) as image:
                if image.format == "JPEG" and image.width * image.height > MOST_POINTS:
                    # Opened at a half, a quarter or an eighth, as the format allows.
                    image.draft("RGB", (LONG_EDGE, LONG_EDGE))
                if image.width * image.height > MOST_POINTS:
                    raise Unreadable(_TOO_LARGE)
                upright = _on_white(_upright(image))
                upright.thumbnail((LONG_EDGE, LONG_EDGE))
                return [_page(upright)]
    except Unreadable:
        raise
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        raise Unreadable(_TOO_LARGE) from error
    except Exception as error:
        raise Unreadable(say("The picture is damaged: it breaks off before its end. Take or send it again.")) from error


def _on_white(image: Image.Image) -> Image.Image:
    """A picture in plain colours, as it looks on white paper: what is clear is white, and 16 bits of grey are made eight."""
    if image.mode.startswith("I") or image.mode == "F":
        shades = np.asarray(image, dtype=np.float64)
        most = 65535.0 if shades.max(initial=0) > 255 else 255.0
        return Image.fromarray((np.clip(shades / most, 0, 1) * 255).astype(np.uint8)).convert("RGB")
    if image.has_transparency_data:
        clear = image.convert("RGBA")
        paper = Image.new("RGBA", clear.size, "white")
        paper.alpha_composite(clear)
        return paper.convert("RGB")
    return image.convert("RGB")


def _upright(image: Image.Image) -> Image.Image:
    """Turn a picture as its camera says; where what the camera wrote is damaged, the picture itself still counts."""
    image.load()
    try:
        return ImageOps.exif_transpose(image)
    except Exception:  # noqa: BLE001 - the same: which way up is a comfort, the picture is the evidence
        return image.copy()


def _page(image: Image.Image) -> Page:
    # Saving anew drops what a camera writes beside the picture: position, device, time.
    out = io.BytesIO()
    image.save(out, "JPEG", quality=88)
    return Page(out.getvalue(), image.width, image.height)


def _pdf_pages(content: bytes) -> list[Page]:
    """Open a PDF in a process of its own with little memory and time, since a PDF can be made to burst."""
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder, "in.pdf")
        source.write_bytes(content)
        command = [sys.executable, "-m", "wainwright.formats.pdf_pages", str(source), folder, str(MOST_PAGES)]
        try:
            done = subprocess.run(command, capture_output=True, timeout=35, check=False)
        except subprocess.TimeoutExpired as error:
            raise Unreadable(
                say("The PDF takes too long to open. Print it to a new PDF, or send a picture.")
            ) from error
        if done.returncode == 3:
            raise Unreadable(done.stdout.decode().strip())
        if done.returncode != 0:
            raise Unreadable(say("The PDF is damaged, or far larger inside than it looks. Send a picture instead."))
        pages = []
        for row in json.loads(Path(folder, "pages.json").read_text()):
            picture = Path(folder, row["file"]).read_bytes()
            words = tuple(Word(**word) for word in row["words"])
            pages.append(Page(picture, row["width"], row["height"], words))
        return pages
