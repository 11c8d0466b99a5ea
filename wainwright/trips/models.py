"""Trips and what they are made of."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

from django.db import models
from django.db.models import Q

from wainwright.accounts.models import CodedModel
from wainwright.core.journey import Mode, Place
from wainwright.core.money import Money
from wainwright.core.states import TRIP
from wainwright.people.models import Membership
from wainwright.signoff.selectors import asked_about

PAID_BY = [("self", "Paid by the traveller"), ("firm", "The firm's card"), ("central", "Billed to the firm")]


class TripQuerySet(models.QuerySet):
    """Trips by who may see them."""

    def visible_to(self, member: Membership):
        """The person's own trips, those they are asked to sign, and all of the firm for those who read all."""
        firm = self.filter(firm_id=member.firm_id)
        if member.reads_all:
            return firm
        return firm.filter(Q(traveller=member) | Q(pk__in=asked_about(member, "trip")))


class Trip(CodedModel):
    """One journey on business."""

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="trips")
    traveller = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="trips")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=120)
    purpose = models.CharField(max_length=500)
    state = models.CharField(max_length=20, choices=[(s, s) for s in TRIP.states], default=TRIP.first)
    currency = models.CharField(max_length=3)
    starts = models.DateField(null=True, blank=True)
    ends = models.DateField(null=True, blank=True)
    supplied = models.JSONField(default=list, help_text='Meals that others supply: "2026-10-13:breakfast".')
    advance_minor = models.BigIntegerField(default=0)
    advance_paid = models.BooleanField(default=False)
    version = models.PositiveIntegerField(default=1)
    plan = models.JSONField(default=dict, blank=True, help_text="What was signed, as figures by category.")
    planned_minor = models.BigIntegerField(default=0)
    signed_name = models.CharField(max_length=120, blank=True)
    sent = models.DateTimeField(null=True, blank=True)
    authorised = models.DateTimeField(null=True, blank=True)
    created = models.DateTimeField()

    objects = TripQuerySet.as_manager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["firm", "number"], name="one_trip_number")]
        indexes = [
            models.Index(fields=["firm", "-starts"]), models.Index(fields=["traveller", "-starts"]),
            models.Index(fields=["state", "starts"]),
        ]  # fmt: skip

    def __str__(self):
        return self.title

    @property
    def subject(self) -> str:
        """Its name in the trail and on routes."""
        return f"trip:{self.pk}"

    @property
    def code(self) -> str:
        """Its number as people write it."""
        return f"T-{self.number:04d}"

    @property
    def editable(self) -> bool:
        """Whether the plan may be changed now."""
        return TRIP.can(self.state, "send")

    @property
    def advance(self) -> Money:
        """The advance asked for."""
        return Money.from_minor(self.advance_minor, self.currency)

    @property
    def planned(self) -> Money:
        """What was signed, as a whole."""
        return Money.from_minor(self.planned_minor, self.currency)


def place_data(place: Place) -> dict:
    """A place as it is kept with a leg or a night, so that later data cannot change an old trip."""
    return {
        "code": place.code, "name": place.name, "town": place.town, "country": place.country, "zone": place.zone,
        "lat": place.lat, "lon": place.lon,
    }  # fmt: skip


class Leg(models.Model):
    """One move: moments in UTC, shown in the local time of each place."""

    trip = models.ForeignKey(Trip, on_delete=models.CASCADE, related_name="legs")
    mode = models.CharField(max_length=10, choices=[(m.value, m.value.capitalize()) for m in Mode])
    origin = models.JSONField()
    target = models.JSONField()
    leaves_at = models.DateTimeField()
    arrives_at = models.DateTimeField()
    estimate_minor = models.BigIntegerField(default=0)
    paid_by = models.CharField(max_length=10, choices=PAID_BY, default="firm")
    booking = models.ForeignKey(
        "bookings.Booking", on_delete=models.SET_NULL, null=True, blank=True, related_name="legs"
    )

    class Meta:
        ordering = ["leaves_at", "id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(arrives_at__gte=models.F("leaves_at")), name="leg_arrives_after_leaving"
            ),
            models.CheckConstraint(condition=Q(estimate_minor__gte=0), name="leg_estimate_not_negative"),
        ]

    def __str__(self):
        return f"{self.mode} {self.origin['town']} – {self.target['town']}"

    @property
    def start(self) -> Place:
        """Where it leaves from."""
        return Place(**self.origin)

    @property
    def end(self) -> Place:
        """Where it goes."""
        return Place(**self.target)

    @property
    def leaves(self) -> datetime:
        """Local wall time of leaving."""
        return self.leaves_at.astimezone(ZoneInfo(self.origin["zone"])).replace(tzinfo=None)

    @property
    def arrives(self) -> datetime:
        """Local wall time of arriving."""
        return self.arrives_at.astimezone(ZoneInfo(self.target["zone"])).replace(tzinfo=None)


class Night(models.Model):
    """A night of a trip: it exists once."""

    trip = models.ForeignKey(Trip, on_delete=models.CASCADE, related_name="nights")
    date = models.DateField()
    place = models.JSONField()
    name = models.CharField(max_length=80, blank=True)
    cost_minor = models.BigIntegerField(default=0)
    paid_by = models.CharField(max_length=10, choices=PAID_BY, default="firm")
    supplied = models.BooleanField(default=False)

    class Meta:
        ordering = ["date"]
        constraints = [
            models.UniqueConstraint(fields=["trip", "date"], name="a_night_exists_once"),
            models.CheckConstraint(condition=Q(cost_minor__gte=0), name="night_cost_not_negative"),
        ]

    def __str__(self):
        return f"{self.date} {self.name}"


class OtherCost(models.Model):
    """Something else the trip is expected to cost."""

    trip = models.ForeignKey(Trip, on_delete=models.CASCADE, related_name="others")
    category = models.CharField(max_length=20)
    label = models.CharField(max_length=80)
    amount_minor = models.BigIntegerField()
    paid_by = models.CharField(max_length=10, choices=PAID_BY, default="self")

    class Meta:
        ordering = ["id"]
        constraints = [models.CheckConstraint(condition=Q(amount_minor__gt=0), name="other_cost_positive")]

    def __str__(self):
        return self.label
