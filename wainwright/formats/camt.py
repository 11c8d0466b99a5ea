"""camt.052, camt.053 and camt.054 (ISO 20022): account reports, statements and notifications, of any version."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from lxml import etree

from wainwright.core.money import Money
from wainwright.formats.problems import LeftOut, Unreadable
from wainwright.formats.statement import (
    MOST_BYTES,
    MOST_LINES,
    Statement,
    StatementLine,
    digits,
    own_key,
    read_day,
    read_number,
    with_places,
)

_ROOTS = ("BkToCstmrStmt", "BkToCstmrAcctRpt", "BkToCstmrDbtCdtNtfctn")
_PENDING = ("PDNG", "FUTR")


def is_camt(content: bytes) -> bool:
    """Say whether a file looks like one, by its content."""
    head = content[:4000]
    return b"camt.05" in head or any(root.encode() in head for root in _ROOTS)


def read_camt(content: bytes) -> list[Statement]:
    """Read every statement of a file. Raises ``Unreadable`` with a sentence for the person."""
    if len(content) > MOST_BYTES:
        raise Unreadable("The file is larger than 12 MB. Ask the bank for a shorter period.")
    if b"<!DOCTYPE" in content[:10_000].upper() or b"<!ENTITY" in content.upper():
        raise Unreadable("The file declares entities, which a camt file does not need. It was not read.")
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, huge_tree=False, load_dtd=False, remove_comments=True
    )
    try:
        root = etree.fromstring(content.strip(), parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise Unreadable(
            f"The file breaks off or is damaged: {str(error).splitlines()[0][:120]}. Fetch it again from the bank."
        ) from error
    found = [each for name in ("Stmt", "Rpt", "Ntfctn") for each in root.iterfind(f".//{{*}}{name}")]
    if not found:
        raise Unreadable("The file holds no statement of an account.")
    return [statement for each in found for statement in _statements(each)]


def _statements(node: etree._Element) -> Iterator[Statement]:
    """One account may hold several cards: a statement for each."""
    account = _text(node, "Acct/Id/IBAN") or _text(node, "Acct/Id/Othr/Id")
    currency = _text(node, "Acct/Ccy")
    by_card: dict[str, list[StatementLine]] = {}
    left: list[LeftOut] = []
    for number, entry in enumerate(node.iterfind("{*}Ntry"), 1):
        if number > MOST_LINES:
            left.append(LeftOut(f"entry {number}", f"a file has at most {MOST_LINES} entries; the rest was left out"))
            break
        try:
            for last_four, line in _lines(entry, currency):
                by_card.setdefault(last_four or digits(account), []).append(line)
        except ValueError as error:
            where = f"entry {number}, line {entry.sourceline}"
            left.append(LeftOut(where, str(error)))
    if not by_card:
        by_card[digits(account)] = []
    opening, closing = _balance(node, ("OPBD", "PRCD"), currency), _balance(node, ("CLBD",), currency)
    for index, (last_four, lines) in enumerate(by_card.items()):
        first = index == 0
        yield Statement(
            last_four, currency or "EUR", tuple(with_places(lines)), tuple(left) if first else (), opening if first else None,
            closing if first else None,
        )  # fmt: skip


def _balance(node: etree._Element, codes: tuple[str, ...], currency: str) -> Money | None:
    """A balance of the account by its kind; what cannot be read is none."""
    for each in node.iterfind("{*}Bal"):
        if (_text(each, "Tp/CdOrPrtry/Cd") or _text(each, "Tp/Cd")) in codes:
            try:
                amount = _amount(each, currency)
                return -amount if _sign(each) > 0 else amount
            except ValueError:
                return None
    return None


def _lines(entry: etree._Element, currency: str) -> Iterator[tuple[str, StatementLine]]:
    """The lines of an entry: its details where they name their amounts and add up, else the entry as a whole."""
    whole, sign = _amount(entry, currency), _sign(entry)
    status = (_text(entry, "Sts/Cd") or _text(entry, "Sts")).upper()
    day = _day(entry)
    details = list(entry.iterfind("{*}NtryDtls/{*}TxDtls"))
    amounts = [_detail_amount(each, whole) for each in details]
    if details and all(a is not None for a in amounts) and sum(a.minor for a in amounts if a) == whole.minor:
        rows = list(zip(details, [a for a in amounts if a], strict=True))
    else:
        rows = [(details[0] if len(details) == 1 else entry, whole)]
    for node, amount in rows:
        # Who is on the other side: whoever was paid, or who paid where money came in.
        there, here = ("Cdtr", "Dbtr") if sign > 0 else ("Dbtr", "Cdtr")
        merchant = _first(
            node,
            (
                f"RltdPties/{there}/Nm",
                f"RltdPties/{there}/Pty/Nm",
                "CardTx/POI/Id/Id",
                f"RltdPties/{here}/Nm",
                f"RltdPties/{here}/Pty/Nm",
            ),
        )
        memo = " ".join(filter(None, (x.text for x in node.iterfind(".//{*}RmtInf/{*}Ustrd"))))[:200]
        merchant = merchant or memo or _text(entry, "AddtlNtryInf") or "Not named"
        key = _first(node, ("Refs/AcctSvcrRef", "Refs/TxId", "Refs/EndToEndId"))
        key = key if key and key != "NOTPROVIDED" else _text(entry, "AcctSvcrRef") if len(rows) == 1 else ""
        signed = amount if sign > 0 else -amount
        line = StatementLine(
            (key or own_key(day, signed, merchant))[:255], day, signed, merchant[:120], memo, _text(node, "CardTx/Tx/MrchntCtgyCd")[:4],
            _original(node, amount, sign), status in _PENDING, _references(entry, node),
        )  # fmt: skip
        pan = _first(node, ("CardTx/Card/PlainCardData/PAN", "CardTx/Card/MskdPAN"))
        yield digits(pan), line


_KEYS = ("Refs/EndToEndId", "Refs/MsgId", "Refs/PmtInfId", "Refs/InstrId")


def _references(entry: etree._Element, node: etree._Element) -> str:
    """By what a payment can be known: its own keys, and those of the batch that was booked as one."""
    found = [_text(node, path) for path in _KEYS]
    found += [_text(entry, f"NtryDtls/Btch/{name}") for name in ("MsgId", "PmtInfId")]
    found += [_text(node, "RmtInf/Strd/CdtrRefInf/Ref"), _text(entry, "NtryRef")]
    return " ".join(dict.fromkeys(each for each in found if each and each != "NOTPROVIDED"))[:200]


def _amount(entry: etree._Element, currency: str) -> Money:
    node = entry.find("{*}Amt")
    if node is None or not (node.text or "").strip():
        raise ValueError("it has no amount")
    try:
        return Money.rounded(read_number(node.text or ""), node.get("Ccy") or currency or "EUR")
    except (KeyError, ArithmeticError) as error:
        raise ValueError(f"its currency {node.get('Ccy')!r} is not known") from error


def _detail_amount(node: etree._Element, whole: Money) -> Money | None:
    found = node.find("{*}Amt")
    if found is None:
        found = node.find("{*}AmtDtls/{*}TxAmt/{*}Amt")
    if found is None or found.get("Ccy", whole.currency) != whole.currency:
        return None
    return Money.rounded(read_number(found.text or ""), whole.currency)


def _original(node: etree._Element, amount: Money, sign: int) -> Money | None:
    found = node.find(".//{*}AmtDtls/{*}InstdAmt/{*}Amt")
    if found is None or found.get("Ccy", amount.currency) == amount.currency:
        return None
    try:
        return Money.rounded(read_number(found.text or "") * sign, found.get("Ccy") or "")
    except (ValueError, KeyError):
        return None


def _sign(entry: etree._Element) -> int:
    """A debit was charged, a credit is a refund; a reversal says the direction of its own money already."""
    mark = _text(entry, "CdtDbtInd").upper()
    if mark not in ("DBIT", "CRDT"):
        raise ValueError("it does not say whether it is a debit or a credit")
    return 1 if mark == "DBIT" else -1


def _day(entry: etree._Element) -> date:
    raw = _first(entry, ("NtryDtls/TxDtls/CardTx/Tx/TxDtTm", "BookgDt/Dt", "BookgDt/DtTm", "ValDt/Dt", "ValDt/DtTm"))
    return read_day(raw)


def _first(node: etree._Element, paths: tuple[str, ...]) -> str:
    return next((found for path in paths if (found := _text(node, path))), "")


def _text(node: etree._Element, path: str) -> str:
    found = node.find("/".join(f"{{*}}{part}" for part in path.split("/")))
    return (found.text or "").strip() if found is not None else ""
