"""OFX 1 (SGML) and 2 (XML): card and bank statements. Open Financial Exchange 1.6 and 2.2.

Banks write it in many hands: with headers of either version, torn ones or none, tags in small letters, closing tags or
none, every other thing between. So it is gone through tag by tag, and only the tags that say something of a statement
count; a broken entry is left out by name and the rest is taken.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date
from html import unescape

from wainwright.core.money import Money
from wainwright.core.said import as_figure, said_by, say
from wainwright.formats.counting import counted
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.statement import (
    MOST_LINES,
    Statement,
    StatementLine,
    must_not_be_too_large,
    text_of,
    with_places,
)
from wainwright.formats.written import mark_of, possible, read_number

_START = re.compile(r"<\s*OFX\s*>", re.I)
_TAG = re.compile(r"<\s*(/?)\s*([A-Za-z][A-Za-z0-9._]{0,40})(?:\s[^<>]{0,400})?\s*/?>([^<]*)")
_CDATA = re.compile(r"<!\[CDATA\[(.*?)\]\]>", re.S)
_CHARSET = re.compile(rb"CHARSET\s*[:=]\s*\"?\s*([A-Za-z0-9_-]{2,20})", re.I)
_STATEMENTS = {"STMTRS", "CCSTMTRS"}
_NESTED = {"CURRENCY", "ORIGCURRENCY", "PAYEE", "BANKACCTTO", "CCACCTTO", "IMAGEDATA"}
_HEADS = {"CURDEF", "ACCTID"}


@dataclass
class _Found:
    """A statement while it is gone through: its head, its entries by "TAG" or "AGGREGATE/TAG", and whether it ended."""

    head: dict[str, str] = field(default_factory=dict)
    entries: list[dict[str, str]] = field(default_factory=list)
    ended: bool = False
    broken: bool = False


def read_ofx(content: bytes) -> list[Statement]:
    """Read every statement of a file. Raises ``Unreadable`` with a sentence for the person."""
    if not content.strip():
        raise Unreadable(say("The file is empty."))
    must_not_be_too_large(content)
    if b"<!ENTITY" in content.upper():
        raise Unreadable(say("The file declares entities, which an OFX file does not need. It was not read."))
    text = _text(content)
    start = _START.search(text)
    if start is None:
        raise Unreadable(say("This is not an OFX file, or it breaks off in its header. Fetch it again from the bank."))
    found = _gone_through(_CDATA.sub(lambda m: m[1].replace("&", "&amp;").replace("<", "&lt;"), text[start.start() :]))
    if not found and "</ofx>" not in text[-2000:].casefold():
        raise Unreadable(say("The file starts as OFX but breaks off or is damaged. Fetch it again from the bank."))
    if not found:
        raise Unreadable(say("The file holds no statement of a card or an account."))
    if sum(len(each.entries) for each in found) > MOST_LINES:
        raise Unreadable(
            say(
                "The file has more than {most_lines} entries. Ask the bank for a shorter period.",
                most_lines=as_figure(MOST_LINES, ","),
            )
        )
    return [_statement(each) for each in found]


def _text(content: bytes) -> str:
    """The text of a file: in UTF-8 where it is that, else in the character set that its header names."""
    named = _CHARSET.search(content[:2000])
    name = named[1].decode() if named else ""
    codec = {
        "1250": "cp1250",
        "1257": "cp1257",
        "1251": "cp1251",
        "1254": "cp1254",
        "8859-1": "cp1252",
        "8859-2": "iso8859-2",
    }
    return text_of(content, codec.get(name.upper().removeprefix("ISO-"), "cp1252")).replace("\x00", "")


def _tags(text: str) -> Iterator[tuple[bool, str, str]]:
    """Each tag of a text: whether it closes, its name, and the words after it."""
    for match in _TAG.finditer(text):
        yield bool(match[1]), match[2].upper().rpartition(".")[2], unescape(match[3]).strip()


def _gone_through(text: str) -> list[_Found]:
    found: list[_Found] = []
    now: _Found | None = None
    entry: dict[str, str] | None = None
    inside = balance = ""
    for closes, name, words in _tags(text):
        if name in _STATEMENTS:
            if now is not None:
                now.ended, now.broken = closes, now.broken or entry is not None
            now, entry, inside = (None, None, "") if closes else (_Found(), None, "")
            found += [now] if now is not None else []
        elif now is None:
            continue
        elif name == "STMTTRN":
            entry, inside = (None, "") if closes else ({}, "")
            now.entries += [entry] if entry is not None else []
        elif name in ("LEDGERBAL", "AVAILBAL"):
            entry, balance = None, "" if closes else name
        elif name == "BANKTRANLIST":
            entry = None
        elif entry is not None and name in _NESTED and not words:
            inside = "" if closes else f"{name}/"
        elif not closes and words:
            if entry is not None:
                entry.setdefault(inside + name, words)
            elif name in _HEADS or (balance and name == "BALAMT"):
                now.head.setdefault(f"{balance}/{name}" if balance else name, words)
    if now is not None:
        now.broken = entry is not None
    return found


def _statement(found: _Found) -> Statement:
    head = found.head
    account = "".join(filter(str.isdigit, head.get("ACCTID", "")))
    currency = head.get("CURDEF", "").upper()[:3] or "EUR"
    # Its marks: the format knows none between thousands, so a doubtful one ends the whole units.
    amounts = [entry.get("TRNAMT", "") for entry in found.entries]
    mark = mark_of(amounts) or ("," if any("," in raw for raw in amounts) else ".")
    lines: list[StatementLine] = []
    left, seen = [], set[StatementLine]()
    for number, entry in enumerate(found.entries, 1):
        counted()
        name = entry.get("NAME") or entry.get("PAYEE/NAME") or entry.get("MEMO", "")
        where = say("entry {number}", number=number) + (f", {name[:120]}" if name else "")
        try:
            line = _line(entry, name, currency, mark)
        except ValueError as error:
            left.append(LeftOut(where, said_by(error)))
            continue
        if line.bank_id and line in seen:
            left.append(LeftOut(where, say("the same entry stands in the file twice")))
            continue
        seen.add(line)
        lines.append(line)
    if not found.ended:
        if found.broken and lines:
            # What was cut through in its middle may have lost a part of its amount.
            left.append(
                LeftOut(
                    say(
                        "entry {entries_count}, {merchant}",
                        entries_count=len(found.entries),
                        merchant=lines.pop().merchant,
                    ),
                    say("the file breaks off in it"),
                )
            )
        left.append(LeftOut(say("the end"), say("the file breaks off here: fetch it again where entries are missing")))
    return Statement(
        account[-4:], currency, tuple(with_places(lines)), tuple(left), closing=_closing(head, currency, mark)
    )


def _closing(head: dict[str, str], currency: str, mark: str) -> Money | None:
    """The ledger balance, where the file has one that can be read."""
    try:
        return Money.rounded(read_number(head["LEDGERBAL/BALAMT"], mark), currency)
    except (ValueError, KeyError):
        return None


def _line(entry: dict[str, str], name: str, currency: str, mark: str) -> StatementLine:
    day = _date(entry.get("DTUSER") or entry.get("DTPOSTED", ""))
    raw = entry.get("TRNAMT", "")
    # A purchase is below zero in the file; here it is what was charged.
    value = read_number(raw, mark)
    if value > 0 and entry.get("TRNTYPE", "").upper() in ("DEBIT", "DB"):
        # Some banks leave the sign to the kind of entry.
        value = -value
    symbol = entry.get("CURRENCY/CURSYM", "").upper() or currency
    try:
        amount = Money.rounded(-value, symbol)
    except KeyError as error:
        raise ValueError(say("its currency {symbol} is not known", symbol=symbol[:8])) from error
    return StatementLine(
        entry.get("FITID", "")[:255], day, amount, name[:120] or say("Not named"), entry.get("MEMO", "")[:200],
        entry.get("SIC", "")[:4], original=_original(entry, amount),
    )  # fmt: skip


def _original(entry: dict[str, str], amount: Money) -> Money | None:
    """What was paid abroad: the rate (CURRATE) is what one unit of the other currency is worth in the statement's."""
    symbol, rate = entry.get("ORIGCURRENCY/CURSYM", "").upper(), entry.get("ORIGCURRENCY/CURRATE", "")
    try:
        worth = read_number(rate, "," if "," in rate else ".")
        if worth <= 0 or symbol == amount.currency:
            return None
        return Money.rounded(amount.amount / worth, symbol)
    except (ArithmeticError, ValueError, KeyError):
        return None


def _date(raw: str) -> date:
    match = re.match(r"(\d{4})[-/.]?(\d{2})[-/.]?(\d{2})", raw)
    if not match:
        raise ValueError(say("its date “{value}” is not a date", value=raw[:20]))
    try:
        return possible(date(*map(int, match.groups())))
    except ValueError as error:
        raise ValueError(say("its date “{value}” is not a date", value=raw[:20])) from error
