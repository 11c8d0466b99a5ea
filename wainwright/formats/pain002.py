"""pain.002.001.03: the bank's answer to a payment file, payment by payment (ISO 20022)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from lxml import etree

from wainwright.formats.problems import Unreadable

NAMESPACE = "urn:iso:std:iso:20022:tech:xsd:pain.002.001.03"
PARSER = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False)

# External status reason codes, in plain words (ISO 20022 external code sets).
REASONS = {
    "AC01": "the account number is not right",
    "AC04": "the account is closed",
    "AC06": "the account is blocked",
    "AM04": "the payer's account does not hold enough",
    "RC01": "the bank's code is not right",
}


@dataclass(frozen=True, slots=True)
class Answer:
    """What became of one payment: accepted, or rejected with a code."""

    end_to_end: str
    accepted: bool
    code: str = ""

    @property
    def words(self) -> str:
        """The reason in plain words."""
        return REASONS.get(self.code, f"the bank says {self.code}") if self.code else ""


@dataclass(frozen=True, slots=True)
class StatusReport:
    """The bank's answer to one message."""

    message_id: str
    answers: tuple[Answer, ...]


def read_pain002(content: bytes) -> StatusReport:
    """Read an answer. A whole message accepted or rejected without single lines has no answers of its own.

    Raises ``Unreadable`` for what is not a pain.002.
    """
    try:
        root = etree.fromstring(content, PARSER)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise Unreadable("The bank's answer is not well-formed XML.") from error
    space = etree.QName(root).namespace or ""
    if "pain.002" not in space:
        raise Unreadable("This is not a bank's answer to payments (pain.002).")
    names = {"p": space}
    answers = tuple(
        Answer(
            each.findtext("p:OrgnlEndToEndId", default="", namespaces=names),
            each.findtext("p:TxSts", default="", namespaces=names) in ("ACCP", "ACSC", "ACSP", "ACTC", "ACCC"),
            each.findtext(".//p:Rsn/p:Cd", default="", namespaces=names),
        )
        for each in root.iterfind(".//p:TxInfAndSts", namespaces=names)
    )
    message = root.findtext(".//p:OrgnlMsgId", default="", namespaces=names)
    if not message:
        raise Unreadable("The bank's answer does not say which payment file it answers.")
    return StatusReport(message, answers)


def write_pain002(message_id: str, answers: Sequence[Answer], now: datetime) -> bytes:
    """Write an answer, as a bank would."""

    def add(parent: etree._Element, tag: str, text: str = "") -> etree._Element:
        child = etree.SubElement(parent, f"{{{NAMESPACE}}}{tag}")
        child.text = text or None
        return child

    root = etree.Element(f"{{{NAMESPACE}}}Document", nsmap={None: NAMESPACE})  # type: ignore[dict-item]
    report = add(root, "CstmrPmtStsRpt")
    header = add(report, "GrpHdr")
    add(header, "MsgId", f"ST-{message_id}"[:35])
    add(header, "CreDtTm", now.strftime("%Y-%m-%dT%H:%M:%S"))
    group = add(report, "OrgnlGrpInfAndSts")
    add(group, "OrgnlMsgId", message_id)
    add(group, "OrgnlMsgNmId", "pain.001.001.03")
    taken = sum(answer.accepted for answer in answers)
    add(group, "GrpSts", "ACSC" if taken == len(answers) else "PART" if taken else "RJCT")
    block = add(report, "OrgnlPmtInfAndSts")
    add(block, "OrgnlPmtInfId", message_id)
    for answer in answers:
        status = add(block, "TxInfAndSts")
        add(status, "OrgnlEndToEndId", answer.end_to_end)
        add(status, "TxSts", "ACSC" if answer.accepted else "RJCT")
        if not answer.accepted:
            add(add(add(status, "StsRsnInf"), "Rsn"), "Cd", answer.code)
    content: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    return content
