"""Draws the papers of the tour: a photo of a till receipt, a hotel bill, a ferry ticket, and a card's OFX file.

They are made as others make them: printed text with noise and a turn, a PDF by a PDF writer, an OFX
as banks export it (SGML, closing tags left out).
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from datetime import date, timedelta

import numpy
from PIL import Image, ImageDraw, ImageFilter, ImageFont


@dataclass(frozen=True)
class Printed:
    """A receipt to draw: lines, of which a pair is set left and right."""

    lines: tuple[str | tuple[str, str], ...]


def _print(printed: Printed, size: int = 30) -> Image.Image:
    width, row = 760, int(size * 1.55)
    image = Image.new("L", (width, 110 + len(printed.lines) * row), 250)
    draw, font = ImageDraw.Draw(image), ImageFont.load_default(size=size)
    for number, line in enumerate(printed.lines):
        y = 50 + number * row
        left, right = line if isinstance(line, tuple) else (line, "")
        draw.text((60, y), left, font=font, fill=30)
        draw.text((width - 60 - draw.textlength(right, font=font), y), right, font=font, fill=30)
    return image


def photo(printed: Printed, turn: float = 3.0, seed: int = 1) -> bytes:
    """A photo of a paper receipt as JPEG: turned, with uneven light, noise and a little blur."""
    rng = numpy.random.default_rng(seed)
    paper = _print(printed)
    table = Image.new("L", (paper.width + 160, paper.height + 160), 110)
    table.paste(paper, (80, 80))
    turned = table.rotate(turn, resample=Image.Resampling.BICUBIC, fillcolor=110)
    pixels = numpy.asarray(turned, dtype=float)
    pixels = pixels * numpy.linspace(1.0, 0.6, pixels.shape[1])[None, :] + rng.normal(0, 8, pixels.shape)
    shot = Image.fromarray(numpy.clip(pixels, 0, 255).astype("uint8")).filter(ImageFilter.GaussianBlur(0.6))
    out = io.BytesIO()
    shot.convert("RGB").save(out, "JPEG", quality=82)
    return out.getvalue()


def with_thumb(printed: Printed, turn: float, seed: int) -> tuple[bytes, bytes]:
    """A photo as above, and the same as a thumb."""
    content = photo(printed, turn, seed)
    return content, small(content)


def small(content: bytes) -> bytes:
    """A picture brought to the size of a thumb."""
    with Image.open(io.BytesIO(content)) as image:
        image.thumbnail((68, 88))
        out = io.BytesIO()
        image.convert("RGB").save(out, "JPEG", quality=80)
    return out.getvalue()


def clean_png(printed: Printed) -> bytes:
    """A receipt as a clean PNG, as a ticket machine mails it."""
    out = io.BytesIO()
    _print(printed).save(out, "PNG")
    return out.getvalue()


def till_receipt(day: date) -> bytes:
    """The till receipt of Kvalheim Marine, 102.00 EUR."""
    lines = (
        "KVALHEIM MARINE", "Strandgata 4, Bergen", f"{day:%d.%m.%Y} 14:08", ("Marine diesel 30 l", "81.60"),
        ("VAT 25%", "20.40"), ("TOTAL EUR", "102.00"), "Card **** 4410",
    )  # fmt: skip
    return photo(Printed(lines))


def ferry_ticket(day: date) -> bytes:
    """The ferry ticket, 88.20 EUR."""
    lines = (
        "FJORDLINK FERRY", f"Date {day:%d.%m.%Y}", ("Adult, one way", "88.20"), ("TOTAL EUR", "88.20"), "Card **** 4410",
    )  # fmt: skip
    return clean_png(Printed(lines))


def hotel_bill(first: date, nights: int = 4) -> bytes:
    """A hotel bill of two pages as PDF, written by a PDF writer: nights, city tax, a breakfast."""
    from weasyprint import HTML  # noqa: PLC0415 - heavy, and wanted here only

    rows = "".join(
        f"<tr><td>Night of {first + timedelta(days=n):%d.%m.%Y}</td><td>142.00</td></tr>" for n in range(nights)
    )
    total = 142 * nights + 3.5 * nights + 16
    html = f"""<style>@page {{ size: A4; margin: 25mm }} td:last-child {{ text-align: right }} table {{ width: 100% }} .two {{ page-break-before: always }}</style>
    <h1>LAMP QUAY HOTEL</h1><p>Nordre Kai 2, Bergen</p><p>Bill 20417</p><p>Date {first + timedelta(days=nights):%d.%m.%Y}</p>
    <table>{rows}<tr><td>City tax, {nights} nights</td><td>{3.5 * nights:.2f}</td></tr><tr><td>Breakfast</td><td>16.00</td></tr></table>
    <div class="two"><h2>Payment</h2><table><tr><td>TOTAL EUR</td><td>{total:.2f}</td></tr><tr><td>Card **** 4410</td><td></td></tr></table></div>"""
    return HTML(string=html).write_pdf()


def hotel_total(nights: int = 4) -> str:
    """What the hotel bill comes to."""
    return f"{142 * nights + 3.5 * nights + 16:.2f}"


def card_file(first: date, nights: int = 4, account: str = "5210009900004410") -> bytes:
    """A card's OFX as a bank exports it: SGML headers, closing tags left out, six charges."""
    rows = [
        (3, "102.00", "KVALHEIM MARINE AS BERGEN", "5541"), (2, "88.20", "FJORDLINK FERRY 8841", "4111"),
        (nights, hotel_total(nights), "LAMP QUAY HOTEL BERGEN", "7011"), (1, "61.75", "LAB OG LODD 2231", "5999"),
        (1, "16.00", "GAMLE KINO BERGEN", "7832"), (0, "54.00", "LEESIDE PARKING ORK", "7523"),
    ]  # fmt: skip
    entries = "".join(
        f"<STMTTRN>\n<TRNTYPE>DEBIT\n<DTPOSTED>{first + timedelta(days=day):%Y%m%d}120000[+1:CET]\n<TRNAMT>-{amount}\n"
        f"<FITID>{first:%y%m%d}-{number}\n<SIC>{code}\n<NAME>{name}\n</STMTTRN>\n"
        for number, (day, amount, name, code) in enumerate(rows)
    )
    head = "OFXHEADER:100\r\nDATA:OFXSGML\r\nVERSION:102\r\nSECURITY:NONE\r\nENCODING:USASCII\r\nCHARSET:1252\r\nCOMPRESSION:NONE\r\nOLDFILEUID:NONE\r\nNEWFILEUID:NONE\r\n\r\n"
    body = f"""<OFX>
<SIGNONMSGSRSV1><SONRS><STATUS><CODE>0<SEVERITY>INFO</STATUS><DTSERVER>{first:%Y%m%d}<LANGUAGE>ENG</SONRS></SIGNONMSGSRSV1>
<CREDITCARDMSGSRSV1><CCSTMTTRNRS><TRNUID>0<STATUS><CODE>0<SEVERITY>INFO</STATUS>
<CCSTMTRS><CURDEF>EUR<CCACCTFROM><ACCTID>{account}</CCACCTFROM>
<BANKTRANLIST><DTSTART>{first:%Y%m%d}<DTEND>{first + timedelta(days=9):%Y%m%d}
{entries}</BANKTRANLIST><LEDGERBAL><BALAMT>-900.00<DTASOF>{first:%Y%m%d}</LEDGERBAL></CCSTMTRS></CCSTMTTRNRS></CREDITCARDMSGSRSV1>
</OFX>
"""
    return (head + body).encode("cp1252")


def of_tour(first: date) -> dict[str, bytes]:
    """The papers of the README's tour by the names of their files, for a trip that begins on ``first``."""
    return {
        "till-receipt.jpg": till_receipt(first + timedelta(days=3)), "ferry-ticket.png": ferry_ticket(first + timedelta(days=2)),
        "hotel-bill.pdf": hotel_bill(first), "card-4410.ofx": card_file(first),
    }  # fmt: skip
