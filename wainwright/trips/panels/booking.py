"""What is booked and is neither a move nor a night of the trip: a hire car, a fee, what was bought elsewhere; and every booking's acts."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from django.contrib import messages

from wainwright.bookings.models import Booking
from wainwright.core.said import joined, kept, say, small
from wainwright.trips.figures import b_key
from wainwright.trips.panels.base import Line, LinePanel, Page, act
from wainwright.trips.panels.booked import (
    booked_facts,
    extras_of,
    level_on,
    price_with_extras,
    said_on,
    until_words,
)
from wainwright.trips.services import basket


def _elsewhere(page: Page) -> set[int]:
    """The bookings that stand on legs and nights."""
    return {thing.booking_id for thing in (*page.file.legs, *page.file.nights) if thing.booking_id}


def _begins(b: Booking, zone: str) -> datetime:
    """When it begins, in the local time of its place; what has no place of its own in the firm's."""
    if b.hops:
        return datetime.fromisoformat(b.hops[0]["leaves"])
    if b.kind == "car" and b.keys:
        return datetime.fromisoformat(b.keys[0].split("/")[2])
    return b.departure.astimezone(ZoneInfo(zone)).replace(tzinfo=None)


class BookingPanel(LinePanel):
    """A booking by itself: its conditions, its number, its price; cancelled, paid otherwise, taken at a new price."""

    name = "booking"
    title = say("Booking")

    def lines(self, page: Page) -> Sequence[Line]:
        """One for each that stands, or is asked for, without a leg or a night of its own."""
        placed = _elsewhere(page)
        return [self._line(page, b) for b in page.file.live if b.pk not in placed]

    def has(self, page: Page, which: str) -> bool:
        """A booking that still stands by itself."""
        placed = _elsewhere(page)
        return any(str(b.pk) == which and b.pk not in placed for b in page.file.live)

    def _line(self, page: Page, b: Any) -> Line:
        begin = _begins(b, page.trip.firm.zone)
        said, more = said_on(page, b_key(b)), [b.carrier if b.carrier != b.label else ""]
        if b.by_hand:
            more = [
                b.carrier if b.carrier not in b.label else "",
                say("bought elsewhere, number {ticket_number}", ticket_number=b.ticket_number),
            ]
        return Line(
            f"booking-{b.pk}", begin, say("hire car") if b.kind == "car" else b.kind,
            "" if b.by_hand else f"{begin:%H:%M}", b.label, joined(", ", filter(None, [*more, say("“{text}”", text=said) if said else ""])),
            b.state, until_words(page, b), bool(b.problem), price_with_extras(page, b), level_on(page, b_key(b)),
            joined(", ", (say("of it {other_label}", other_label=small(kept(other.label))) for other in extras_of(page, b))),
        )  # fmt: skip

    def answers(self, target: str, page: Page) -> str:
        """A booking that has no leg and no night."""
        kind, _, number = target.partition(":")
        placed = _elsewhere(page)
        live = {str(b.pk) for b in page.file.live if b.pk not in placed}
        return f"booking-{number}" if kind == "booking" and number in live else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The booking with what may be done with it."""
        return booked_facts(page, next(b for b in page.file.live if str(b.pk) == which))

    @act("bookings/<int:booking_id>/cancel/", "booking-cancel", sums=True)
    def cancel(self, page: Page, booking_id: int) -> str:
        """Cancel a booking."""
        b = basket.cancel(page.member, page.trip.pk, booking_id)
        words = (
            say("{b_label} is taken off.", b_label=b.label)
            if b.by_hand
            else say("{b_label} is cancelled; {lost} is not given back.", b_label=b.label, lost=b.lost)
        )
        messages.info(page.request, words)
        return ""

    @act("bookings/<int:booking_id>/price/", "booking-price", sums=True)
    def take_price(self, page: Page, booking_id: int) -> None:
        """Take a hold at its new price."""
        b = basket.take_price(page.member, page.trip.pk, booking_id)
        messages.info(page.request, say("{b_label} stands at {price} now.", b_label=b.label, price=b.price))

    @act("bookings/<int:booking_id>/card/", "booking-card")
    def pay_by(self, page: Page, booking_id: int) -> None:
        """Pay a booking by another card, or have it billed."""
        chosen = page.request.POST.get("card", "")
        paid_by = "central" if chosen == "central" else "firm"
        basket.pay_by(page.member, page.trip.pk, booking_id, paid_by, chosen if paid_by == "firm" else "")


PANEL = BookingPanel()
