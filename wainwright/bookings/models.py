"""What is asked for, held, confirmed and ticketed, and what was bought elsewhere."""

from __future__ import annotations

from datetime import datetime

from django.db import models
from django.db.models import Q

from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.states import BOOKING

KINDS = [
    ("air", say("Flight")), ("rail", say("Rail")), ("ferry", say("Ferry")), ("coach", say("Coach")), ("car", say("Hire car")), ("stay", say("Lodging")),
    ("fee", say("Agent's fee")),
]  # fmt: skip
CATEGORY = {
    "air": "air", "rail": "transit", "ferry": "ferry", "coach": "transit", "car": "hire", "stay": "lodging", "fee": "fee",
}  # fmt: skip

# What the conditions of a room say where breakfast is in its price.
BREAKFAST_IN = say("In the price")
# The rows that say where a house is and how it is rung up.
WHERE, PHONE = say("Where"), say("Phone")


class Booking(models.Model):
    """Something for a trip, with its conditions as they were read and the evidence of the choice.

    One that was recorded by hand (``by_hand``) was bought elsewhere: it stands at Ticketed, and its
    number is known once within the firm.
    """

    # In these it still counts.
    STANDING = ("Held", "Confirmed", "Ticketed")

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="bookings")
    trip = models.ForeignKey("trips.Trip", on_delete=models.PROTECT, related_name="bookings")
    booker = models.ForeignKey("people.Membership", on_delete=models.PROTECT, null=True, related_name="booked")
    kind = models.CharField(max_length=6, choices=KINDS, default="air")
    state = models.CharField(max_length=12, choices=[(s, s) for s in BOOKING.states], default=BOOKING.first)
    placed = models.BooleanField(
        default=False, help_text="Whether it was put on its trip; moved away from it since, it still stands."
    )
    by_hand = models.BooleanField(default=False)
    keys = models.JSONField(default=list, blank=True)
    reference = models.CharField(max_length=20, blank=True)
    carrier = models.CharField(max_length=160)
    label = models.CharField(max_length=160)
    fare = models.CharField(max_length=40, blank=True)
    cabin = models.CharField(max_length=10, blank=True)
    contracted = models.BooleanField(default=False)
    contract_passed = models.BooleanField(default=False, help_text="A contracted fare fitted and was not taken.")
    rows = models.JSONField(default=list, help_text="The conditions in plain rows: [what, words].")
    hops = models.JSONField(default=list, help_text="Every move of it, with places and local times.")
    currency = models.CharField(max_length=3)
    price_minor = models.BigIntegerField()
    price_now_minor = models.BigIntegerField(null=True, blank=True, help_text="What it costs now, where it changed.")
    lost_minor = models.BigIntegerField(default=0, help_text="What cancelling or changing it cost.")
    cheapest_minor = models.BigIntegerField()
    refund_fee_minor = models.BigIntegerField(null=True, blank=True, help_text="Empty: not refunded.")
    change_fee_minor = models.BigIntegerField(null=True, blank=True, help_text="Empty: cannot be changed.")
    alternatives = models.JSONField(default=list)
    evidence = models.JSONField(default=dict, blank=True, help_text="Who was told what of a choice outside the rules.")
    told = models.ForeignKey(
        "people.Membership", on_delete=models.SET_NULL, null=True, blank=True, related_name="told_of",
        help_text="Who was told of a choice outside the rules, and may look at its trip.",
    )  # fmt: skip
    carbon_kg = models.PositiveIntegerField(default=0)
    seat_choice = models.CharField(max_length=5, default="none")
    seats = models.JSONField(default=list, blank=True)
    paid_by = models.CharField(max_length=10, default="firm")
    card = models.CharField(max_length=4, blank=True)
    departure = models.DateTimeField()
    asked = models.DateTimeField()
    held_until = models.DateTimeField(null=True, blank=True)
    ticket_by = models.DateTimeField(null=True, blank=True)
    ticket_number = models.CharField(max_length=40, blank=True)
    problem = models.CharField(max_length=300, blank=True)
    late_told = models.BooleanField(default=False)
    instead_of = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, blank=True, related_name="replaced_by")
    once = models.CharField(max_length=120, unique=True)

    class Meta:
        ordering = ["departure", "id"]
        indexes = [models.Index(fields=["state", "held_until"])]
        constraints = [
            models.UniqueConstraint(
                fields=["firm", "ticket_number"], condition=~Q(ticket_number=""), name="a_ticket_number_once_a_firm"
            )
        ]

    def __str__(self):
        return self.label

    def _money(self, minor: int | None) -> Money | None:
        return None if minor is None else Money.from_minor(minor, self.currency)

    @property
    def price(self) -> Money:
        """What it costs."""
        return Money.from_minor(self.price_minor, self.currency)

    @property
    def price_now(self) -> Money | None:
        """What it costs now, where the supplier changed it after the hold."""
        return self._money(self.price_now_minor)

    @property
    def lost(self) -> Money:
        """What is not given back of a cancelled one."""
        return Money.from_minor(self.lost_minor, self.currency)

    @property
    def cheapest(self) -> Money:
        """The yardstick at the time of the choice."""
        return Money.from_minor(self.cheapest_minor, self.currency)

    @property
    def stands(self) -> bool:
        """Whether it still counts."""
        return self.state in self.STANDING

    @property
    def breakfast(self) -> bool:
        """Whether a room has breakfast in its price."""
        return self.kind == "stay" and ["Breakfast", BREAKFAST_IN] in self.rows

    @property
    def reach(self) -> str:
        """Where a room's house is and how it is rung up, as its supplier said; nothing where it did not."""
        said = dict(self.rows)
        return joined(", ", (said[what] for what in (WHERE, PHONE) if said.get(what)))

    @property
    def category(self) -> str:
        """The category of its cost."""
        return CATEGORY[self.kind]

    @property
    def costs_to_cancel(self) -> Money:
        """What giving it up costs now: nothing while it is only held, else what its conditions say."""
        if self.by_hand or self.state not in ("Confirmed", "Ticketed"):
            return Money.zero(self.currency)
        return self.price if self.refund_fee_minor is None else Money.from_minor(self.refund_fee_minor, self.currency)

    @property
    def costs_to_change(self) -> Money:
        """What putting something else in its place costs now, beside the new price."""
        if self.by_hand or self.state not in ("Confirmed", "Ticketed"):
            return Money.zero(self.currency)
        if self.change_fee_minor is None:
            return self.costs_to_cancel
        return min(self.costs_to_cancel, Money.from_minor(self.change_fee_minor, self.currency))

    @property
    def runs_out(self) -> datetime | None:
        """When its state ends if nobody does anything: the hold's end, then the ticket's limit."""
        return {"Held": self.held_until, "Confirmed": self.ticket_by}.get(self.state)

    @property
    def first_day(self) -> str:
        """The local day of its first move, as kept with it; empty for what does not move."""
        return self.hops[0]["leaves"][:10] if self.hops else ""
