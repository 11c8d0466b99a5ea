"""Mails that were forwarded (RFC 5322): who sent them, what is attached, what they say, and bookings inside them.

Bookings are read from schema.org reservations in JSON-LD, as senders of tickets and rooms put them into their mails.
"""

from __future__ import annotations

import html
import json
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from decimal import Decimal, InvalidOperation
from email import policy
from email.errors import MessageError
from email.header import decode_header
from email.message import Message
from email.parser import BytesHeaderParser, BytesParser
from email.utils import parseaddr, parsedate_to_datetime
from typing import Any

from lxml import html as lxml_html
from lxml.etree import ParserError, XMLSyntaxError, iterwalk

from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.core.text import clean, one_line
from wainwright.formats.problems import Unreadable
from wainwright.formats.written import possible

MOST_BYTES, MOST_ATTACHED, MOST_TEXT, MOST_BOOKINGS = 20_000_000, 20, 20_000, 20
MOST_HEAD, MOST_MARKUP, MOST_PIECES = 2000, 2_000_000, 100
# So many heads that matter, and so many lines that may part pieces, are looked at.
MOST_LINES, MOST_DASHES = 300, 20_000
_WANTED = re.compile(rb"(from|to|subject|date|mime-version|content-[a-z-]+)[ \t]*:", re.I)
_SILENT = ("script", "style", "title")
_HEADS = re.compile(
    rb"^(received|from|to|subject|date|message-id|return-path|delivered-to|mime-version|content-type|x-[a-z-]+|dkim-signature|reply-to): ",
    re.I | re.M,
)
_SUMS = re.compile(r"\d[.,]\d\d\b")
_MODES = {"FlightReservation": "air", "TrainReservation": "rail", "BusReservation": "coach", "BoatReservation": "ferry"}
_BLOCKS = {"p", "div", "tr", "br", "li", "table", "h1", "h2", "h3", "h4", "section", "article"}


@dataclass(frozen=True, slots=True)
class Attachment:
    """A file of a mail."""

    name: str
    content: bytes


@dataclass(frozen=True, slots=True)
class Reservation:
    """A booking inside a mail. ``mode`` is a way's mode, or "stay"; times are local to their places.

    For a stay ``origin`` is empty and ``target`` its town, ``leaves`` the day of arrival, ``arrives`` that of departure.
    """

    mode: str
    name: str
    number: str
    origin: str
    target: str
    leaves: datetime
    arrives: datetime
    price: Money | None


@dataclass(frozen=True, slots=True)
class Letter:
    """A mail as it matters here."""

    sender: str
    to: tuple[str, ...]
    subject: str
    day: date | None
    text: str
    attached: tuple[Attachment, ...]
    bookings: tuple[Reservation, ...]


def is_mail(content: bytes) -> bool:
    """Say whether a file begins with the heads of a mail: at least two of the usual ones."""
    head = content[:4000].replace(b"\r\n", b"\n").partition(b"\n\n")[0]
    return len({m.group(1).lower() for m in _HEADS.finditer(head)}) >= 2


def read_mail(content: bytes) -> Letter:
    """Read a mail. Raises ``Unreadable``."""
    if len(content) > MOST_BYTES:
        raise Unreadable(say("The mail is larger than 20 MB. Forward its papers one by one."))
    # Before anything is taken apart: a mail of very many pieces costs as much to cut as to read.
    if content.count(b"\nContent-Type:") > MOST_PIECES * 3 or content.count(b"\n--") > MOST_DASHES:
        raise Unreadable(say("The mail holds more than 100 pieces. Forward its papers one by one."))
    try:
        message = BytesParser(policy=policy.compat32).parsebytes(_heads_bounded(content))
        attached, plain, rich = _walk(message)
        sender = _address(_head(message, "From"))
        to = tuple(_address(part) for part in _head(message, "To").split(","))
        subject = one_line(_head(message, "Subject"), 200)
        day = _sent(_head(message, "Date"))
    except Unreadable:
        raise
    # The parser of the standard library meets damaged heads with whatever its depths raise.
    except (MessageError, ValueError, LookupError, AttributeError, TypeError, RecursionError) as error:
        raise Unreadable(
            say("The mail is damaged and cannot be taken apart. Forward it again, or send its papers.")
        ) from error
    page = _page(rich)
    # Many senders put less into the plain words than into the page; where the page names more amounts, it is read.
    text = max(
        plain.strip(), page.text, key=lambda words: (len(_SUMS.findall(words[:MOST_TEXT])), words is not page.text)
    )
    text = clean((text or page.text)[:MOST_TEXT])
    return Letter(
        sender,
        to,
        subject,
        day,
        text,
        tuple(attached),
        tuple(_written(each) for each in _bookings(page.data))[:MOST_BOOKINGS],
    )


def read_heads(content: bytes) -> tuple[str, str]:
    """Return who a mail says it is from, and its subject, without looking at anything below its heads. Raises ``Unreadable``."""
    heads, _, _ = _heads_bounded(content).replace(b"\r\n", b"\n").partition(b"\n\n")
    try:
        message = BytesHeaderParser(policy=policy.compat32).parsebytes(heads + b"\n\n")
        return _address(_head(message, "From")), one_line(_head(message, "Subject"), 200)
    except (MessageError, ValueError, LookupError, AttributeError, TypeError, RecursionError) as error:
        raise Unreadable(say("The mail's heads are damaged. Ask for it again.")) from error


def _heads_bounded(content: bytes) -> bytes:
    """A mail whose own heads are no longer, and no more, than heads are; nothing below them is touched."""
    end = re.search(rb"\r?\n\r?\n", content)
    at = end.start() if end else len(content)
    if at <= MOST_HEAD:
        return content
    heads = [head for head in re.split(rb"\r?\n(?![ \t])", content[:at]) if _WANTED.match(head)]
    return b"\n".join(head[: MOST_HEAD * 2] for head in heads[:MOST_LINES]) + content[at:]


def _address(written: str) -> str:
    return one_line(parseaddr(written)[1].casefold(), 254)


def _written(booking: Reservation) -> Reservation:
    """A booking with what a page says of it cleaned: data in it may hold anything."""
    return replace(
        booking, name=one_line(booking.name), number=one_line(booking.number), origin=one_line(booking.origin),
        target=one_line(booking.target),
    )  # fmt: skip


def _head(message: Message, name: str) -> str:
    """A head in plain letters, no longer than heads are: whoever takes it apart may go through it many times."""
    pieces = decode_header(str(message.get(name, ""))[:MOST_HEAD])
    return "".join(piece if isinstance(piece, str) else _decoded(piece, charset) for piece, charset in pieces).replace(
        "\n", " "
    )


def _sent(text: str) -> date | None:
    try:
        return possible(parsedate_to_datetime(text).date())
    except (ValueError, TypeError, IndexError, OverflowError):
        return None


def _walk(message: Message) -> tuple[list[Attachment], str, str]:
    attached: list[Attachment] = []
    plain = rich = ""
    for count, part in enumerate(message.walk()):
        if count > MOST_PIECES:
            raise Unreadable(say("The mail holds more than 100 pieces. Forward its papers one by one."))
        if part.is_multipart():
            continue
        name, kind = _name(part), part.get_content_type()
        payload = part.get_payload(decode=True)
        content = payload if isinstance(payload, bytes) else b""
        if name or kind.startswith(("image/", "application/")):
            # Small pictures without a name of their own are logos and rules of the mail's layout.
            if (
                len(attached) < MOST_ATTACHED
                and content
                and (name and not (kind.startswith("image/") and len(content) < 8000))
            ):
                attached.append(Attachment(one_line(name)[-120:], content))
        elif kind == "text/calendar" and len(attached) < MOST_ATTACHED:
            attached.append(Attachment("calendar.ics", content))
        elif kind == "text/html" and not rich:
            rich = _decoded(content, part.get_content_charset())
        elif kind == "text/plain" and not plain:
            plain = _decoded(content, part.get_content_charset())
    return attached, plain, rich


def _name(part: Message) -> str:
    pieces = decode_header((part.get_filename() or "")[:MOST_HEAD])
    return "".join(piece if isinstance(piece, str) else _decoded(piece, charset) for piece, charset in pieces)


def _decoded(content: bytes, charset: str | None) -> str:
    try:
        return content.decode(charset or "utf-8")
    except (UnicodeDecodeError, LookupError):
        return content.decode("cp1252", "replace")


@dataclass(frozen=True, slots=True)
class _Page:
    """The words of a mail's HTML, and the data in it; nothing of it is ever shown as HTML."""

    text: str = ""
    data: tuple[str, ...] = ()


def _page(markup: str) -> _Page:
    """Take a page apart."""
    if not markup.strip():
        return _Page()
    parser = lxml_html.HTMLParser(remove_comments=True, remove_pis=True, huge_tree=False, no_network=True)
    try:
        root = lxml_html.document_fromstring(markup[:MOST_MARKUP].encode("utf-8", "replace"), parser=parser)
    except (ParserError, XMLSyntaxError, ValueError):
        return _Page()
    words: list[str] = []
    data: list[str] = []
    silent = 0
    for event, node in iterwalk(root, events=("start", "end")):
        tag = node.tag if isinstance(node.tag, str) else ""
        if event == "start":
            if tag in _SILENT:
                silent += 1
                if tag == "script" and node.get("type") == "application/ld+json":
                    data.append(node.text or "")
            words.append("\n" if tag in _BLOCKS else "  " if tag in ("td", "th") else "")
            if not silent and node.text:
                words.append(node.text)
        else:
            silent -= tag in _SILENT
            words.append("\n" if tag in _BLOCKS else "")
            if not silent and node.tail:
                words.append(node.tail)
    rows = "".join(words).split("\n")
    return _Page("\n".join(line for row in rows if (line := " ".join(row.split()))), tuple(data))


def _bookings(pieces: Sequence[str]) -> Iterator[Reservation]:
    for piece in pieces:
        try:
            found = json.loads(html.unescape(piece))
        except (ValueError, RecursionError):
            continue
        for row in found if isinstance(found, list) else [found]:
            if isinstance(row, dict):
                rows = row.get("@graph", [row])
                for each in rows if isinstance(rows, list) else []:
                    reservation = _reservation(each) if isinstance(each, dict) else None
                    if reservation is not None:
                        yield reservation


def _dict(value: Any) -> dict[str, Any]:
    return value if isinstance(value, dict) else {}


def _word(value: Any) -> str:
    return " ".join(str(value).split())[:120] if isinstance(value, str | int | float) else ""


def _kind(row: dict[str, Any]) -> str:
    return _word(row.get("@type")).rpartition("/")[2]


def _when(value: Any) -> datetime | None:
    """A time as the place's own wall time: what is written, whatever zone is written beside it."""
    try:
        found = datetime.fromisoformat(_word(value)).replace(tzinfo=None)
        possible(found.date())
        return found
    except (ValueError, OverflowError):
        return None


def _price(row: dict[str, Any]) -> Money | None:
    text, currency = _word(row.get("totalPrice") or row.get("price")), _word(row.get("priceCurrency")).upper()
    try:
        value = Decimal(re.sub(r"[^\d.,-]", "", text).replace(",", "."))
        return Money.rounded(value, currency) if value.is_finite() and abs(value) < 10**9 else None
    except (InvalidOperation, ValueError, KeyError):
        return None


def _reservation(row: dict[str, Any]) -> Reservation | None:
    kind, thing = _kind(row), _dict(row.get("reservationFor"))
    number = _word(row.get("reservationNumber") or row.get("reservationId"))[:40]
    if kind == "LodgingReservation":
        address = _dict(thing.get("address"))
        leaves, arrives = (
            _when(row.get("checkinTime") or row.get("checkinDate")),
            _when(row.get("checkoutTime") or row.get("checkoutDate")),
        )
        if leaves is None or arrives is None or not leaves.date() < arrives.date():
            return None
        return Reservation(
            "stay",
            _word(thing.get("name")),
            number,
            "",
            _word(address.get("addressLocality")),
            leaves,
            arrives,
            _price(row),
        )
    mode = _MODES.get(kind)
    if mode is None:
        return None
    ends = ("Airport",) if mode == "air" else ("Station", "BusStop", "BoatTerminal")
    origin, target = _end(thing, [f"departure{e}" for e in ends]), _end(thing, [f"arrival{e}" for e in ends])
    leaves, arrives = _when(thing.get("departureTime")), _when(thing.get("arrivalTime"))
    if not origin or not target or leaves is None:
        return None
    carrier = _word(_dict(thing.get("airline") or thing.get("provider")).get("name"))
    flight = " ".join(
        x
        for x in (
            _word(_dict(thing.get("airline")).get("iataCode")),
            _word(thing.get("flightNumber") or thing.get("trainNumber") or thing.get("busNumber")),
        )
        if x
    )
    return Reservation(
        mode,
        " ".join(x for x in (carrier, flight) if x),
        number,
        origin,
        target,
        leaves,
        arrives or leaves,
        _price(row),
    )


def _end(thing: dict[str, Any], names: list[str]) -> str:
    for name in names:
        place = _dict(thing.get(name))
        found = (
            _word(place.get("iataCode"))
            or _word(_dict(place.get("address")).get("addressLocality"))
            or _word(place.get("name"))
        )
        if found:
            return found
    return ""
