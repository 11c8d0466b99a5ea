"""camt.052, camt.053 and camt.054 (ISO 20022): account reports, statements and notifications, of any version."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date

from lxml import etree

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
    with_places,
)
from wainwright.formats.written import read_day, read_number

_ROOTS = ("BkToCstmrStmt", "BkToCstmrAcctRpt", "BkToCstmrDbtCdtNtfctn")
_STATEMENTS = ("Stmt", "Rpt", "Ntfctn")
# Nothing of a statement lies deeper.
DEEPEST = 12
_PENDING = ("PDNG", "FUTR")


def is_camt(content: bytes) -> bool:
    """Say whether a file looks like one, by its content."""
    head = content[:4000]
    return b"camt.05" in head or any(root.encode() in head for root in _ROOTS)


@dataclass
class _Found:
    """A statement while it is gone through: its account, its lines by card, and what was left out."""

    account: str = ""
    currency: str = ""
    opening: Money | None = None
    closing: Money | None = None
    number: int = 0
    by_card: dict[str, list[StatementLine]] = field(default_factory=dict)
    left: list[LeftOut] = field(default_factory=list)


def read_camt(content: bytes) -> list[Statement]:
    """Read every statement of a file, entry by entry as they come. Raises ``Unreadable`` with a sentence for the person."""
    must_not_be_too_large(content)
    if b"<!DOCTYPE" in content[:10_000].upper() or b"<!ENTITY" in content.upper():
        raise Unreadable(say("The file declares entities, which a camt file does not need. It was not read."))
    try:
        found = list(_gone_through(content.strip()))
    except (etree.XMLSyntaxError, ValueError) as error:
        raise Unreadable(
            say(
                "The file breaks off or is damaged: {splitlines}. Fetch it again from the bank.",
                splitlines=said_by(error).splitlines()[0][:120],
            )
        ) from error
    if not found:
        raise Unreadable(say("The file holds no statement of an account."))
    if sum(each.number for each in found) > MOST_LINES:
        raise Unreadable(
            say(
                "The file has more than {most_lines} entries. Ask the bank for a shorter period.",
                most_lines=as_figure(MOST_LINES, ","),
            )
        )
    return [statement for each in found for statement in _statements(each)]


def _gone_through(content: bytes) -> Iterator[_Found]:
    """Each statement of a file. What was read of it is let go of at once, so that a long one takes no more room than a short one."""
    events = etree.iterparse(
        io.BytesIO(content), events=("start", "end"), tag=[f"{{*}}{name}" for name in (*_STATEMENTS, "Acct", "Bal", "Ntry")],
        resolve_entities=False, no_network=True, huge_tree=False, load_dtd=False, remove_comments=True, remove_pis=True,
    )  # fmt: skip
    now: _Found | None = None
    for event, node in events:
        name = etree.QName(node).localname
        if name in _STATEMENTS:
            if event == "start":
                now = _Found()
            elif now is not None:
                yield now
                now = None
                _let_go(node)
        elif event == "end" and now is not None and etree.QName(node.getparent()).localname in _STATEMENTS:
            if name == "Acct":
                account = _flat(node)
                now.account, now.currency = account.get("Id/IBAN", "Id/Othr/Id"), account.get("Ccy").upper()
            elif name == "Bal":
                _take_balance(now, node)
            else:
                _take_entry(now, node)
            _let_go(node)


def _let_go(node: etree._Element) -> None:
    node.clear()
    above = node.getparent()
    while above is not None and node.getprevious() is not None:
        del above[0]


def _take_entry(now: _Found, entry: etree._Element) -> None:
    now.number += 1
    counted()
    try:
        for last_four, line in _lines(entry, now.currency):
            now.by_card.setdefault(last_four or digits(now.account), []).append(line)
    except ValueError as error:
        now.left.append(
            LeftOut(
                say("entry {number}, line {sourceline}", number=now.number, sourceline=entry.sourceline),
                said_by(error),
            )
        )


def _take_balance(now: _Found, node: etree._Element) -> None:
    """A balance of the account by its kind; what cannot be read is none."""
    balance = _flat(node)
    kind = balance.get("Tp/CdOrPrtry/Cd", "Tp/Cd")
    try:
        amount = _amount(balance, now.currency)
        amount = -amount if _sign(balance) > 0 else amount
    except ValueError:
        return
    if kind in ("OPBD", "PRCD"):
        now.opening = now.opening or amount
    elif kind == "CLBD":
        now.closing = now.closing or amount


def _statements(found: _Found) -> Iterator[Statement]:
    """One account may hold several cards: a statement for each."""
    by_card = found.by_card or {digits(found.account): []}
    for index, (last_four, lines) in enumerate(by_card.items()):
        first = index == 0
        yield Statement(
            last_four, found.currency or "EUR", tuple(with_places(lines)), tuple(found.left) if first else (),
            found.opening if first else None, found.closing if first else None,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Flat:
    """A node as the texts in it by their paths ("Refs/TxId"), the first of each; attributes by "path@name".

    Gone through once: to look for each text anew takes many times as long as reading the file.
    """

    texts: dict[str, str]
    details: tuple[_Flat, ...] = ()
    words: tuple[str, ...] = ()

    def get(self, *paths: str) -> str:
        """The first text that stands at one of the paths, or nothing."""
        return next((found for path in paths if (found := self.texts.get(path))), "")


def _flat(node: etree._Element) -> _Flat:
    texts: dict[str, str] = {}
    details: list[_Flat] = []
    words: list[str] = []

    def walk(at: etree._Element, above: str) -> None:
        for child in at:
            tag = child.tag
            path = above + tag[tag.rfind("}") + 1 :]
            if path == "NtryDtls/TxDtls":
                details.append(_flat(child))
                continue
            text = (child.text or "").strip()
            if text and path not in texts:
                texts[path] = text
            if path.endswith("RmtInf/Ustrd"):
                words.append(text)
            for name, value in child.attrib.items():
                texts.setdefault(f"{path}@{name!s}", str(value))
            if len(child) and above.count("/") < DEEPEST:
                walk(child, path + "/")

    walk(node, "")
    return _Flat(texts, tuple(details), tuple(words))


def _lines(node: etree._Element, currency: str) -> Iterator[tuple[str, StatementLine]]:
    """The lines of an entry: its details where they name their amounts and add up, else the entry as a whole."""
    entry = _flat(node)
    whole, sign = _amount(entry, currency), _sign(entry)
    status = entry.get("Sts/Cd", "Sts").upper()
    day = _day(entry)
    details = entry.details
    amounts = [_detail_amount(each, whole) for each in details]
    if details and all(a is not None for a in amounts) and sum(a.minor for a in amounts if a) == whole.minor:
        rows = list(zip(details, [a for a in amounts if a is not None], strict=True))
    else:
        rows = [(details[0] if len(details) == 1 else entry, whole)]
    for each, amount in rows:
        # Who is on the other side: whoever was paid, or who paid where money came in.
        there, here = ("Cdtr", "Dbtr") if sign > 0 else ("Dbtr", "Cdtr")
        merchant = each.get(
            f"RltdPties/{there}/Nm", f"RltdPties/{there}/Pty/Nm", "CardTx/POI/Id/Id", f"RltdPties/{here}/Nm", f"RltdPties/{here}/Pty/Nm"
        )  # fmt: skip
        memo = " ".join(filter(None, each.words or (entry.words if each is entry else ())))[:200]
        merchant = merchant or memo or entry.get("AddtlNtryInf") or say("Not named")
        key = each.get("Refs/AcctSvcrRef", "Refs/TxId", "Refs/EndToEndId")
        key = key if key and key != "NOTPROVIDED" else entry.get("AcctSvcrRef") if len(rows) == 1 else ""
        signed = amount if sign > 0 else -amount
        line = StatementLine(
            (key or own_key(day, signed, merchant))[:255], day, signed, merchant[:120], memo, each.get("CardTx/Tx/MrchntCtgyCd")[:4],
            _original(each, amount, sign), status in _PENDING, _references(entry, each),
        )  # fmt: skip
        yield digits(each.get("CardTx/Card/PlainCardData/PAN", "CardTx/Card/MskdPAN")), line


_KEYS = ("Refs/EndToEndId", "Refs/MsgId", "Refs/PmtInfId", "Refs/InstrId")


def _references(entry: _Flat, node: _Flat) -> str:
    """By what a payment can be known: its own keys, and those of the batch that was booked as one."""
    found = [node.get(path) for path in _KEYS]
    found += [entry.get(f"NtryDtls/Btch/{name}") for name in ("MsgId", "PmtInfId")]
    found += [node.get("RmtInf/Strd/CdtrRefInf/Ref"), entry.get("NtryRef")]
    return " ".join(dict.fromkeys(each for each in found if each and each != "NOTPROVIDED"))[:200]


def _amount(entry: _Flat, currency: str) -> Money:
    written = entry.get("Amt")
    if not written:
        raise ValueError(say("it has no amount"))
    code = (entry.get("Amt@Ccy") or currency or "EUR").upper()
    try:
        return Money.rounded(read_number(written, "."), code)
    except (KeyError, ArithmeticError) as error:
        raise ValueError(say("its currency {code} is not known", code=code[:8])) from error


def _detail_amount(node: _Flat, whole: Money) -> Money | None:
    path = next((each for each in ("Amt", "AmtDtls/TxAmt/Amt") if node.get(each)), "")
    if not path or node.texts.get(f"{path}@Ccy", whole.currency) != whole.currency:
        return None
    return Money.rounded(read_number(node.get(path), "."), whole.currency)


def _original(node: _Flat, amount: Money, sign: int) -> Money | None:
    path = next((each for each in ("AmtDtls/InstdAmt/Amt", "NtryDtls/AmtDtls/InstdAmt/Amt") if node.get(each)), "")
    code = node.texts.get(f"{path}@Ccy", amount.currency)
    if not path or code == amount.currency:
        return None
    try:
        return Money.rounded(read_number(node.get(path), ".") * sign, code)
    except (ValueError, KeyError):
        return None


def _sign(entry: _Flat) -> int:
    """A debit was charged, a credit is a refund; a reversal says the direction of its own money already."""
    mark = entry.get("CdtDbtInd").upper()
    if mark not in ("DBIT", "CRDT"):
        raise ValueError(say("it does not say whether it is a debit or a credit"))
    return 1 if mark == "DBIT" else -1


def _day(entry: _Flat) -> date:
    first = entry.details[0] if entry.details else entry
    return read_day(first.get("CardTx/Tx/TxDtTm") or entry.get("BookgDt/Dt", "BookgDt/DtTm", "ValDt/Dt", "ValDt/DtTm"))
