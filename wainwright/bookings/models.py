"""What is held, confirmed and ticketed."""

from __future__ import annotations

from django.db import models

from wainwright.core.money import Money
from wainwright.core.states import BOOKING


class Booking(models.Model):
    """A way that was held with the market, with the conditions as they were read, and the evidence of the choice."""

    trip = models.ForeignKey("trips.Trip", on_delete=models.PROTECT, related_name="bookings")
    state = models.CharField(max_length=12, choices=[(s, s) for s in BOOKING.states], default=BOOKING.first)
    reference = models.CharField(max_length=20)
    carrier = models.CharField(max_length=80)
    label = models.CharField(max_length=160)
    conditions = models.CharField(max_length=200)
    currency = models.CharField(max_length=3)
    price_minor = models.BigIntegerField()
    cheapest_minor = models.BigIntegerField()
    alternatives = models.JSONField(default=list)
    carbon_kg = models.PositiveIntegerField(default=0)
    departure = models.DateTimeField()
    held_until = models.DateTimeField()
    ticket_by = models.DateTimeField()
    ticket_number = models.CharField(max_length=20, blank=True)
    once = models.CharField(max_length=80, unique=True)

    class Meta:
        indexes = [models.Index(fields=["state", "held_until"])]

    def __str__(self):
        return self.label

    @property
    def price(self) -> Money:
        """What it costs."""
        return Money.from_minor(self.price_minor, self.currency)

    @property
    def cheapest(self) -> Money:
        """The yardstick at the time of the choice."""
        return Money.from_minor(self.cheapest_minor, self.currency)

    @property
    def stands(self) -> bool:
        """Whether it still counts."""
        return self.state in ("Held", "Confirmed", "Ticketed")
