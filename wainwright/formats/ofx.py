"""OFX 1 (SGML) and 2 (XML): card and bank statements. Open Financial Exchange 1.6 and 2.2.

The library splits the tags (closing tags may be missing); the entries are then read one by one,
so that a broken one is left out by name and the rest is taken.
"""

from __future__ import annotations

import io
import re
from datetime import date
from decimal import InvalidOperation
from xml.etree.ElementTree import Element

from ofxtools.Parser import OFXTree

from wainwright.core.money import Money
from wainwright.core.text import decimal
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.statement import Statement, StatementLine, read_number, with_places

MOST_BYTES = 5_000_000
_XML_HEAD = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="no"?>\n'
    b'<?OFX OFXHEADER="200" VERSION="211" SECURITY="NONE" OLDFILEUID="NONE" NEWFILEUID="NONE"?>\n'
)


def read_ofx(content: bytes) -> list[Statement]:
    """Read every statement of a file. Raises ``Unreadable`` with a sentence for the person."""
    if not content.strip():
        raise Unreadable("The file is empty.")
    if len(content) > MOST_BYTES:
        raise Unreadable("The file is larger than 5 MB. Ask the card's bank for a shorter period.")
    if b"OFX" not in content[:2000].upper():
        raise Unreadable("This is not an OFX file: it does not begin with an OFX header.")
    if b"<!ENTITY" in content.upper():
        raise Unreadable("The file declares entities, which an OFX file does not need. It was not read.")
    tree = OFXTree()
    try:
        tree.parse(io.BytesIO(_tidy(content)))
    except (SyntaxError, ValueError, LookupError, UnicodeError, AssertionError, AttributeError, TypeError) as error:
        raise Unreadable(
            "The file starts as OFX but breaks off or is damaged. Fetch it again from the bank."
        ) from error
    root = tree.getroot()
    found = [] if root is None else [*root.iter("CCSTMTRS"), *root.iter("STMTRS")]
    if not found:
        raise Unreadable("The file holds no statement of a card or an account.")
    return [_statement(each) for each in found]


def _tidy(content: bytes) -> bytes:
    """Mend what banks leave odd in the header: a byte order mark, lone carriage returns, text before it."""
    content = content.removeprefix(b"\xef\xbb\xbf")
    if b"\n" not in content:
        content = content.replace(b"\r", b"\n")
    if content.lstrip()[:5].lower() in (b"<?xml", b"<?ofx"):
        # The library is strict about the two XML headers, banks are not; only the version matters, and we read any.
        return _XML_HEAD + re.sub(rb"<\?(?:xml|OFX)[^<>]*+>", b"", content, flags=re.I).lstrip()
    start = re.search(rb"OFXHEADER|<\?xml|<\?OFX", content)
    return content[start.start() :] if start else content


def _statement(statement: Element) -> Statement:
    account = "".join(filter(str.isdigit, _text(statement, ".//ACCTID")))
    currency = _text(statement, "CURDEF") or "EUR"
    lines: list[StatementLine] = []
    left, seen = [], set[StatementLine]()
    for number, entry in enumerate(statement.iter("STMTTRN"), 1):
        name = _text(entry, "NAME") or _text(entry, ".//PAYEE/NAME") or _text(entry, "MEMO")
        where = f"entry {number}" + (f", {name}" if name else "")
        try:
            line = _line(entry, name, currency)
        except ValueError as error:
            left.append(LeftOut(where, str(error)))
            continue
        if line.bank_id and line in seen:
            left.append(LeftOut(where, "the same entry stands in the file twice"))
            continue
        seen.add(line)
        lines.append(line)
    return Statement(
        account[-4:], currency, tuple(with_places(lines)), tuple(left), closing=_closing(statement, currency)
    )  # fmt: skip


def _closing(statement: Element, currency: str) -> Money | None:
    """The ledger balance, where the file has one that can be read."""
    text = _text(statement, ".//LEDGERBAL/BALAMT").replace(" ", "").replace(",", ".")
    try:
        return Money.rounded(read_number(text), currency) if text else None
    except (ValueError, KeyError):
        return None


def _line(entry: Element, name: str, currency: str) -> StatementLine:
    day = _date(_text(entry, "DTUSER") or _text(entry, "DTPOSTED"))
    raw = _text(entry, "TRNAMT").replace(" ", "").replace("\u2212", "-")
    if "," in raw and "." not in raw:
        raw = raw.replace(",", ".")
    try:
        # A purchase is below zero in the file; here it is what was charged.
        value = decimal(raw)
        if value > 0 and _text(entry, "TRNTYPE").upper() == "DEBIT":
            # Some banks leave the sign to the kind of entry.
            value = -value
        amount = Money.rounded(-value, _text(entry, ".//CURRENCY/CURSYM") or currency)
    except (InvalidOperation, ValueError) as error:
        raise ValueError(f"its amount {raw!r} is not a number") from error
    return StatementLine(
        _text(entry, "FITID")[:255], day, amount, name[:120] or "Not named", _text(entry, "MEMO")[:200],
        _text(entry, "SIC")[:4], original=_original(entry, amount),
    )  # fmt: skip


def _original(entry: Element, amount: Money) -> Money | None:
    """What was paid abroad: the rate (CURRATE) is what one unit of the other currency is worth in the statement's."""
    symbol, rate = _text(entry, ".//ORIGCURRENCY/CURSYM"), _text(entry, ".//ORIGCURRENCY/CURRATE").replace(",", ".")
    try:
        worth = decimal(rate)
        if not worth.is_finite() or worth <= 0 or symbol == amount.currency:
            return None
        return Money.rounded(amount.amount / worth, symbol)
    except (ArithmeticError, ValueError, KeyError):
        return None


def _date(raw: str) -> date:
    match = re.match(r"(\d{4})(\d{2})(\d{2})", raw)
    if not match:
        raise ValueError(f"its date {raw!r} is not a date")
    try:
        return date(*map(int, match.groups()))
    except ValueError as error:
        raise ValueError(f"its date {raw!r} is not a date") from error


def _text(element: Element, path: str) -> str:
    found = element.find(path)
    return (found.text or "").strip() if found is not None else ""
