"""Receipts drawn with known truth: six layouts, four currencies, fonts; clean, or as bad photos with folds, shadows, turns, noise, blur.

The seed decides everything; measure with several, and tune to none.
"""

from __future__ import annotations

import io
import random
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

import numpy
from PIL import Image, ImageDraw, ImageFilter, ImageFont

FONTS = ("DejaVuSans.ttf", "DejaVuSansMono.ttf", "DejaVuSerif.ttf", "DejaVuSansCondensed.ttf", "DejaVuSans-Bold.ttf")
# Currency, country's way with numbers and dates, words for total and tax, tax rate in per cent.
PLACES = {
    "EUR": ("IE", "TOTAL", "VAT", "23"), "NOK": ("NO", "Totalt", "MVA", "25"), "GBP": ("GB", "Amount due", "VAT", "20"), "SEK": ("SE", "SUMMA", "MOMS", "25"),
}  # fmt: skip
SHOPS = (
    "Harbour Chandler", "Lee Cafe", "Fjord Bakeri", "Granite Taxi", "Tern Fuel", "Quay Parking", "Lamp Quay Hotel", "Havnekroa", "Skerry Ferries",
    "Dockside Tools", "Northern Rail Halt", "Gull Bistro", "Mooring Stores", "Pier Nine Kitchen",
)  # fmt: skip
THINGS = (
    "Rope 20 m",
    "Coffee",
    "Lunch of the day",
    "Diesel 31 l",
    "Batteries AA",
    "Parking 4 h",
    "Fare zone 2",
    "Fish soup",
    "Cable ties",
    "Chart 412",
    "Adult, one way",
)
TITLES = {"IE": "{:%d/%m/%Y}", "NO": "{:%d.%m.%Y}", "GB": "{:%d %b %Y}", "SE": "{:%Y-%m-%d}"}


@dataclass(frozen=True)
class Truth:
    """What a drawn receipt says."""

    merchant: str
    date: str
    total: str
    currency: str
    tax: str
    card: str


@dataclass(frozen=True)
class Drawn:
    """A drawn receipt: its picture, its truth, its layout, and whether it is a bad photo."""

    content: bytes
    truth: Truth
    layout: str
    bad: bool


Row = str | tuple[str, str]


def draw(seed: int, bad: bool, today: date) -> Drawn:
    """Draw one receipt. The same seed draws the same one."""
    dice = random.Random(f"{seed}:{bad}")
    currency = dice.choice(list(PLACES))
    country, total_word, tax_word, percent = PLACES[currency]
    layout = dice.choice(list(LAYOUTS))
    shop, day = dice.choice(SHOPS), today - timedelta(days=dice.randint(1, 200))
    prices = [
        Decimal(dice.randint(150, 24000)) / 100 * (9 if currency in ("NOK", "SEK") else 1)
        for _ in range(dice.randint(1, 5))
    ]
    prices = [price.quantize(Decimal("0.01")) for price in prices]
    whole = sum(prices, Decimal(0))
    tax = (whole * Decimal(percent) / (100 + Decimal(percent))).quantize(Decimal("0.01"))
    card = f"{dice.randint(0, 9999):04d}"

    def number(value: Decimal) -> str:
        if country in ("NO", "SE"):
            return f"{value:,.2f}".replace(",", " ").replace(".", ",")
        return f"{value:,.2f}"

    rows = LAYOUTS[layout](
        _Words(
            dice, shop, TITLES[country].format(day), [(dice.choice(THINGS), number(p)) for p in prices], total_word, f"{currency}",
            number(whole), f"{tax_word} {percent} %", number(tax), card,
        )
    )  # fmt: skip
    content = as_picture(rows, bad, dice)
    has_tax = any(tax_word in str(row) for row in rows)
    return Drawn(
        content, Truth(shop, day.isoformat(), str(whole), currency, str(tax) if has_tax else "", card if any(card in str(row) for row in rows) else ""),
        layout, bad,
    )  # fmt: skip


def as_picture(rows: list[Row], bad: bool, dice: random.Random) -> bytes:
    """Print rows and take a picture of them: clean, or as a bad photo."""
    image = _print(rows, dice)
    image = (
        _photo(image, dice)
        if bad
        else image.rotate(dice.uniform(-0.8, 0.8), expand=True, fillcolor=252, resample=Image.Resampling.BICUBIC)
    )
    out = io.BytesIO()
    image.convert("RGB").save(out, "JPEG", quality=70 if bad else 90)
    return out.getvalue()


@dataclass(frozen=True)
class _Words:
    dice: random.Random
    shop: str
    day: str
    lines: list[tuple[str, str]]
    total_word: str
    currency: str
    total: str
    tax_word: str
    tax: str
    card: str


def _till(w: _Words) -> list[Row]:
    return [w.shop.upper(), f"Quay Street {w.dice.randint(1, 90)}", f"{w.day} {w.dice.randint(8, 20)}:{w.dice.randint(10, 59)}", "", *w.lines, "-" * 24,
            (f"{w.total_word} {w.currency}", w.total), (w.tax_word, w.tax), f"Card **** {w.card}", "Thank you"]  # fmt: skip


def _restaurant(w: _Words) -> list[Row]:
    return [
        w.shop,
        "Food and drink",
        f"Table {w.dice.randint(1, 30)}",
        *w.lines,
        "",
        (w.total_word.upper(), f"{w.currency} {w.total}"),
        (w.tax_word, w.tax),
        f"Date: {w.day}",
    ]


def _taxi(w: _Words) -> list[Row]:
    return [
        w.shop.upper(),
        f"Car {w.dice.randint(1, 400)}",
        ("Date", w.day),
        ("Time", "14:22"),
        (w.total_word, f"{w.total} {w.currency}"),
        "Driver keeps no copy",
    ]


def _machine(w: _Words) -> list[Row]:
    return [
        w.shop.upper(),
        "TICKET",
        w.day,
        *w.lines[:1],
        (f"{w.total_word} {w.currency}", w.total),
        f"XXXX XXXX XXXX {w.card}",
    ]


def _fuel(w: _Words) -> list[Row]:
    return [w.shop, f"Org. no {w.dice.randint(100000000, 999999999)}", f"Pump {w.dice.randint(1, 12)}", *w.lines, (f"{w.total_word} {w.currency}", w.total),
            ("of which " + w.tax_word, w.tax), f"{w.day} 07:41", f"**** **** **** {w.card}"]  # fmt: skip


def _bill(w: _Words) -> list[Row]:
    return [
        w.shop,
        "Harbour Road 3",
        "",
        f"Bill {w.dice.randint(1000, 99999)}",
        f"Date {w.day}",
        "",
        *w.lines,
        "",
        (w.tax_word, w.tax),
        (f"{w.total_word} {w.currency}", w.total),
        "Paid with thanks",
    ]


LAYOUTS: dict[str, Callable[[_Words], list[Row]]] = {
    "till": _till, "restaurant": _restaurant, "taxi": _taxi, "machine": _machine, "fuel": _fuel, "bill": _bill,
}  # fmt: skip


def _font(name: str, size: int):
    try:
        return ImageFont.truetype(name, size)
    except OSError:
        return ImageFont.load_default(size=size)


def _print(rows: list[Row], dice: random.Random) -> Image.Image:
    size, width = dice.randint(24, 34), dice.randint(680, 900)
    font, step = _font(dice.choice(FONTS), size), int(size * dice.uniform(1.4, 1.8))
    image = Image.new("L", (width, 120 + len(rows) * step), 252)
    pen, ink = ImageDraw.Draw(image), dice.randint(15, 70)
    for number, row in enumerate(rows):
        y = 60 + number * step
        left, right = row if isinstance(row, tuple) else (row, "")
        x = 60 if right or dice.random() < 0.6 else max(60, (width - pen.textlength(left, font=font)) // 2)
        pen.text((x, y), left, font=font, fill=ink)
        pen.text((width - 60 - pen.textlength(right, font=font), y), right, font=font, fill=ink)
    return image


def _photo(paper: Image.Image, dice: random.Random) -> Image.Image:
    rng = numpy.random.default_rng(dice.randint(0, 10**6))
    pixels = numpy.asarray(paper, dtype=float)
    for _ in range(dice.randint(0, 2)):
        # A fold: a line of light and dark across the paper.
        at = rng.integers(60, pixels.shape[0] - 60)
        rows = numpy.arange(pixels.shape[0])
        pixels *= 1 - 0.22 * numpy.exp(-((rows - at) ** 2) / 60)[:, None]
    edge = dice.randint(60, 160)
    table = numpy.full((pixels.shape[0] + 2 * edge, pixels.shape[1] + 2 * edge), float(dice.randint(50, 130)))
    table[edge:-edge, edge:-edge] = pixels
    image = Image.fromarray(numpy.clip(table, 0, 255).astype("uint8"))
    lean = dice.uniform(-0.03, 0.03)
    w, h = image.size
    image = image.transform(
        (w, h),
        Image.Transform.QUAD,
        (0, 0, w * lean if lean > 0 else 0, h, w, h, w - (w * -lean if lean < 0 else 0), 0),
        Image.Resampling.BICUBIC,
    )
    image = image.rotate(dice.uniform(-6, 6), resample=Image.Resampling.BICUBIC, fillcolor=int(table[0, 0]))
    if dice.random() < 0.1:
        image = image.rotate(dice.choice((90, 180, 270)), expand=True)
    pixels = numpy.asarray(image, dtype=float)
    ramp = numpy.linspace(1.0, dice.uniform(0.5, 0.85), pixels.shape[1])
    pixels = pixels * (ramp if dice.random() < 0.5 else ramp[::-1])[None, :]
    if dice.random() < 0.5:
        # The shadow of a hand or phone over a corner.
        y, x = numpy.ogrid[: pixels.shape[0], : pixels.shape[1]]
        pixels = numpy.where(x + y < dice.uniform(0.3, 0.8) * pixels.shape[1], pixels * 0.72, pixels)
    pixels = pixels + rng.normal(0, dice.uniform(4, 12), pixels.shape)
    return Image.fromarray(numpy.clip(pixels, 0, 255).astype("uint8")).filter(
        ImageFilter.GaussianBlur(dice.uniform(0.4, 1.1))
    )
