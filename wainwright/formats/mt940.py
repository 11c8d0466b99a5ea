"""MT940 (SWIFT): customer statements. The library knows the fields and the banks' dialects of them.

A statement is parsed as a whole; where one entry breaks it, entry by entry, so that the good ones stay.
"""

from __future__ import annotations

import logging
import re
from datetime import date
from typing import Any

import mt940

from wainwright.core.money import Money
from wainwright.core.said import as_figure, said_by, say
from wainwright.formats.counting import counted
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.statement import (
    MOST_LINES,
    Statement,
    StatementLine,
    digits,
    must_not_be_too_large,
    own_key,
    text_of,
    with_places,
)
from wainwright.formats.written import possible, read_number

# The library tells of every dialect that it tries; what could not be read is said to the person instead.
logging.getLogger("mt940").setLevel(logging.CRITICAL)
_TAG = re.compile(r"^:(\d{2}[A-Z]?):", re.M)
_LIBRARY = (ValueError, KeyError, TypeError, AttributeError, ArithmeticError, RuntimeError, IndexError, AssertionError)


def is_mt940(content: bytes) -> bool:
    """Say whether a file looks like one, by its content."""
    head = text_of(content[:6000])
    return bool(re.search(r"^:20:", head, re.M) and re.search(r"^:(25|60[FM]):", head, re.M))


def read_mt940(content: bytes) -> list[Statement]:
    """Read every statement of a file. Raises ``Unreadable`` with a sentence for the person."""
    must_not_be_too_large(content)
    text = text_of(content).replace("\r\n", "\n").replace("\r", "\n")
    if text.count("\n:61:") > MOST_LINES:
        raise Unreadable(
            say(
                "The file has more than {most_lines} entries. Ask the bank for a shorter period.",
                most_lines=as_figure(MOST_LINES, ","),
            )
        )
    starts = [m.start() for m in re.finditer(r"^:20:", text, re.M)]
    if not starts:
        raise Unreadable(say("This is no MT940 file: no statement begins in it (:20:)."))
    blocks = [text[a:b] for a, b in zip(starts, [*starts[1:], len(text)], strict=True)]
    return [_statement(_without_envelope(block), number) for number, block in enumerate(blocks, 1)]


def _without_envelope(block: str) -> str:
    """Drop the envelope of SWIFT around a message, and the dash that ends it."""
    return "\n".join(line for line in block.split("\n") if not line.startswith(("{", "-}")) and line.strip() != "-")


def _statement(block: str, number: int) -> Statement:
    head, entries = _split(block)
    account = _field(block, "25")
    currency = (re.search(r":60[FM]:[CD]\d{6}([A-Z]{3})", block) or [None, "EUR"])[1] or "EUR"
    left: list[LeftOut] = []
    lines: list[StatementLine] = []
    try:
        parsed = list(_parse(block))
        if len(parsed) != len(entries):
            raise ValueError(say("not every entry was understood"))
        for entry, entry_text in zip(parsed, entries, strict=True):
            counted()
            lines.append(_line(entry.data, currency, entry_text))
    except _LIBRARY:
        lines = []
        for index, entry_text in enumerate(entries, 1):
            counted()
            try:
                found = list(_parse(f"{head}\n{entry_text}"))
                lines += [_line(entry.data, currency, entry_text) for entry in found]
                if not found:
                    raise ValueError(say("it could not be understood"))
            except _LIBRARY as error:
                shown = entry_text.split("\n")[0][:60]
                left.append(
                    LeftOut(
                        say("statement {number}, entry {index}, {shown}", number=number, index=index, shown=shown),
                        _why(error),
                    )
                )
    ends = [_balance(block, tags) for tags in ("60[FM]", "62[FM]")]
    return Statement(digits(account), currency, tuple(with_places(lines)), tuple(left), *ends)


def _balance(block: str, tag: str) -> Money | None:
    """A balance as :60F:C261005EUR1234,56; what cannot be read is none."""
    found = re.search(rf"^:{tag}:([CD])\d{{6}}([A-Z]{{3}})([\d,.]+)", block, re.M)
    if found is None:
        return None
    try:
        amount = Money.rounded(read_number(found[3].rstrip(","), "," if "," in found[3] else "."), found[2])
    except (ValueError, KeyError):
        return None
    return amount if found[1] == "C" else -amount


def _why(error: Exception) -> str:
    words = said_by(error).split("\n")[0][:120]
    return words or say("it could not be understood")


def _split(block: str) -> tuple[str, list[str]]:
    """The head of a statement, and each entry (:61: with its :86:)."""
    tags = [(m[1], m.start()) for m in _TAG.finditer(block)]
    ends = [start for _, start in tags[1:]] + [len(block)]
    head, entries = [], []
    for (tag, start), end in zip(tags, ends, strict=True):
        piece = block[start:end].rstrip()
        if tag == "61":
            entries.append(piece)
        elif tag == "86" and entries:
            entries[-1] += "\n" + piece
        elif not entries:
            head.append(piece)
    return "\n".join(head), entries


def _field(block: str, tag: str) -> str:
    found = re.search(rf"^:{tag}:(.*)$", block, re.M)
    return found[1].strip() if found else ""


def _parse(text: str) -> Any:
    # A day that is in no calendar is pointed out, never moved to the end of its month, as the library would.
    return mt940.parse(text, processors={"pre_statement": []}, options=mt940.Options.all())


def _line(data: dict[str, Any], currency: str, written: str) -> StatementLine:
    """The library gives credits above zero and debits below; here a purchase is what was charged."""
    amount = data.get("amount")
    if amount is None:
        raise ValueError(say("it has no amount"))
    charged = Money.rounded(-amount.amount, amount.currency or currency)
    day = data.get("date") or data.get("entry_date")
    if day is None:
        raise ValueError(say("it has no date"))
    details = data.get("transaction_details") or ""
    merchant = _merchant(data, written)
    reference = data.get("bank_reference") or data.get("customer_reference") or ""
    known = reference and reference.upper() not in ("NONREF", "NOTPROVIDED")
    key = reference if known else own_key(day, charged, merchant)
    return StatementLine(
        str(key)[:255], possible(date(day.year, day.month, day.day)), charged, merchant, " ".join(str(details).split())[:200],
        reference=_references(data),
    )  # fmt: skip


# What banks put between the words of :86:, by a number (?32), a name (/NAME/, NAME:), or a code of three digits before it all.
_BY_NUMBER = re.compile(r"[?@~^<>](\d{2})((?:(?![?@~^<>]\d{2}).)*)", re.S)
_BY_NAME = re.compile(r"/(?:NAME|NAAM|NM)/+\s*([^/]{2,80})", re.I)
_OF_PARTY = re.compile(r"/(?:BENM|ORDP|CNTP)//?(?:NAME/)?([^/]{2,80})", re.I)
_TAGS = re.compile(r"/[A-Z]{3,5}/+|(?<!\w)[A-Z]{4}\+|[?@~^]\d{2}|(?<![\w.])[A-Z]{2}\d{2}[A-Z0-9]{11,30}(?!\w)")


def _merchant(data: dict[str, Any], written: str) -> str:
    """Who is on the other side, without a bank's tags, account numbers and codes."""
    details = "".join(written.partition(":86:")[2].split("\n"))
    numbered = {number: words.strip() for number, words in _BY_NUMBER.findall(details)}
    name = " ".join(filter(None, (numbered.get("32"), numbered.get("33"))))
    found = _BY_NAME.search(details) or _OF_PARTY.search(details)
    others = [str(data.get(key) or "") for key in ("applicant_name", "purpose", "transaction_details", "extra_details")]
    for each in (name, found[1] if found else "", *others):
        words = " ".join(_TAGS.sub(" ", each).split()).strip(" /?+-:;,")
        if any(c.isalpha() for c in words):
            return words[:120]
    return say("Not named")


def _references(data: dict[str, Any]) -> str:
    names = ("customer_reference", "bank_reference", "end_to_end_reference", "purpose", "additional_purpose")
    found = [str(data.get(name) or "") for name in names]
    return " ".join(dict.fromkeys(each for each in found if each and each.upper() not in ("NONREF", "NOTPROVIDED")))[
        :200
    ]
