"""From the words on a receipt to its fields: each with how sure it is and where it stands.

What is not sure enough is left empty: nothing is invented.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal
from itertools import groupby, islice

from wainwright.formats.paper_words import about
from wainwright.formats.pictures import Word
from wainwright.formats.tax_numbers import country_of_tax_number
from wainwright.formats.written import whole_year, worded_days

SURE_ENOUGH = 0.5
UNSURE = 0.4
MONTHS = 12
BORNE_OUT, DENIED = 0.85, 0.45
# A rate of tax is between these, in per cent.
LEAST_RATE, MOST_RATE = 3, 27
_CURRENCIES = {"EUR": "EUR", "€": "EUR", "EURO": "EUR", "NOK": "NOK", "KR": "NOK", "GBP": "GBP", "£": "GBP", "SEK": "SEK", "DKK": "DKK",
               "USD": "USD", "$": "USD", "PLN": "PLN", "ZŁ": "PLN", "ZL": "PLN", "CHF": "CHF", "ISK": "ISK"}  # fmt: skip
# Thousands stand a mark or one blank apart; what stands further apart is another figure (see ``Line.text``).
_AMOUNT = re.compile(
    r"(?<![\d.,'])-?\d{1,3}(?:[ .,']\d{3})*[.,]\d{2}(?!\d|[.,]\d)|(?<![\d.,'])-?\d+[.,]\d{2}(?!\d|[.,]\d)"
)
_NUMERIC_DAY = re.compile(r"(?<![\d.,/-])(\d{1,2}) ?([./-]) ?(\d{1,2}) ?[./-] ?(20\d{2}|\d{2})(?![\d.,]?\d)")
_ISO_DAY = re.compile(r"(?<!\d)(20\d{2})[-./](\d{1,2})[-./](\d{1,2})(?!\d)")
# What may stand for the hidden digits of a card, from its first sign on, and the four that are shown. Each sign is
# looked at once: no run of dots, however long, is gone through again from its middle.
_CARD = re.compile(r"(?<![*xXkKRt•.# -])([*xXkKRt•.# -]{2,}+)(\d{4})\b")
_STARS = "*xX•."
# An amount whose decimal mark was not read, or stands apart ("4.408, 56"): believed only where something else on the paper
# bears it out. The thousands go with it: "5 840 46" is never 840.46.
_UNMARKED = re.compile(r"(?<![\d.,])(?<!\d )(\d{1,3}(?:[ .,]\d{3})+|\d{1,6})[.,]? {1,2}(\d{2})$")
# More is on no receipt: what is longer was made to take time.
MOST_LINES, MOST_SIGNS = 2000, 300
# Words that stand so many letters apart are in columns of their own: two blanks.
WIDE = 1.7
_RATE = re.compile(r"(\d{1,2}(?:[.,]\d{1,2})?) ?%")


@dataclass(frozen=True, slots=True)
class Field:
    """One field as read: its text, how sure (0 to 1), and the box (page, x, y, width, height)."""

    value: str
    sure: float
    box: tuple[int, int, int, int, int]


@dataclass(frozen=True, slots=True)
class Line:
    """A line of words."""

    words: tuple[Word, ...]

    @property
    def text(self) -> str:
        """The line as written; columns stand two blanks apart."""
        text = ""
        for before, word in zip([None, *self.words], self.words, strict=False):
            if before is not None:
                # Widths of a letter say how wide a blank is: one on most papers, less in print of uneven letters.
                letter = max(before.width / max(1, len(before.text)), word.width / max(1, len(word.text)))
                text += "  " if word.x - before.x - before.width > WIDE * letter else " "
            text += word.text
        return text[:MOST_SIGNS]

    @property
    def sure(self) -> float:
        """How sure the line is: the mean of its words."""
        return sum(word.sure for word in self.words) / len(self.words)

    def field(self, value: str, matched: str, trust: float) -> Field:
        """A field found on this line; its box covers the words that hold ``matched``."""
        pieces = matched.split()
        words = [w for w in self.words if any(p in w.text or w.text in matched for p in pieces)] or list(self.words)
        x, y = min(w.x for w in words), min(w.y for w in words)
        right, bottom = max(w.x + w.width for w in words), max(w.y + w.height for w in words)
        # A name of a month that is known is read right, however faint; it is the figures that can be others.
        figures = [word.sure for word in words if any(c.isdecimal() for c in word.text)]
        sure = min(figures or [word.sure for word in words])
        return Field(value, round(sure * trust, 3), (words[0].page, x, y, right - x, bottom - y))


def lines_of(words: Iterable[Word]) -> list[Line]:
    """Group words into lines, page by page. Words keep the order in which they are read, whichever way up the page is."""
    ordered = sorted(words, key=lambda w: (w.page, w.line))
    grouped = groupby(ordered, key=lambda w: (w.page, w.line))
    return [Line(tuple(group)) for _, group in islice(grouped, MOST_LINES)]


def number(text: str) -> Decimal:
    """Read an amount in either convention: the last mark before two digits is the decimal one."""
    digits = re.sub(r"[^\d-]", "", text)
    return Decimal(digits).scaleb(-2)


def read_fields(words: Sequence[Word], today: date) -> dict[str, Field]:
    """Return the fields that are sure enough: merchant, date, total, currency, tax, tax_rate, card, country."""
    lines = [line for line in lines_of(words) if line.text.strip()]
    found = {
        "merchant": _merchant(lines), "date": _date(lines, today), "total": _total(lines),
        "currency": _currency(lines), "card": _card(lines), "country": _country(lines),
    }  # fmt: skip
    found["tax"], found["tax_rate"] = _tax(lines, found["total"])
    if found["total"] is None:
        # A sign of a currency without an amount is more likely a stain than a price.
        found["currency"] = None
    return {name: field for name, field in found.items() if field is not None and field.sure >= SURE_ENOUGH}


def bill_lines(words: Sequence[Word]) -> list[tuple[str, Decimal]]:
    """Return the lines of a bill that end in an amount and are no totals or taxes, as (text, amount)."""
    rows = []
    for line in lines_of(words):
        amounts = list(_AMOUNT.finditer(line.text))
        if not amounts:
            continue
        label = line.text[: amounts[0].start()].strip(" .:-")
        it = about(label)
        if len(label) > 2 and not (it.total or it.part or it.tax or it.paid) and not _RATE.search(label):
            rows.append((label, number(amounts[-1].group())))
    return rows


def _merchant(lines: Sequence[Line]) -> Field | None:
    for line in lines[:4]:
        letters = sum(c.isalpha() for c in line.text)
        if letters >= 3 and letters >= 0.6 * len(line.text.replace(" ", "")) and line.sure >= 0.45:
            name = " ".join(re.sub(r"[_|*]+", " ", line.text).split()).strip(" -.")
            found = line.field(name, line.text, 1.0)
            return Field(found.value, round(line.sure, 3), found.box)
    return None


def _total(lines: Sequence[Line]) -> Field | None:
    named, others = [], []
    evidence = _evidence(lines)
    for line in lines:
        it = about(line.text)
        for matched, value, trust in _amounts(line, evidence):
            if it.total:
                named.append((value, line, matched, trust))
            elif not (it.part or it.tax or it.paid):
                others.append((value, line, matched))
    if named:
        value, line, matched, trust = max(named, key=lambda row: row[0])
        beaten = sum(1 for other, *_ in others if other > value)
        found = line.field(f"{value:.2f}", matched, min(trust, 0.7 if beaten else 1.0))
        # What adds up is believed, however faintly it was printed; what the paper's own tax contradicts is not.
        borne_out = evidence.bears_out(value)
        if borne_out is None:
            return found
        proved = None if borne_out else _proved(lines, evidence)
        if proved is not None and _digits_of(proved[0]).endswith(_digits_of(value)):
            # Its thousands were lost on the line that says total, and stand elsewhere.
            return _borne_out(*proved)
        return replace(found, sure=max(found.sure, BORNE_OUT) if borne_out else found.sure * DENIED)
    for line in lines:
        unmarked = _UNMARKED.search(line.text) if about(line.text).total else None
        if unmarked:
            value = _marked(unmarked)
            if evidence.bears_out(value):
                return _borne_out(value, line, unmarked.group())
    if proved := _proved(lines, evidence):
        # The word for total was not read, or is none that is known.
        return _borne_out(*proved)
    if others:
        value, line, matched = max(others, key=lambda row: row[0])
        return line.field(f"{value:.2f}", matched, 0.45)
    return None


def _borne_out(value: Decimal, line: Line, matched: str) -> Field:
    """A total that something else on the paper bears out: believed however faintly it was printed."""
    return replace(line.field(f"{value:.2f}", matched, 1.0), sure=BORNE_OUT)


def _proved(lines: Sequence[Line], evidence: Evidence) -> tuple[Decimal, Line, str] | None:
    """The one amount of a paper that its tax is the tax of, with where it stands; nothing where there are several, or several taxes."""
    if len(evidence.taxes) + len(evidence.rated) != 1:
        return None
    found: dict[Decimal, tuple[Decimal, Line, str]] = {}
    for line in lines:
        it = about(line.text)
        if it.tax or it.part:
            continue
        written = [match.group() for match in _AMOUNT.finditer(line.text)]
        pairs = [(text, number(text)) for whole in written for text in {whole, whole.rpartition(" ")[2]}]
        unmarked = None if written else _UNMARKED.search(line.text)
        if unmarked:
            pairs.append((unmarked.group(), _marked(unmarked)))
        for text, value in pairs:
            if value > 0 and evidence.by_tax(value):
                found.setdefault(value, (value, line, text))
    return next(iter(found.values())) if len(found) == 1 else None


def _digits_of(value: Decimal) -> str:
    return f"{value:.2f}".replace(".", "")


def _amounts(line: Line, evidence: Evidence) -> Iterator[tuple[str, Decimal, float]]:
    """Each amount of a line: as it is written, what it is, and how far it is to be trusted.

    "1 278.61" may be more than a thousand, or one piece at 278.61: what the rest of the paper bears out decides; where
    nothing does, it is believed on papers with a decimal comma alone, whose thousands stand blanks apart.
    """
    for match in _AMOUNT.finditer(line.text):
        matched = match.group()
        if " " not in matched:
            yield matched, number(matched), 1.0
            continue
        last = matched.rpartition(" ")[2]
        whole, alone = number(matched), number(last)
        if evidence.bears_out(whole):
            yield matched, whole, 1.0
        elif evidence.bears_out(alone):
            yield last, alone, 1.0
        else:
            yield matched, whole, 0.75 if "," in last else UNSURE


def _marked(unmarked: re.Match[str]) -> Decimal:
    return Decimal(f"{re.sub(r'[ .,]', '', unmarked.group(1))}.{unmarked.group(2)}")


@dataclass(frozen=True, slots=True)
class Evidence:
    """What on a paper can bear its total out: its taxes as (rate in per cent, amounts beside it), and the sum of its lines, if any.

    ``rated`` are lines with a rate whose word for tax was not read, or that are no taxes: they bear out, and deny nothing.
    """

    taxes: tuple[tuple[Decimal, tuple[Decimal, ...]], ...]
    sum: Decimal | None
    rated: tuple[tuple[Decimal, tuple[Decimal, ...]], ...] = ()

    def bears_out(self, total: Decimal) -> bool | None:
        """Say whether the tax at its rate, or the sum of the lines, bears a total out; nothing where there is no single tax to ask."""
        if self.by_tax(total) or self.sum == total:
            return True
        return False if len(self.taxes) == 1 else None

    def by_tax(self, total: Decimal) -> bool:
        """Say whether one of the taxes is the tax of a total at its rate."""
        return any(
            abs(total * percent / (100 + percent) - each) <= Decimal("0.02")
            for percent, amounts in (*self.taxes, *self.rated)
            for each in amounts
        )


def _evidence(lines: Sequence[Line]) -> Evidence:
    """Go through a paper once for all the totals that are asked about."""
    taxes, rated, priced = [], [], []
    for line in lines:
        amounts = [number(m.group()) for m in _AMOUNT.finditer(line.text)]
        unmarked = None if amounts else _UNMARKED.search(line.text)
        if unmarked:
            amounts = [_marked(unmarked)]
        if not amounts:
            continue
        rate, it = _RATE.search(line.text), about(line.text)
        percent = Decimal(rate.group(1).replace(",", ".")) if rate else Decimal(0)
        if it.tax and (rate or not it.total):
            if percent:
                taxes.append((percent, tuple(amounts)))
        elif not (it.total or it.part or it.paid):
            priced.append(amounts[-1])
            if LEAST_RATE <= percent <= MOST_RATE:
                rated.append((percent, tuple(amounts)))
    return Evidence(tuple(taxes), sum(priced, Decimal(0)) if priced else None, tuple(rated))


def _day(written: str, month: int, day: int, today: date) -> date | None:
    try:
        found = date(whole_year(written), month, day)
    except ValueError:
        return None
    return found if today - timedelta(days=730) <= found <= today + timedelta(days=1) else None


def _date(lines: Sequence[Line], today: date) -> Field | None:
    """The day of a paper: the first on a line that is about nothing else (until when to pay, when one leaves), else the first."""
    later: Field | None = None
    american = _month_first(lines)
    for line in lines:
        for found, matched, trust in _days(line.text, today, american):
            field = line.field(found.isoformat(), matched, trust)
            if not about(line.text).due:
                return field
            later = later or field
    return later


def _days(text: str, today: date, american: bool) -> Iterator[tuple[date, str, float]]:
    for match in _ISO_DAY.finditer(text):
        if found := _day(match[1], int(match[2]), int(match[3]), today):
            yield found, match.group(), 1.0
    for match in _NUMERIC_DAY.finditer(text):
        one, two = int(match[1]), int(match[3])
        as_written = _day(match[4], one if american else two, two if american else one, today)
        turned = _day(match[4], two if american else one, one if american else two, today)
        if found := as_written or turned:
            # Both ways round it would be a day of the last two years: with slashes, nobody can tell for sure.
            doubtful = as_written and turned and as_written != turned and match[2] == "/"
            yield found, match.group(), 0.9 if doubtful else 1.0
    for year, month, day, matched in worded_days(text):
        if found := _day(year, month, day, today):
            yield found, matched, 1.0


def _month_first(lines: Sequence[Line]) -> bool:
    """Whether a paper writes months first: one of its days can be read in no other way, or it is in dollars."""
    pairs = [(int(m[1]), int(m[3])) for line in lines for m in _NUMERIC_DAY.finditer(line.text) if m[2] == "/"]
    if any(two > MONTHS for _, two in pairs):
        return not any(one > MONTHS for one, _ in pairs)
    return (
        bool(pairs)
        and all(one <= MONTHS for one, _ in pairs)
        and any("$" in line.text or "USD" in line.text for line in lines)
    )


def _currency(lines: Sequence[Line]) -> Field | None:
    counted: dict[str, list[tuple[Line, str]]] = {}
    for line in lines:
        for token in re.findall(r"[A-Za-zŁł]+|[€£$]", line.text):
            code = _CURRENCIES.get(token.upper())
            if code:
                counted.setdefault(code, []).append((line, token))
    if not counted:
        return None
    code, places = max(counted.items(), key=lambda row: len(row[1]))
    line, token = places[0]
    return line.field(code, token, 1.0 if len(counted) == 1 else 0.6)


def _card(lines: Sequence[Line]) -> Field | None:
    for line in lines:
        for match in _CARD.finditer(line.text):
            if _is_masked(match.group(1)):
                return line.field(match.group(2), match.group(2), 0.95)
    return None


def _is_masked(run: str) -> bool:
    """Say whether signs hide digits: two stars at the end; or two groups of three, as stars are often read as letters."""
    run = run[:-1] if run[-1] in " -" else run
    if len(run) - len(run.rstrip(_STARS)) >= 2:
        return True
    groups = run.replace("-", " ").split(" ")[-2:]
    return len(groups) == 2 and all(len(group) >= 3 for group in groups)


def _country(lines: Sequence[Line]) -> Field | None:
    """The country of the merchant's tax number, where the paper has one, and of one country only."""
    found: dict[str, Field] = {}
    for line in lines:
        country = country_of_tax_number(line.text)
        if country:
            found.setdefault(country, line.field(country, line.text, 0.95))
    return next(iter(found.values())) if len(found) == 1 else None


def _tax(lines: Sequence[Line], total: Field | None) -> tuple[Field | None, Field | None]:
    """The tax and its rate; taken only when the rate and the total bear it out, or it is the only one."""
    rows = []
    for line in lines:
        if not about(line.text).tax:
            continue
        rate = _RATE.search(line.text)
        amounts = [
            m for m in _AMOUNT.finditer(line.text) if rate is None or m.start() >= rate.end() or m.end() <= rate.start()
        ]
        unmarked = None if amounts or rate is None else _UNMARKED.search(line.text)
        if amounts:
            rows.append((line, rate, amounts[-1].group()))
        elif unmarked:
            # Without its decimal mark it is believed only as far as the rate bears it out, below.
            rows.append((line, rate, unmarked.group()))
    if len(rows) != 1 or total is None:
        return None, None
    line, rate, matched = rows[0]
    tax, whole = number(matched), Decimal(total.value)
    if not 0 < tax < whole:
        return None, None
    if rate is None:
        return line.field(f"{tax:.2f}", matched, 0.6), None
    percent = Decimal(rate.group(1).replace(",", "."))
    off = abs(whole * percent / (100 + percent) - tax)
    trust = 1.0 if off <= Decimal("0.02") else 0.55 if _AMOUNT.search(matched) else 0.3
    return line.field(f"{tax:.2f}", matched, trust), line.field(f"{percent.normalize():f}", rate.group(), trust)
