"""How files and papers write amounts and days: any convention, with what the rest of the file says where one cell is in doubt."""

from __future__ import annotations

import contextlib
import re
import unicodedata
from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import date
from decimal import Decimal, InvalidOperation
from statistics import median

from wainwright.core.said import as_figure, say
from wainwright.core.text import decimal
from wainwright.formats.month_words import month_words

# No amount is written with more signs, marks and currency included; none is larger.
MOST_SIGNS, MOST = 80, 10**12
# A currency's name or sign beside an amount has no more letters.
MOST_LETTERS = 8
# Days outside these years are no days of money: what a programme writes for "none", or damage.
FIRST_YEAR, LAST_YEAR = 1970, 2100
# Two digits from here on are of the last century, where the file itself does not say otherwise.
PIVOT = 50

_SPACES = dict.fromkeys(map(ord, "\u00a0\u2007\u2009\u202f\u2002\u2003\u200a"), " ")
_MINUS = dict.fromkeys(map(ord, "\u2212\u2013\u2012\ufe63\uff0d"), "-")
_MARKS = {ord("\u2019"): "'", ord("\u02bc"): "'"}
_SIGNS = _SPACES | _MINUS | _MARKS
_BODY = re.compile(r"\d[\d., ']*|[.,]\d+")
# What most files write, read at once.
_SIMPLE = re.compile(r"-?[0-9]{1,10}(?:\.[0-9]{1,2})?")
_DEBIT, _CREDIT = {"DR", "D", "S", "DB"}, {"CR", "C", "H", "K"}
_SPACED = re.compile(r"\d{1,3}(?:[ ']\d{3})+(?:[.,]\d*)?|\d+(?:[.,]\d*)?")


def read_number(raw: str, mark: str = "") -> Decimal:
    """Read an amount in any convention: 1.234,56 or 1,234.56, -$12.00, (12.00), 12,50-, 1 234,56 kr, 12.00 DR.

    ``mark`` ends the whole units in this file, where that is known (``mark_of``). Without it "1.234" is 1234: money has
    two places. Raises ``ValueError`` naming what was there.
    """
    if mark != "," and _SIMPLE.fullmatch(raw):
        return Decimal(raw)
    refused = ValueError(say("its amount “{raw}” is not a number", raw=raw.strip()[:30]))
    if len(raw) > MOST_SIGNS:
        raise refused
    text = raw.translate(_SIGNS).strip()
    sign = 1
    if text.startswith("(") and text.endswith(")"):
        text, sign = text[1:-1].strip(), -1
    body = _BODY.search(text)
    if body is None:
        raise refused
    before, number, after = text[: body.start()], body.group().rstrip(" '"), text[body.end() :]
    if number[-1] in ".,":
        # A line for no parts of a whole, as in 12,-
        after = after.removeprefix("-")
    directions = _direction(before), _direction(after)
    if None in directions or before.count("-") + after.count("-") > 1 or (_lettered(before) and _lettered(after)):
        raise refused
    sign *= (directions[0] or 1) * (directions[1] or 1)
    try:
        value = decimal(_plain(number, mark))
    except InvalidOperation as error:
        raise refused from error
    if abs(value) > MOST:
        raise ValueError(say("its amount “{raw}” is larger than any that is paid", raw=raw.strip()[:30]))
    return value * sign


def _direction(beside: str) -> int | None:
    """What stands before or after the digits: -1 for a minus or a debit, 1 for nothing, a plus or a currency; else nothing."""
    word = "".join(c for c in beside if not unicodedata.category(c).startswith(("S", "Z")) or c in "+-").strip(" .'")
    minus = "-" in word
    word = word.replace("-", "").replace("+", "").strip(" .").upper()
    if word in _DEBIT:
        return 1 if minus else -1
    if word and (len(word) > MOST_LETTERS or not all(c.isalpha() or c in " ." for c in word)):
        return None
    return -1 if minus else 1


def _lettered(beside: str) -> bool:
    """Whether a word stands there that is no mark of debit or credit: a currency does so on one side alone."""
    word = beside.strip(" .-+").upper()
    return any(c.isalpha() for c in word) and word not in _DEBIT | _CREDIT


def _plain(number: str, mark: str) -> str:
    """Digits with a point, out of digits with marks. Blanks and apostrophes stand between thousands alone."""
    if ("'" in number or " " in number) and not _SPACED.fullmatch(
        number.replace(",", ".") if "." not in number else number
    ):
        raise InvalidOperation
    number = number.replace(" ", "").replace("'", "")
    if re.search(r"[.,]{2}", number):
        raise InvalidOperation
    ends = mark or _ends(number)
    if mark and not _grouped(number, mark):
        # One that does not follow the habit of its file is read by itself: never a hundred times as much.
        ends = _ends(number)
    other = {".": ",", ",": ".", "": ""}[ends]
    whole, _, rest = number.partition(ends) if ends else (re.sub(r"[.,]", "", number), "", "")
    if (other in rest and other) or (ends and ends in rest):
        raise InvalidOperation
    whole = whole.replace(other, "") if other else whole
    return f"{whole}.{rest}" if rest else whole


def _grouped(number: str, mark: str) -> bool:
    """Whether every other mark of a number stands between thousands, before the one that ends its whole units."""
    other = "," if mark == "." else "."
    return bool(
        re.fullmatch(
            rf"\d*(?:{re.escape(mark)}\d*)?|\d{{1,3}}(?:{re.escape(other)}\d{{2,3}})*{re.escape(other)}\d{{3}}(?:{re.escape(mark)}\d*)?",
            number,
        )
    )


def _ends(number: str) -> str:
    """Which mark of a single amount ends its whole units; nothing where its marks stand between thousands."""
    points, commas = number.count("."), number.count(",")
    if points and commas:
        return max(".,", key=number.rfind)
    mark = "." if points else ","
    if points + commas != 1:
        return ""
    whole, _, rest = number.partition(mark)
    return "" if len(rest) == 3 and 1 <= len(whole) <= 3 and not whole.startswith("0") else mark


def mark_of(raws: Iterable[str]) -> str:
    """Say which mark ends whole units in a column of amounts, by those of them that leave no doubt; nothing where none does."""
    said: Counter[str] = Counter()
    for raw in raws:
        body = _BODY.search(raw.translate(_SIGNS)[:MOST_SIGNS])
        number = body.group().strip(" '").replace(" ", "").replace("'", "") if body else ""
        marks = [c for c in number if c in ".,"]
        if not marks:
            continue
        ends = _ends(number)
        if ends:
            said[ends] += 1
        elif len(marks) > 1:
            # Thousands twice: the other mark ends the whole units.
            said["," if marks[0] == "." else "."] += 1
    return said.most_common(1)[0][0] if said else ""


_DAY_ALONE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_ISO = re.compile(r"(\d{4})[-/. ](\d{1,2})[-/. ](\d{1,2})(?!\d)")
_JOINED = re.compile(r"(\d{4})(\d{2})(\d{2})(?!\d)|(\d{4})(\d{2})(\d{2})(?=\d{4,6}\b)")
_PARTS = re.compile(r"(\d{1,2})([-/. '])\s?(\d{1,2})[-/. ']\s?(\d{4}|\d{2})(?!\d)")
_WORD = r"([^\W\d_]{3,12})"
_FILL = r"[\s.,'/-]*(?:(?:de|del|di|da|of|m|gada)\b[\s.]*)?"
_DAY = r"(\d{1,2})(?:st|nd|rd|th|er|º|ª|o)?"
_WORDED = (
    # 12 October 2026, 12-Oct-26, 12. Oktober 2026, 12 de octubre de 2026
    (re.compile(rf"(?<![\d.,]){_DAY}{_FILL}{_WORD}\.?{_FILL}(\d{{4}}|\d{{2}})(?![\d.,]?\d)", re.I), (2, 1, 0)),
    # May 05, 2026
    (re.compile(rf"\b{_WORD}\.?\s*{_DAY}(?:,\s*|\s+)(\d{{4}})(?!\d)", re.I), (2, 0, 1)),
    # 2026 Oct 12, 2026 m. spalio 12 d., 2026. gada 12. oktobris
    (re.compile(rf"(?<!\d)(\d{{4}}){_FILL}{_WORD}\.?{_FILL}{_DAY}(?!\d)", re.I), (0, 1, 2)),
    (re.compile(rf"(?<!\d)(\d{{4}}){_FILL}{_DAY}{_FILL}{_WORD}\b", re.I), (0, 2, 1)),
)  # fmt: skip


def worded_days(text: str) -> Iterator[tuple[str, int, int, str]]:
    """Yield each day of a text whose month is a word, as (year as written, month, day, what was matched)."""
    months = month_words()
    for pattern, places in _WORDED:
        for match in pattern.finditer(text):
            year, word, day = (match.groups()[at] for at in places)
            month = months.get(word.casefold())
            if month:
                yield year, month, int(day), match.group()


def whole_year(written: str, near: int | None = None) -> int:
    """A year of two digits made whole: of the century that lies nearest to ``near``, else after the pivot of the last one."""
    year = int(written)
    if len(written) > 2:
        return year
    if near is None:
        return year + (2000 if year < PIVOT else 1900)
    return min((year + century for century in (1900, 2000, 2100)), key=lambda whole: abs(whole - near))


def year_near(raws: Iterable[str]) -> int | None:
    """The middle of the years that a file writes whole, by which its years of two digits are understood; nothing where there is none."""
    years = [
        int(found) for raw in raws if (found := next(iter(re.findall(r"(?<!\d)(?:19|20)\d{2}(?!\d)", raw[:40])), ""))
    ]
    return int(median(years)) if years else None


def month_first(raws: Iterable[str]) -> bool:
    """Say whether dates of a file stand month first: some second part is over 12 and no first part is."""
    pairs = [(m[1], m[3]) for raw in raws if (m := _PARTS.match(raw.strip()))]
    return any(int(b) > 12 for _, b in pairs) and not any(int(a) > 12 for a, _ in pairs)


def read_day(raw: str, american: bool = False, near: int | None = None) -> date:
    """Read a date: 2026-10-12, 20261012, 12.10.2026, 12/10/26, 12 Oct 2026, in the words of many languages.

    ``near`` is a year of the same file. Raises ``ValueError`` naming what was there; a day that is in no calendar, or lies
    outside of what money is paid in, is none.
    """
    if _DAY_ALONE.fullmatch(raw):
        with contextlib.suppress(ValueError):
            return possible(date.fromisoformat(raw))
    text = raw.translate(_SIGNS).strip()[:60]
    # Nothing of a weekday's name is needed.
    text = re.sub(r"^[^\W\d_]+\.?,?\s+(?=\d)", "", text)
    parts = _parts(text, american)
    if parts is None:
        parts = next(((y, m, d) for y, m, d, _ in worded_days(raw.strip()[:60])), None)
    try:
        if parts is not None:
            year, month, day = parts
            return possible(date(whole_year(year, near), month, day))
    except ValueError as error:
        raise ValueError(say("its date “{value}” is not a date", value=text[:20])) from error
    raise ValueError(say("its date “{value}” is not a date", value=text[:20]))


def possible(day: date) -> date:
    """Return a day on which money can have moved. Raises ``ValueError`` for one of other times."""
    if not FIRST_YEAR <= day.year <= LAST_YEAR:
        raise ValueError(say("its date “{day}” is not a date of our time", day=as_figure(day, "%Y-%m-%d")))
    return day


def _parts(text: str, american: bool) -> tuple[str, int, int] | None:
    if (found := _ISO.match(text)) or (found := _JOINED.match(text)):
        year, month, day = [each for each in found.groups() if each is not None]
        return year, int(month), int(day)
    if found := _PARTS.match(text):
        one, two, year = int(found[1]), int(found[3]), found[4]
        return (year, one, two) if american else (year, two, one)
    return None
