"""pain.002.001.03: the bank's answer to a payment file, for the whole, for a block of payments, or for one (ISO 20022)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from lxml import etree

from wainwright.core.said import say
from wainwright.formats.problems import Unreadable

NAMESPACE = "urn:iso:std:iso:20022:tech:xsd:pain.002.001.03"
PARSER = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False)


class Outcome(StrEnum):
    """What a status means for a payment: paid, refused for good, or neither yet."""

    PAID = "paid"
    REFUSED = "refused"
    PENDING = "pending"


# ISO 20022 External Code Sets, ExternalPaymentTransactionStatus1Code and ExternalPaymentGroupStatus1Code, with the
# codes of TransactionIndividualStatus3Code and TransactionGroupStatus3Code that pain.002.001.03 names itself. Paid is
# what was settled; every acceptance before that may still be followed by another answer.
STATUSES: Mapping[str, tuple[Outcome, str]] = {
    "ACSC": (Outcome.PAID, say("settled on the payer's account")),
    "ACCC": (Outcome.PAID, say("settled on the payee's account")),
    "RJCT": (Outcome.REFUSED, "rejected"),
    "CANC": (Outcome.REFUSED, "cancelled"),
    "RCVD": (Outcome.PENDING, "received"),
    "PDNG": (Outcome.PENDING, "pending"),
    "ACTC": (Outcome.PENDING, say("accepted: the file is in order")),
    "ACCP": (Outcome.PENDING, say("accepted: the payer is in order")),
    "ACFC": (Outcome.PENDING, say("accepted: the funds are there")),
    "ACSP": (Outcome.PENDING, say("accepted, being settled")),
    "ACWC": (Outcome.PENDING, say("accepted with a change")),
    "ACWP": (Outcome.PENDING, say("accepted without posting")),
    "ACPT": (Outcome.PENDING, "accepted"),
    "BLCK": (Outcome.PENDING, "blocked"),
    "PATC": (Outcome.PENDING, say("authorised in part")),
    "PRES": (Outcome.PENDING, "presented"),
    "PART": (Outcome.PENDING, say("accepted in part")),
}

# ISO 20022 External Code Sets, ExternalStatusReason1Code, in plain words.
REASONS = {
    "AC01": say("the account number is not right"),
    "AC04": say("the account is closed"),
    "AC06": say("the account is blocked"),
    "AM04": say("the payer's account does not hold enough"),
    "RC01": say("the bank's code is not right"),
}


@dataclass(frozen=True, slots=True)
class Answer:
    """What the bank says of one payment, of a block, or of all: a status, and the code of a reason where it gives one."""

    end_to_end: str
    status: str
    code: str = ""

    @property
    def known(self) -> bool:
        """Whether the status is one of the standard's."""
        return self.status in STATUSES

    @property
    def outcome(self) -> Outcome:
        """What it means; a status that nobody knows settles nothing."""
        return STATUSES[self.status][0] if self.known else Outcome.PENDING

    @property
    def words(self) -> str:
        """The reason, else the status, in plain words."""
        if self.code:
            return REASONS.get(self.code, say("the bank says {code}", code=self.code))
        return (
            STATUSES[self.status][1]
            if self.known
            else say("the bank says {status}, which is no status we know", status=self.status)
        )


@dataclass(frozen=True, slots=True)
class StatusReport:
    """The bank's answer to one message: of single payments, of blocks by their number, and of the whole."""

    message_id: str
    answers: tuple[Answer, ...]
    blocks: Mapping[str, Answer] = field(default_factory=dict)
    group: Answer | None = None

    def of(self, end_to_end: str, block: str = "") -> Answer | None:
        """What it says of a payment: its own answer, else its block's, else the whole file's; nothing where none is there.

        "Accepted in part" of a block or the whole says nothing of a payment in it. The last of several answers counts,
        but one that settles the payment is never taken back by one that leaves it pending.
        """
        own = [each for each in self.answers if each.end_to_end == end_to_end]
        if own:
            final = [each for each in own if each.outcome != Outcome.PENDING]
            return (final or own)[-1]
        for each in (self.blocks.get(block), self.group):
            if each is not None and each.status != "PART":
                return each
        return None


def read_pain002(content: bytes) -> StatusReport:
    """Read an answer. Raises ``Unreadable`` for what is not a pain.002."""
    try:
        root = etree.fromstring(content, PARSER)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise Unreadable(say("The bank's answer is not well-formed XML.")) from error
    space = etree.QName(root).namespace or ""
    if "pain.002" not in space:
        raise Unreadable(say("This is not a bank's answer to payments (pain.002)."))
    names = {"p": space}

    def text(parent: etree._Element, path: str) -> str:
        return (parent.findtext(path, default="", namespaces=names) or "").strip()

    def answer(parent: etree._Element, status: str, end_to_end: str = "") -> Answer | None:
        found = text(parent, f"p:{status}")
        return Answer(end_to_end, found, text(parent, "p:StsRsnInf/p:Rsn/p:Cd")) if found else None

    answers = [
        answer(each, "TxSts", text(each, "p:OrgnlEndToEndId")) for each in root.iterfind(".//p:TxInfAndSts", names)
    ]
    blocks = {
        text(each, "p:OrgnlPmtInfId"): answer(each, "PmtInfSts")
        for each in root.iterfind(".//p:OrgnlPmtInfAndSts", names)
    }
    whole = root.find(".//p:OrgnlGrpInfAndSts", names)
    message = text(root, ".//p:OrgnlMsgId")
    if not message:
        raise Unreadable(say("The bank's answer does not say which payment file it answers."))
    return StatusReport(
        message, tuple(each for each in answers if each), {number: each for number, each in blocks.items() if each},
        answer(whole, "GrpSts") if whole is not None else None,
    )  # fmt: skip


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
    found = {answer.status for answer in answers}
    add(group, "GrpSts", found.pop() if len(found) == 1 else "PART")
    block = add(report, "OrgnlPmtInfAndSts")
    add(block, "OrgnlPmtInfId", message_id)
    for each in answers:
        status = add(block, "TxInfAndSts")
        add(status, "OrgnlEndToEndId", each.end_to_end)
        add(status, "TxSts", each.status)
        if each.code:
            add(add(add(status, "StsRsnInf"), "Rsn"), "Cd", each.code)
    content: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    return content
