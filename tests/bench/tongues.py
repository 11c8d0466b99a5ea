"""Receipts drawn in the languages around: totals, taxes, days and thousands as each writes them, with what misleads beside them."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from babel.dates import format_date

from tests.bench.drawn import SHOPS, Drawn, Row, Truth, as_picture
from wainwright.formats.pictures import Word


@dataclass(frozen=True)
class Tongue:
    """How papers of a language say things. ``thousands`` and ``mark`` part numbers, ``days`` are patterns of a day."""

    currency: str
    totals: tuple[str, ...]
    subtotal: str
    tax: str
    percent: str
    paid: str
    back: str
    until: str
    thousands: tuple[str, ...]
    mark: str
    days: tuple[str, ...]
    things: tuple[str, ...] = ("Kaffe", "Menu 2", "Diesel 31 l", "Parking 4 h", "Cable", "Chart 412", "Soup")


_DOTTED = ("dd.MM.yyyy", "d.M.yy", "d. MMMM yyyy", "d. MMM yyyy")
TONGUES = {
    "en": Tongue("GBP", ("Total", "AMOUNT DUE", "Balance due", "Grand total", "Total incl. VAT"), "Subtotal", "VAT", "20", "Cash", "Change", "Payment due", (",",), ".", ("dd/MM/yyyy", "MMM dd, yyyy", "dd-MMM-yy", "d MMMM yyyy")),
    "de": Tongue("EUR", ("Gesamtbetrag", "SUMME", "Rechnungsbetrag", "Zu zahlen", "Gesamtsumme", "Endbetrag", "Total inkl. MwSt"), "Zwischensumme", "MwSt", "19", "Bar", "Rückgeld", "Fällig am", (".", " "), ",", _DOTTED),
    "fr": Tongue("EUR", ("TOTAL TTC", "Total à payer", "Montant TTC", "Net à payer", "TOTAL"), "Sous-total HT", "TVA", "20", "Espèces", "Rendu", "Échéance", (" ", "\u202f"), ",", ("dd/MM/yyyy", "d MMMM yyyy", "dd-MM-yy")),
    "es": Tongue("EUR", ("TOTAL", "Total a pagar", "Importe total", "TOTAL (IVA incluido)"), "Base imponible", "IVA", "21", "Efectivo", "Cambio", "Vencimiento", (".",), ",", ("dd/MM/yyyy", "d 'de' MMMM 'de' yyyy", "dd-MM-yyyy")),
    "it": Tongue("EUR", ("TOTALE COMPLESSIVO", "Totale", "TOTALE EURO", "Importo pagato"), "Imponibile", "IVA", "22", "Contanti", "Resto", "Scadenza", (".",), ",", ("dd/MM/yyyy", "d MMMM yyyy", "dd-MM-yy")),
    "nl": Tongue("EUR", ("Totaal", "Te betalen", "TOTAALBEDRAG", "Totaal incl. BTW"), "Subtotaal", "BTW", "21", "Contant", "Wisselgeld", "Vervaldatum", (".",), ",", ("dd-MM-yyyy", "d MMMM yyyy", "dd/MM/yy")),
    "nb": Tongue("NOK", ("Totalt", "Å betale", "SUM", "Totalsum", "Beløp å betale"), "Delsum", "MVA", "25", "Kontant", "Vekslepenger", "Forfallsdato", (" ", "."), ",", _DOTTED),
    "sv": Tongue("SEK", ("SUMMA", "Att betala", "Totalt", "Totalbelopp"), "Delsumma", "Moms", "25", "Kontant", "Växel", "Förfallodatum", (" ",), ",", ("yyyy-MM-dd", "d MMMM yyyy", "d MMM yyyy")),
    "da": Tongue("DKK", ("Total", "I alt", "At betale", "Beløb i alt"), "Subtotal", "Moms", "25", "Kontant", "Byttepenge", "Forfaldsdato", (".",), ",", ("dd-MM-yyyy", "d. MMMM yyyy", "dd.MM.yy")),
    "fi": Tongue("EUR", ("YHTEENSÄ", "Yhteensä", "Loppusumma", "Maksettava"), "Välisumma", "ALV", "24", "Käteinen", "Vaihtoraha", "Eräpäivä", (" ",), ",", ("d.M.yyyy", "dd.MM.yyyy", "d. MMMM yyyy")),
    "et": Tongue("EUR", ("KOKKU", "Summa", "Kokku tasuda"), "Vahesumma", "Käibemaks", "22", "Sularaha", "Tagasi", "Maksetähtaeg", (" ",), ",", ("dd.MM.yyyy", "d. MMMM yyyy")),
    "lv": Tongue("EUR", ("KOPĀ", "Kopā apmaksai", "Samaksai"), "Starpsumma", "PVN", "21", "Skaidra nauda", "Atlikums", "Termiņš", (" ",), ",", ("dd.MM.yyyy", "yyyy. 'gada' d. MMMM")),
    "lt": Tongue("EUR", ("IŠ VISO", "Mokėti", "Bendra suma", "Viso"), "Tarpinė suma", "PVM", "21", "Grynieji", "Grąža", "Terminas", (" ",), ",", ("yyyy-MM-dd", "yyyy.MM.dd", "yyyy 'm.' MMMM d 'd.'")),
    "pl": Tongue("PLN", ("SUMA PLN", "Razem", "Do zapłaty", "SUMA"), "Netto", "PTU", "23", "Gotówka", "Reszta", "Termin", (" ",), ",", ("dd.MM.yyyy", "yyyy-MM-dd", "d MMMM yyyy")),
    "pt": Tongue("EUR", ("TOTAL", "Total a pagar", "Valor total"), "Subtotal", "IVA", "23", "Dinheiro", "Troco", "Vencimento", (".", " "), ",", ("dd/MM/yyyy", "d 'de' MMMM 'de' yyyy", "dd-MM-yyyy")),
}  # fmt: skip


def rows_in(language: str, seed: int, today: date) -> tuple[list[Row], Truth]:
    """Return the rows of one paper in a language, and what is true of it. The same seed gives the same one."""
    dice, tongue = random.Random(f"{language}:{seed}"), TONGUES[language]
    day = today - timedelta(days=dice.randint(1, 200))
    scale = 9 if tongue.currency in ("NOK", "SEK", "DKK", "PLN") else 1
    pieces = [
        (dice.choice((1, 1, 1, 2, 3)), Decimal(dice.randint(150, 42000) * scale) / 100)
        for _ in range(dice.randint(1, 5))
    ]
    whole = sum((count * price for count, price in pieces), Decimal(0))
    percent = Decimal(tongue.percent)
    tax = (whole * percent / (100 + percent)).quantize(Decimal("0.01"))
    thousands = dice.choice(tongue.thousands)

    def number(value: Decimal) -> str:
        return f"{value:,.2f}".translate({ord(","): thousands, ord("."): tongue.mark})

    lines: list[Row] = []
    for count, price in pieces:
        thing = dice.choice(tongue.things)
        if count == 1:
            lines.append((thing, number(price)))
        else:
            lines.append((f"{thing}  {count} x {number(price)}", number(count * price)))
    written = format_date(day, dice.choice(tongue.days), locale=language)
    when: list[Row] = [f"{written} {dice.randint(8, 20):02d}:{dice.randint(10, 59)}"]
    total: list[Row] = [
        (
            f"{dice.choice(tongue.totals)} {tongue.currency}" if dice.random() < 0.6 else dice.choice(tongue.totals),
            number(whole),
        )
    ]
    taxes: list[Row] = [(f"{tongue.tax} {tongue.percent}%", number(tax))]
    before: list[Row] = [(tongue.subtotal, number(whole - tax))] if dice.random() < 0.5 else []
    given = (whole / 50).to_integral_value(rounding="ROUND_CEILING") * 50
    paid: list[Row] = (
        [(tongue.paid, number(given)), (tongue.back, number(given - whole))]
        if dice.random() < 0.4
        else ["Visa **** 4410"]
    )
    until: list[Row] = (
        [
            f"{tongue.until}: {format_date(day + timedelta(days=0 if dice.random() < 0.2 else 1), tongue.days[0], locale=language)}"
        ]
        if dice.random() < 0.2
        else []
    )
    shop = dice.choice(SHOPS)
    head: list[Row] = [shop.upper(), f"Kai {dice.randint(1, 90)}"]
    order = dice.choice(
        (
            (when, lines, before, taxes, total, paid),
            (lines, before, total, taxes, paid, when),
            (when, lines, total, paid, before, taxes),
        )
    )
    rows = (
        head
        + [row for part in order for row in part]
        + until
        + [f"EUR 1.00 = {tongue.currency} 1.00"] * (scale > 1 and dice.random() < 0.1)
    )
    return rows, Truth(shop, day.isoformat(), f"{whole:.2f}", tongue.currency, str(tax), "")


def draw_in(language: str, seed: int, bad: bool, today: date) -> Drawn:
    """Draw one receipt in a language, clean or as a bad photo."""
    rows, truth = rows_in(language, seed, today)
    return Drawn(as_picture(rows, bad, random.Random(f"{language}:{seed}:{bad}")), truth, language, bad)


def words_in(language: str, seed: int, today: date) -> tuple[list[Word], Truth]:
    """The words of one paper as a PDF carries them: without a machine's reading between, in two columns."""
    rows, truth = rows_in(language, seed, today)
    return words_of(rows), truth


def words_of(rows: Sequence[Row]) -> list[Word]:
    """Rows as words with boxes, ten points a letter: what stands right ends at the right edge."""
    found: list[Word] = []
    for line, row in enumerate(rows):
        left, right = row if isinstance(row, tuple) else (row, "")
        for text, start in ((left, 60), (right, 760 - 10 * len(right))):
            at = start
            for piece in text.replace("\u202f", " ").split(" "):
                if piece:
                    found.append(Word(piece, 1.0, 0, at, 60 + 40 * line, 10 * len(piece), 20, line))
                at += 10 * len(piece) + 6
    return found
