"""What was bought elsewhere: a ticket, an agent's fee."""

from __future__ import annotations

from datetime import datetime, time
from typing import Any

from django.contrib import messages

from wainwright import clock
from wainwright.bookings.models import KINDS
from wainwright.bookings.services import ByHand
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.trips.forms import ByHandForm
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.services import basket


class ElsewherePanel(Panel):
    """Recorded under its number, which is known once; the form is ready for the next one."""

    name = "elsewhere"
    title = say("+ bought elsewhere")
    order = 95

    def there(self, page: Page) -> bool:
        """As long as something may be recorded."""
        return page.may_record

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The form, with whom it was bought at and who paid as the last time."""
        day = page.trip.starts or clock.today(page.trip.firm.zone)
        last = next((b for b in reversed(page.file.bookings) if b.by_hand and b.stands), None)
        known = {"supplier": last.carrier, "paid_by": last.paid_by} if last else {}
        return {"form": page.form("hand_form", lambda: ByHandForm(initial={"day": day} | known))}

    @act("by-hand/", "by-hand", sums=True)
    def record(self, page: Page) -> str:
        """Record a ticket or fee bought elsewhere."""
        trip, form = page.trip, ByHandForm(page.request.POST)
        d = page.valid("hand_form", form, self.name)
        label = d["label"] or joined("", (dict(KINDS)[d["kind"]], ", ", d["supplier"] or "bought elsewhere"))
        typed = ByHand(
            d["kind"], label, d["supplier"], d["number"], Money.rounded(d["amount"], trip.currency), d["paid_by"],
            clock.in_zone(datetime.combine(d["day"], time()), trip.firm.zone),
        )  # fmt: skip
        with page.trying("hand_form", form, self.name):
            fee = Money.rounded(d["fee"], trip.currency) if d["fee"] else None
            booking = basket.by_hand(page.member, trip.pk, typed, fee)
        and_fee = say(", and its fee of {fee}", fee=fee) if fee is not None and booking.kind != "fee" else ""
        messages.info(
            page.request,
            say(
                "{booking_label}, {ticket_number}, is recorded{and_fee}.",
                booking_label=booking.label,
                ticket_number=booking.ticket_number,
                and_fee=and_fee,
            ),
        )
        return self.name


PANEL = ElsewherePanel()
