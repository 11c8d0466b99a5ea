"""What is booked, as part of the line that it books: its words, its facts, its acts."""

from __future__ import annotations

from typing import Any
from zoneinfo import ZoneInfo

from wainwright.bookings.models import Booking
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.core.workings import moment_text
from wainwright.trips.letters import seats_of
from wainwright.trips.models import OtherCost
from wainwright.trips.panels.base import Page

PAYS = {"self": say("paid by the traveller"), "firm": say("the firm's card"), "central": say("billed to the firm")}
LEVELS = ("stop", "explain", "note")


def booking_of(page: Page, booking_id: int | None) -> Booking | None:
    """The booking that a leg or a night belongs to."""
    return next((b for b in page.file.bookings if b.pk == booking_id), None) if booking_id else None


def until_words(page: Page, booking: Booking | None) -> str:
    """Until when its state stands, in the firm's time."""
    if booking is None or booking.runs_out is None:
        return ""
    local = booking.runs_out.astimezone(ZoneInfo(page.trip.firm.zone))
    return (
        say("until {moment}", moment=moment_text(local))
        if booking.state == "Held"
        else say("ticket by {moment}", moment=moment_text(local))
    )


def extras_of(page: Page, booking: Booking | None) -> list[OtherCost]:
    """What belongs to a booking and goes with it, as a bag to its flight."""
    return [other for other in page.file.others if booking is not None and other.booking_id == booking.pk]


def amount_of(page: Page, other: OtherCost) -> Money:
    """What another cost is expected to come to."""
    return Money.from_minor(other.amount_minor, page.trip.currency)


def price_with_extras(page: Page, booking: Booking) -> Money:
    """What it costs, with what belongs to it."""
    return sum((amount_of(page, other) for other in extras_of(page, booking)), booking.price)


def level_on(page: Page, *keys: str) -> str:
    """The gravest of the open findings that are about a thing; nothing where there is none."""
    wanted = set(keys)
    found = {
        each.finding.level.value for each in page.file.findings
        if each.open and (each.finding.target in wanted or each.finding.identity.partition("@")[2] in wanted)
    }  # fmt: skip
    return next((level for level in LEVELS if level in found), "")


def said_on(page: Page, *keys: str) -> str:
    """What somebody who signs said of a line."""
    return next((remark.words for remark in reversed(page.remarks) if remark.line in keys), "")


def booked_facts(page: Page, booking: Booking | None) -> dict[str, Any]:
    """What the part of a line shows that is about its booking: how it is paid, its papers, what may be done with it."""
    if booking is None:
        return {"b": None}
    refused = "was refused" in booking.problem
    return {
        "b": booking, "pays": PAYS[booking.paid_by], "seats": seats_of(booking),
        "extras": [(other.label, amount_of(page, other)) for other in extras_of(page, booking)],
        "may_price": page.may_seat and booking.stands and booking.price_now is not None,
        "may_pay": page.may_seat and booking.stands and not booking.by_hand and booking.state in ("Held", "Confirmed"),
        "may_seat": page.may_seat and booking.stands and not booking.by_hand and booking.seat_choice != "none",
        "may_change": page.editable and booking.stands and not booking.by_hand and bool(booking.hops),
        "may_cancel": booking.stands and (page.may_record if booking.by_hand else page.may_cancel),
        "refused": refused, "until": until_words(page, booking),
        "cards": [card for card in page.member.cards.all() if card.firm_pays] if page.do == "pay" or refused else [],
    }  # fmt: skip
