"""pain.001.001.03 and .09: the credit transfers of a pay run, as a bank takes them (ISO 20022)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from lxml import etree
from sepaxml import SepaTransfer

from wainwright.core.money import Money
from wainwright.core.said import said_by, say
from wainwright.formats.bank_text import bank_text
from wainwright.formats.problems import Unreadable

SPACE = "urn:iso:std:iso:20022:tech:xsd:"
# The newer one first; some banks take only the older.
VERSIONS = ("pain.001.001.09", "pain.001.001.03")
SCHEMA = VERSIONS[1]
NAME, TEXT = 70, 140
NO_NAME, NO_TEXT = "Payee", say("Payment")
PARSER = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False)


@dataclass(frozen=True, slots=True)
class Payer:
    """Who pays, from which account."""

    name: str
    iban: str
    bic: str
    currency: str


@dataclass(frozen=True, slots=True)
class Transfer:
    """One payment; ``end_to_end`` comes back in the bank's answer and is never used twice."""

    end_to_end: str
    name: str
    iban: str
    amount: Money
    text: str
    on: date


def write_pain001(payer: Payer, transfers: Sequence[Transfer], message_id: str, version: str = SCHEMA) -> bytes:
    """Return the file in one of ``VERSIONS``, checked against the schema that the library ships.

    Names and texts are written as banks take them (``bank_text``), amounts with the decimal places of their currency.
    Raises ``ValueError`` for no transfers, for an amount that is not more than nothing, or for another currency.
    """
    if not transfers:
        raise ValueError(say("A pay run needs at least one payment."))
    config = {
        "name": bank_text(payer.name, NAME, NO_NAME),
        "IBAN": payer.iban,
        "batch": True,
        "currency": payer.currency,
    }
    if payer.bic:
        config["BIC"] = payer.bic
    if payer.currency != "EUR":
        config["domestic"] = True
    sepa = SepaTransfer(config, schema=version, clean=True)
    for each in transfers:
        if each.amount.minor <= 0 or each.amount.currency != payer.currency:
            raise ValueError(
                say(
                    "{each}: {amount} {amount_2} cannot be paid by this run.",
                    each=each.name,
                    amount=each.amount,
                    amount_2=each.amount.currency,
                )
            )
        sepa.add_payment(
            {
                "name": bank_text(each.name, NAME, NO_NAME),
                "IBAN": each.iban,
                "amount": each.amount.minor,
                "execution_date": each.on,
                "description": bank_text(each.text, TEXT, NO_TEXT),
                "endtoend_id": each.end_to_end,
            }
        )
    root = etree.fromstring(sepa.export(validate=False), PARSER)
    found = root.find(f".//{{{SPACE}{version}}}MsgId")
    if found is not None:
        found.text = message_id[:35]
    _write_amounts(root, transfers, version)
    content: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    check_schema(content)
    return content


def _write_amounts(root: etree._Element, transfers: Sequence[Transfer], version: str) -> None:
    """Write amounts and control sums anew: the library takes every currency to have two decimal places."""
    names, amounts = {"p": SPACE + version}, {each.end_to_end: each.amount.amount for each in transfers}
    for block in root.iterfind(".//p:PmtInf", names):
        whole = Decimal(0)
        for row in block.iterfind("p:CdtTrfTxInf", names):
            amount = amounts[row.findtext("p:PmtId/p:EndToEndId", "", names)]
            whole += amount
            for field in row.iterfind("p:Amt/p:InstdAmt", names):
                field.text = str(amount)
        for field in block.iterfind("p:CtrlSum", names):
            field.text = str(whole)
    for field in root.iterfind(".//p:GrpHdr/p:CtrlSum", names):
        field.text = str(sum(amounts.values(), Decimal(0)))


def check_schema(content: bytes) -> None:
    """Raise ``ValueError`` unless ``content`` holds to the schema of the version that it says it is."""
    try:
        root = etree.fromstring(content, PARSER)
        version = _version(root)
        etree.XMLSchema(etree.parse(_schema_path(version), PARSER)).assertValid(root)
    except (etree.DocumentInvalid, etree.XMLSyntaxError) as error:
        raise ValueError(say("The payment file does not hold to its schema: {error}", error=error)) from error


def _version(root: etree._Element) -> str:
    """The version that a file says it is. Raises ``ValueError`` for one that is not known."""
    space = etree.QName(root).namespace or ""
    version = space.removeprefix(SPACE)
    if version not in VERSIONS:
        raise ValueError(say("The payment file is of another kind: {space}", space=space[:80]))
    return version


@dataclass(frozen=True, slots=True)
class Ordered:
    """One payment as a payment file orders it, in the file's own words; ``block`` is the payment block it stands in."""

    end_to_end: str
    iban: str
    amount: str
    block: str


def read_pain001(content: bytes) -> tuple[str, list[Ordered]]:
    """Return the message's id and its payments. Raises ``Unreadable``."""
    try:
        root = etree.fromstring(content, PARSER)
    except etree.XMLSyntaxError as error:
        raise Unreadable(say("The payment file is not well-formed XML.")) from error
    try:
        names = {"p": SPACE + _version(root)}
    except ValueError as error:
        raise Unreadable(said_by(error)) from error
    message = root.findtext(".//p:MsgId", namespaces=names) or ""
    rows = [
        Ordered(
            each.findtext(".//p:EndToEndId", namespaces=names) or "",
            each.findtext(".//p:CdtrAcct//p:IBAN", namespaces=names) or "",
            each.findtext(".//p:InstdAmt", namespaces=names) or "",
            block.findtext("p:PmtInfId", namespaces=names) or "",
        )
        for block in root.iterfind(".//p:PmtInf", namespaces=names)
        for each in block.iterfind("p:CdtTrfTxInf", namespaces=names)
    ]
    return message, rows


def _schema_path(version: str) -> str:
    import sepaxml  # noqa: PLC0415 - only its folder is wanted

    return f"{sepaxml.__path__[0]}/schemas/{version}.xsd"
