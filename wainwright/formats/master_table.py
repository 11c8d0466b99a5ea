"""Masters from a file: a CSV or a spreadsheet with a header in words of many ledgers."""

from __future__ import annotations

import io
from collections.abc import Sequence
from datetime import date
from decimal import Decimal, InvalidOperation

from wainwright.core.masters import Master
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.spreadsheet import Rows, is_spreadsheet, sheets_of
from wainwright.formats.statement import read_day, text_of

MOST_ROWS, MOST_BYTES = 60_000, 12_000_000
WORDS = {
    "kind": ("kind", "type", "dimension", "list"), "code": ("code", "number", "no", "nr", "id", "account", "konto"), "name": ("name", "description", "text", "navn", "bezeichnung"),
    "open_from": ("open from", "valid from", "from", "start"), "open_until": ("open until", "valid to", "valid until", "until", "to", "end", "closed"),
    "asks_for": ("asks for", "requires", "needs"), "parent": ("parent", "belongs to"), "country": ("country", "land"), "rate": ("rate", "percent", "%", "tax rate"),
    "share": ("recoverable", "deductible", "comes back", "share"), "iban": ("iban", "bank account"), "tax_number": ("tax number", "vat number", "vat id", "org nr", "tax id"),
}  # fmt: skip
NEEDED = ("kind", "code")


def read_masters(content: bytes, kind: str = "") -> tuple[list[Master], list[LeftOut]]:
    """Read masters of a file; ``kind`` is what all rows are where no column says it. Raises ``Unreadable`` with a sentence."""
    if len(content) > MOST_BYTES:
        raise Unreadable("The file is larger than 12 MB. Leave out what is not needed.")
    rows = _sheet(content) if is_spreadsheet(content) else _csv(content)
    rows = [(number, row) for number, row in rows if any(row)]
    if not rows:
        raise Unreadable("The file holds no rows.")
    columns = _columns(rows[0][1])
    if "code" not in columns or ("kind" not in columns and not kind):
        raise Unreadable(
            "The first row does not name the columns. Call them kind (account, supplier, or a dimension), code and name."
        )
    if len(rows) - 1 > MOST_ROWS:
        raise Unreadable(f"The file has {len(rows) - 1} rows, more than {MOST_ROWS}.")
    found: dict[tuple[str, str], Master] = {}
    left: list[LeftOut] = []
    for number, row in rows[1:]:
        try:
            master = _master({name: row[at] if at < len(row) else "" for name, at in columns.items()}, kind)
            if (master.kind, master.code) in found:
                raise ValueError(f"{master.kind} {master.code} stands in the file twice")
            found[master.kind, master.code] = master
        except ValueError as error:
            left.append(LeftOut(f"row {number}", str(error)))
    return list(found.values()), left


def _csv(content: bytes) -> Rows:
    import csv  # noqa: PLC0415 - beside the spreadsheet's own

    text = text_of(content)
    sample = "\n".join(text.splitlines()[:20])
    mark = max(";,\t|", key=sample.count)
    try:
        return [
            (n, tuple(cell.strip() for cell in row))
            for n, row in enumerate(csv.reader(io.StringIO(text), delimiter=mark), 1)
        ]
    except csv.Error as error:
        raise Unreadable(f"The table cannot be read: {error}. Save it as CSV anew.") from error


def _sheet(content: bytes) -> Rows:
    """The first sheet with a code in its header, else the first that holds anything."""
    sheets = sheets_of(content, MOST_ROWS)
    return next((rows for rows in sheets if "code" in _columns(rows[0][1])), sheets[0] if sheets else [])


def _columns(header: Sequence[str]) -> dict[str, int]:
    lower = [cell.casefold().strip() for cell in header]
    found: dict[str, int] = {}
    for name, words in WORDS.items():
        at = next(
            (lower.index(word) for word in words if word in lower and lower.index(word) not in found.values()), None
        )
        if at is not None:
            found[name] = at
    return found


def _day(text: str) -> date | None:
    return read_day(text) if text else None


def _fraction(text: str) -> Decimal | None:
    """A rate as 25 %, 25, 0.25 or 0,25: what is above one is per cent. Raises ``ValueError``."""
    if not text:
        return None
    try:
        value = Decimal(text.replace("%", "").replace(",", ".").strip())
    except InvalidOperation as error:
        raise ValueError(f"its rate “{text[:12]}” is no number") from error
    value = value / 100 if value > 1 or "%" in text else value
    if not 0 <= value <= 1:
        raise ValueError(f"its rate “{text[:12]}” is not between 0 and 100 %")
    return value


def _master(row: dict[str, str], kind: str) -> Master:
    what = (row.get("kind") or kind).casefold().strip().replace(" ", "_")[:20]
    code = row.get("code", "")
    if not what or not code:
        raise ValueError("it has no kind or no code")
    if len(code) > 20:
        raise ValueError(f"its code “{code[:30]}” is longer than 20 letters")
    asks = tuple(
        each.strip().replace(" ", "_") for each in row.get("asks_for", "").replace(";", ",").split(",") if each.strip()
    )
    return Master(
        what, code, (row.get("name") or code)[:80], _day(row.get("open_from", "")), _day(row.get("open_until", "")), asks, row.get("parent", "")[:20],
        row.get("country", "")[:2].upper(), _fraction(row.get("rate", "")), _fraction(row.get("share", "")), "".join(row.get("iban", "").split())[:34],
        row.get("tax_number", "")[:20],
    )  # fmt: skip
