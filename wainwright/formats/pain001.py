"""pain.001.001.03: the credit transfers of a pay run, as a bank takes them (ISO 20022)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from lxml import etree
from sepaxml import SepaTransfer

from wainwright.core.money import Money
from wainwright.formats.problems import Unreadable

NAMESPACE = "urn:iso:std:iso:20022:tech:xsd:pain.001.001.03"
SCHEMA = "pain.001.001.03"
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


def write_pain001(payer: Payer, transfers: Sequence[Transfer], message_id: str) -> bytes:
    """Return the file, checked against the schema that the library ships.

    Raises ``ValueError`` for no transfers, for an amount that is not more than nothing, or for another currency.
    """
    if not transfers:
        raise ValueError("A pay run needs at least one payment.")
    config = {"name": payer.name, "IBAN": payer.iban, "batch": True, "currency": payer.currency}
    if payer.bic:
        config["BIC"] = payer.bic
    if payer.currency != "EUR":
        config["domestic"] = True
    sepa = SepaTransfer(config, schema=SCHEMA, clean=True)
    for each in transfers:
        if each.amount.minor <= 0 or each.amount.currency != payer.currency:
            raise ValueError(f"{each.name}: {each.amount} {each.amount.currency} cannot be paid by this run.")
        sepa.add_payment(
            {
                "name": each.name,
                "IBAN": each.iban,
                "amount": each.amount.minor,
                "execution_date": each.on,
                "description": each.text,
                "endtoend_id": each.end_to_end,
            }
        )
    root = etree.fromstring(sepa.export(validate=False), PARSER)
    found = root.find(f".//{{{NAMESPACE}}}MsgId")
    if found is not None:
        found.text = message_id[:35]
    content: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    check_schema(content)
    return content


def check_schema(content: bytes) -> None:
    """Raise ``ValueError`` unless ``content`` holds to the schema."""
    from_library = etree.parse(str(_schema_path()), PARSER)
    schema = etree.XMLSchema(from_library)
    try:
        schema.assertValid(etree.fromstring(content, PARSER))
    except (etree.DocumentInvalid, etree.XMLSyntaxError) as error:
        raise ValueError(f"The payment file does not hold to {SCHEMA}: {error}") from error


def read_pain001(content: bytes) -> tuple[str, list[tuple[str, str, str]]]:
    """Return the message's id and its payments as (end to end id, IBAN, amount). Raises ``Unreadable``."""
    try:
        root = etree.fromstring(content, PARSER)
    except etree.XMLSyntaxError as error:
        raise Unreadable("The payment file is not well-formed XML.") from error
    names = {"p": NAMESPACE}
    message = root.findtext(".//p:MsgId", namespaces=names) or ""
    rows = [
        (
            each.findtext(".//p:EndToEndId", namespaces=names) or "",
            each.findtext(".//p:CdtrAcct//p:IBAN", namespaces=names) or "",
            each.findtext(".//p:InstdAmt", namespaces=names) or "",
        )
        for each in root.iterfind(".//p:CdtTrfTxInf", namespaces=names)
    ]
    return message, rows


def _schema_path() -> str:
    import sepaxml  # noqa: PLC0415 - only its folder is wanted

    return f"{sepaxml.__path__[0]}/schemas/{SCHEMA}.xsd"
