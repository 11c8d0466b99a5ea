"""Invoices as data: UBL 2.1 and CII (both of EN 16931), alone or inside a PDF.

What a file says is taken as it stands; its sums are worked out again, and what does not add up is said.
"""

from __future__ import annotations

import base64
import binascii
import io
import logging
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any

from babel.numbers import is_currency
from lxml import etree

from wainwright.core.money import Money, total
from wainwright.core.said import as_figure, say
from wainwright.core.text import decimal
from wainwright.formats.problems import Unreadable

MOST_BYTES, MOST_LINES, MOST_ATTACHED = 5_000_000, 500, 10
SLACK = Decimal("0.02")
_UBL = "urn:oasis:names:specification:ubl:schema:xsd:"
_CII = "urn:un:unece:uncefact:data:standard:CrossIndustryInvoice:100"
# ZUGFeRD 1, of before EN 16931: the same tree under other names.
_OLDER = "urn:ferd:CrossIndustryDocument:invoice:1p0"
_RENAMED = {
    "HeaderExchangedDocument": "ExchangedDocument", "SpecifiedSupplyChainTradeTransaction": "SupplyChainTradeTransaction",
    "ApplicableSupplyChainTradeAgreement": "ApplicableHeaderTradeAgreement", "ApplicableSupplyChainTradeSettlement": "ApplicableHeaderTradeSettlement",
    "SpecifiedSupplyChainTradeSettlement": "SpecifiedLineTradeSettlement", "ApplicablePercent": "RateApplicablePercent",
}  # fmt: skip
_SUMMED = "SpecifiedTradeSettlementMonetarySummation"
_BEGINS = re.compile(
    rb"<\?xml|(?:<!--.*?-->\s*)*<(?:[A-Za-z0-9_-]+:)?(?:Invoice|CreditNote|CrossIndustry(?:Invoice|Document))\b", re.S
)
# Kinds of document (UNTDID 1001) that take money back.
_CREDIT = {"381", "396", "532"}

Element = etree._Element


@dataclass(frozen=True, slots=True)
class InvoiceLine:
    """One line: what for, its net, and the tax rate in per cent."""

    text: str
    net: Money
    percent: Decimal


@dataclass(frozen=True, slots=True)
class TaxLine:
    """The tax at one rate in per cent, of a net."""

    percent: Decimal
    net: Money
    tax: Money


@dataclass(frozen=True, slots=True)
class Attached:
    """A file inside an invoice."""

    name: str
    content: bytes


@dataclass(frozen=True, slots=True)
class Invoice:
    """An invoice; a credit note's sums are below zero. ``problems`` are sums that do not add up, in words."""

    standard: str
    number: str
    day: date
    supplier: str
    supplier_tax_id: str
    buyer_reference: str
    currency: str
    lines: tuple[InvoiceLine, ...]
    taxes: tuple[TaxLine, ...]
    net: Money
    tax: Money
    gross: Money
    prepaid: Money
    attached: tuple[Attached, ...]
    problems: tuple[str, ...]


def is_xml(content: bytes) -> bool:
    """Say whether a file begins as XML does."""
    return bool(_BEGINS.match(content[:4000].lstrip(b"\xef\xbb\xbf \t\r\n")))


def read_invoice(content: bytes) -> Invoice:
    """Read a UBL or CII file. Raises ``Unreadable`` naming what is wrong, and the line where XML breaks."""
    root = _parse(content)
    space, name = etree.QName(root).namespace or "", etree.QName(root).localname
    if space.startswith(_UBL) and name in ("Invoice", "CreditNote"):
        return _checked(_ubl(root, name == "CreditNote"))
    if space == _CII and name == "CrossIndustryInvoice":
        return _checked(_cii(root))
    if space == _OLDER and name == "CrossIndustryDocument":
        return _checked(_cii(_as_newer(root)))
    raise Unreadable(say("This XML is a “{name}”, not an invoice. Taken are UBL 2.1 and CII.", name=name[:40]))


def _as_newer(root: Element) -> Element:
    """Bring the names of an older profile to those of today."""
    for node in root.iter(etree.Element):
        name = etree.QName(node).localname
        if name == _SUMMED:
            line = etree.QName(node.getparent()).localname == "SpecifiedLineTradeSettlement"
            name = (
                "SpecifiedTradeSettlementLineMonetarySummation"
                if line
                else "SpecifiedTradeSettlementHeaderMonetarySummation"
            )
        node.tag = f"{{{_CII}}}{_RENAMED.get(name, name)}"
    return root


def inside_pdf(content: bytes) -> bytes | None:
    """Return the invoice that a PDF carries as data, or nothing."""
    # Its own log speaks of every PDF without an invoice as of a fault.
    logging.getLogger("factur-x").setLevel(logging.CRITICAL)
    import facturx  # noqa: PLC0415 - loads its schemas, wanted for PDFs alone

    try:
        _, xml = facturx.get_xml_from_pdf(io.BytesIO(content), check_xsd=False)
    except Exception:  # noqa: BLE001 - a strange PDF simply carries no invoice; it is read as a picture
        return None
    return xml if xml and len(xml) <= MOST_BYTES else None


def _parse(content: bytes) -> Element:
    if len(content) > MOST_BYTES:
        raise Unreadable(say("The invoice is larger than 5 MB. Ask for it without its attachments."))
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.fromstring(content, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        line = getattr(error, "lineno", None)
        raise Unreadable(
            say("The XML breaks off or is damaged at line {line}. Ask for the invoice again.", line=line)
            if line
            else say("The XML breaks off or is damaged. Ask for the invoice again.")
        ) from error
    if getattr(root.getroottree().docinfo, "doctype", ""):
        raise Unreadable(
            say("The XML brings definitions of its own, which an invoice has no use for. It is not taken.")
        )
    return root


def _all(node: Element, path: str) -> list[Element]:
    """Find by local names: "A/B" children, "//A" anywhere."""
    steps = [f"*[local-name()='{step}']" for step in path.lstrip("/").split("/")]
    found: Any = node.xpath(("descendant::" if path.startswith("//") else "") + "/".join(steps))
    return list(found)


def _one(node: Element, path: str) -> Element | None:
    found = _all(node, path)
    return found[0] if found else None


def _text(node: Element, path: str) -> str:
    found = _one(node, path)
    return " ".join((found.text or "").split())[:300] if found is not None else ""


def _amount(text: str, currency: str, what: str) -> Money:
    try:
        value = decimal(text)
        if not value.is_finite() or abs(value) > 10**9 or not is_currency(currency):
            raise InvalidOperation
        return Money.rounded(value, currency)
    except (InvalidOperation, ValueError) as error:
        raise Unreadable(
            say(
                "{what} is “{text}”, which is no amount of {currency}.",
                what=what,
                text=text[:30],
                currency=currency if is_currency(currency) else say("a known currency"),
            )
        ) from error


def _percent(text: str) -> Decimal:
    try:
        value = decimal(text or "0")
    except InvalidOperation:
        return Decimal(0)
    return value if value.is_finite() and 0 <= value < 100 else Decimal(0)


def _day(text: str) -> date:
    digits = text.replace("-", "")[:8]
    try:
        return date(int(digits[:4]), int(digits[4:6]), int(digits[6:8]))
    except ValueError as error:
        raise Unreadable(say("The day of issue is “{text}”, which is no date.", text=text[:20])) from error


def _needed(text: str, what: str) -> str:
    if not text:
        raise Unreadable(say("The invoice has no {what}.", what=what))
    return text


def _ubl(root: Element, credit: bool) -> Invoice:
    currency = _needed(_text(root, "DocumentCurrencyCode"), "currency").upper()
    sign = -1 if credit else 1

    def money(node: Element, path: str, what: str, default: str | None = None) -> Money:
        text = _text(node, path) or default
        return _amount(_needed(text or "", what), currency, what).times(sign)

    party = _one(root, "AccountingSupplierParty/Party")
    supplier = (
        "" if party is None else _text(party, "PartyName/Name") or _text(party, "PartyLegalEntity/RegistrationName")
    )
    totals = _one(root, "LegalMonetaryTotal")
    if totals is None:
        raise Unreadable(say("The invoice has no sums."))
    lines = tuple(
        InvoiceLine(
            _text(line, "Item/Name") or _text(line, "Item/Description") or "Line",
            money(line, "LineExtensionAmount", say("a line's net")),
            _percent(_text(line, "Item/ClassifiedTaxCategory/Percent")),
        )
        for line in _all(root, "CreditNoteLine" if credit else "InvoiceLine")[:MOST_LINES]
    )
    # A second total, in the currency of the tax office, has no breakdown and is not the document's own.
    whole = next((t for t in _all(root, "TaxTotal") if _all(t, "TaxSubtotal")), _one(root, "TaxTotal"))
    taxes = () if whole is None else tuple(
        TaxLine(_percent(_text(sub, "TaxCategory/Percent")), money(sub, "TaxableAmount", say("a net"), "0"), money(sub, "TaxAmount", say("a tax")))
        for sub in _all(whole, "TaxSubtotal")
    )  # fmt: skip
    zero = Money.zero(currency)
    return Invoice(
        "UBL", _needed(_text(root, "ID"), "number")[:60], _day(_text(root, "IssueDate")), _needed(supplier, "supplier"),
        "" if party is None else _text(party, "PartyTaxScheme/CompanyID"), _text(root, "BuyerReference"), currency, lines, taxes,
        money(totals, "TaxExclusiveAmount", "net"), zero if whole is None else money(whole, "TaxAmount", "tax"),
        money(totals, "TaxInclusiveAmount", "total"), money(totals, "PrepaidAmount", say("what was prepaid"), "0"),
        tuple(_attached(root, "AdditionalDocumentReference/Attachment/EmbeddedDocumentBinaryObject")), (),
    )  # fmt: skip


def _cii(root: Element) -> Invoice:
    deal = _one(root, "SupplyChainTradeTransaction")
    head = _one(root, "ExchangedDocument")
    settled = None if deal is None else _one(deal, "ApplicableHeaderTradeSettlement")
    if deal is None or head is None or settled is None:
        raise Unreadable(say("The invoice has no head or no sums."))
    currency = _needed(_text(settled, "InvoiceCurrencyCode"), "currency").upper()
    sums = _one(settled, "SpecifiedTradeSettlementHeaderMonetarySummation")
    if sums is None:
        raise Unreadable(say("The invoice has no sums."))
    sign = -1 if _text(head, "TypeCode") in _CREDIT else 1

    def money(node: Element, path: str, what: str, default: str | None = None) -> Money:
        text = _text(node, path) or default
        return _amount(_needed(text or "", what), currency, what).times(sign)

    lines = tuple(
        InvoiceLine(
            _text(line, "SpecifiedTradeProduct/Name") or "Line",
            money(
                line,
                "SpecifiedLineTradeSettlement/SpecifiedTradeSettlementLineMonetarySummation/LineTotalAmount",
                say("a line's net"),
            ),
            _percent(_text(line, "SpecifiedLineTradeSettlement/ApplicableTradeTax/RateApplicablePercent")),
        )
        for line in _all(deal, "IncludedSupplyChainTradeLineItem")[:MOST_LINES]
    )
    taxes = tuple(
        TaxLine(
            _percent(_text(tax, "RateApplicablePercent")), money(tax, "BasisAmount", say("a net"), "0"), money(tax, "CalculatedAmount", say("a tax"))
        )
        for tax in _all(settled, "ApplicableTradeTax")
    )  # fmt: skip
    agreement = "ApplicableHeaderTradeAgreement/"
    return Invoice(
        "CII", _needed(_text(head, "ID"), "number")[:60], _day(_text(head, "IssueDateTime/DateTimeString")),
        _needed(_text(deal, agreement + "SellerTradeParty/Name"), "supplier"),
        _text(deal, agreement + "SellerTradeParty/SpecifiedTaxRegistration/ID"), _text(deal, agreement + "BuyerReference"), currency,
        lines, taxes, money(sums, "TaxBasisTotalAmount", "net"), money(sums, "TaxTotalAmount", "tax", "0"),
        money(sums, "GrandTotalAmount", "total"), money(sums, "TotalPrepaidAmount", say("what was prepaid"), "0"),
        tuple(_attached(deal, "//AdditionalReferencedDocument/AttachmentBinaryObject")), (),
    )  # fmt: skip


def _attached(node: Element, path: str) -> Iterator[Attached]:
    for number, found in enumerate(_all(node, path)[:MOST_ATTACHED], 1):
        try:
            content = base64.b64decode("".join((found.text or "").split()), validate=True)
        except (binascii.Error, ValueError):
            continue
        if content:
            yield Attached(str(found.get("filename") or f"attachment-{number}")[-120:], content)


def _checked(invoice: Invoice) -> Invoice:
    """Work its sums out again; what is off by more than 0.02 a line is said."""
    problems = []

    def off(one: Money, other: Money, slack: Decimal) -> bool:
        return abs((one - other).amount) > slack

    if invoice.taxes and off(total((t.tax for t in invoice.taxes), invoice.currency), invoice.tax, SLACK):
        problems.append(say("the taxes by rate do not add up to the tax"))
    if off(invoice.net + invoice.tax, invoice.gross, SLACK):
        problems.append(
            say("net {net} and tax {tax} do not come to {gross}", net=invoice.net, tax=invoice.tax, gross=invoice.gross)
        )
    for each in invoice.taxes:
        expected = Money.rounded(each.net.amount * each.percent / 100, invoice.currency)
        if off(expected, each.tax, SLACK * max(1, len(invoice.lines))):
            problems.append(
                say(
                    "{normalize} % of {net} is {expected}, the invoice says {tax}",
                    normalize=as_figure(each.percent.normalize(), "f"),
                    net=each.net,
                    expected=expected,
                    tax=each.tax,
                )
            )
    fields = {name: getattr(invoice, name) for name in Invoice.__slots__}
    return Invoice(**fields | {"problems": tuple(problems)})
