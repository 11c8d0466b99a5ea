"""Masters from a file: a CSV or a spreadsheet with a header in words of many ledgers."""

from __future__ import annotations

from datetime import date
from decimal import Decimal, InvalidOperation

from wainwright.core.masters import Master
from wainwright.core.said import said_by, say
from wainwright.formats.headed import headed_rows
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.written import read_day

MOST_ROWS, MOST_BYTES = 60_000, 12_000_000
WORDS = {
    "kind": ("kind", "type", "dimension", "list", "art", "typ", "liste", "slag", "dimensjon"), "code": ("code", "number", "no", "nr", "id", "account", "konto", "nummer", "schlüssel", "kode"), "name": ("name", "description", "text", "navn", "beskrivelse", "bezeichnung", "beschreibung"),
    "open_from": ("open from", "valid from", "from", "start", "gültig ab", "offen ab", "ab", "gjelder fra", "åpen fra", "fra"), "open_until": ("open until", "valid to", "valid until", "until", "to", "end", "closed", "gültig bis", "offen bis", "bis", "gjelder til", "åpen til", "til"),
    "asks_for": ("asks for", "requires", "needs", "verlangt", "krever"), "parent": ("parent", "belongs to", "gehört zu", "übergeordnet", "hører til", "overordnet"), "country": ("country", "land"), "rate": ("rate", "percent", "%", "tax rate", "satz", "steuersatz", "prozent", "sats", "prosent"),
    "share": ("recoverable", "deductible", "comes back", "share", "abziehbar", "anteil", "fradrag", "andel"), "iban": ("iban", "bank account", "bankkonto"), "tax_number": ("tax number", "vat number", "vat id", "org nr", "tax id", "steuernummer", "ust-id", "ust-idnr.", "org.nr.", "orgnr", "organisasjonsnummer"),
}  # fmt: skip


def read_masters(content: bytes, kind: str = "") -> tuple[list[Master], list[LeftOut]]:
    """Read masters of a file; ``kind`` is what all rows are where no column says it. Raises ``Unreadable`` with a sentence."""
    if len(content) > MOST_BYTES:
        raise Unreadable(say("The file is larger than 12 MB. Leave out what is not needed."))
    columns, rows = headed_rows(content, WORDS, "code", MOST_ROWS)
    if "code" not in columns or ("kind" not in columns and not kind):
        raise Unreadable(
            say(
                "The first row does not name the columns. Call them kind (account, supplier, or a "
                "dimension), code and name."
            )
        )
    found: dict[tuple[str, str], Master] = {}
    left: list[LeftOut] = []
    for number, row in rows:
        try:
            master = _master(row, kind)
            if (master.kind, master.code) in found:
                raise ValueError(say("{kind} {code} stands in the file twice", kind=master.kind, code=master.code))
            found[master.kind, master.code] = master
        except ValueError as error:
            left.append(LeftOut(say("row {number}", number=number), said_by(error)))
    return list(found.values()), left


def _day(text: str) -> date | None:
    return read_day(text) if text else None


def _fraction(text: str) -> Decimal | None:
    """A rate as 25 %, 25, 0.25 or 0,25: what is above one is per cent. Raises ``ValueError``."""
    if not text:
        return None
    try:
        value = Decimal(text.replace("%", "").replace(",", ".").strip())
    except InvalidOperation as error:
        raise ValueError(say("its rate “{value}” is no number", value=text[:12])) from error
    value = value / 100 if value > 1 or "%" in text else value
    if not 0 <= value <= 1:
        raise ValueError(say("its rate “{value}” is not between 0 and 100 %", value=text[:12]))
    return value


def _master(row: dict[str, str], kind: str) -> Master:
    what = (row.get("kind") or kind).casefold().strip().replace(" ", "_")[:20]
    code = row.get("code", "")
    if not what or not code:
        raise ValueError(say("it has no kind or no code"))
    if len(code) > 20:
        raise ValueError(say("its code “{code}” is longer than 20 letters", code=code[:30]))
    asks = tuple(
        each.strip().replace(" ", "_") for each in row.get("asks_for", "").replace(";", ",").split(",") if each.strip()
    )
    return Master(
        what, code, (row.get("name") or code)[:80], _day(row.get("open_from", "")), _day(row.get("open_until", "")), asks, row.get("parent", "")[:20],
        row.get("country", "")[:2].upper(), _fraction(row.get("rate", "")), _fraction(row.get("share", "")), "".join(row.get("iban", "").split())[:34],
        row.get("tax_number", "")[:20],
    )  # fmt: skip
