"""Trips and what they are made of."""

from __future__ import annotations

from datetime import datetime
from functools import cached_property
from zoneinfo import ZoneInfo

from django.db import models
from django.db.models import Q

from wainwright.accounts.models import CodedModel
from wainwright.bookings.models import Booking
from wainwright.core.journey import Mode, Place
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.states import TRIP
from wainwright.people.models import Membership
from wainwright.signoff.selectors import asked_about

PAID_BY = [
    ("self", say("Paid by the traveller")),
    ("firm", say("The firm's card")),
    ("central", say("Billed to the firm")),
]


KINDS = [("trip", say("A trip")), ("move", say("Moving house for the firm"))]


class TripQuerySet(models.QuerySet):
    """Trips by who may see them."""

    def visible_to(self, member: Membership):
        """The person's own trips, those they are asked to sign or were told of, and all of the firm for those who read all."""
        firm = self.filter(firm_id=member.firm_id)
        if member.may["read_all"]:
            return firm
        told = Booking.objects.filter(told_id=member.pk).values("trip")
        return firm.filter(Q(traveller_id=member.pk) | Q(pk__in=asked_about(member, "trip")) | Q(pk__in=told))


class Trip(CodedModel):
    """One journey on business."""

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="trips")
    traveller = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="trips")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=120)
    purpose = models.CharField(max_length=500)
    kind = models.CharField(max_length=5, choices=KINDS, default="trip")
    moves_with = models.ForeignKey(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="parties",
        help_text="The employee's own trip of the same move, where this is that of relatives who travel "
"apart.",
    )  # fmt: skip
    movers = models.JSONField(
        default=list, blank=True, help_text="Relatives who move on this trip: each with name and kin."
    )
    state = models.CharField(max_length=20, choices=[(s, s) for s in TRIP.states], default=TRIP.first)
    currency = models.CharField(max_length=3)
    starts = models.DateField(null=True, blank=True)
    ends = models.DateField(null=True, blank=True)
    supplied = models.JSONField(default=list, help_text=say('Meals that others supply: "2026-10-13:breakfast".'))
    billed = models.JSONField(
        default=list, blank=True, help_text="Meals that a bill on the claim pays for, as in supplied."
    )
    advance_minor = models.BigIntegerField(default=0)
    advance_why = models.CharField(max_length=200, blank=True, help_text="What the advance is asked for.")
    advance_paid = models.BooleanField(default=False)
    advance_settled = models.BooleanField(default=False, help_text="Set against a posted claim.")
    advance_unpaid_minor = models.BigIntegerField(default=0, help_text="What a paid one was raised by, not paid yet.")
    advance_back_minor = models.BigIntegerField(
        default=0, help_text="What of it came back, or was accounted for before the rest was paid."
    )
    shares = models.JSONField(default=list, blank=True, help_text="How its cost is split over codings.")
    answers = models.JSONField(default=dict, blank=True, help_text="Answers to the firm's own questions.")
    permissions = models.JSONField(default=list, blank=True, help_text="Special permissions added by hand.")
    engagements = models.JSONField(default=list, blank=True, help_text="What the traveller must be in time for.")
    profile = models.JSONField(default=dict, blank=True, help_text="The copy of the profile that this trip uses.")
    standing = models.JSONField(
        default=dict, blank=True, help_text="What was authorised, while its plan is opened again."
    )
    version = models.PositiveIntegerField(default=1)
    signed = models.ForeignKey(
        "trips.TripVersion", on_delete=models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="The newest version that the traveller certified.",
    )  # fmt: skip
    signed_name = models.CharField(max_length=120, blank=True)
    ready_by = models.ForeignKey(
        Membership, on_delete=models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="Who prepared it, and says that the traveller can sign.",
    )  # fmt: skip
    sent = models.DateTimeField(null=True, blank=True)
    authorised = models.DateTimeField(null=True, blank=True)
    created = models.DateTimeField()

    # In these nothing more happens on it.
    OVER = ("Closed", "Called off", "Turned down")

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
    def is_move(self) -> bool:
        """Whether somebody moves house on it."""
        return self.kind == "move"

    @property
    def party(self) -> str:
        """Who moves on it, by name, so that one party's trip and claim are never taken for another's; nothing for other trips."""
        if not self.is_move:
            return ""
        names = [row["name"] for row in self.movers]
        if self.moves_with_id is None:
            names.insert(0, self.traveller.person.name)
        return joined(say(" and "), filter(None, [", ".join(names[:-1]), *names[-1:]]))

    @cached_property
    def live_claims(self):
        """Its claims that count, the first of them first, those of another trip on which it is claimed too among them.

        One query, none where a list has fetched both beforehand.
        """
        fetched = "also_claims" in getattr(self, "_prefetched_objects_cache", {})
        claims = self.claims.model.objects
        rows = (
            [*self.claims.all(), *self.also_claims.all()]
            if fetched
            else claims.of_trip(self.pk).select_related("statement")
        )
        return sorted((claim for claim in rows if claim.state not in claim.OVER), key=lambda claim: claim.pk)

    @property
    def claim(self):
        """The newest claim that counts, a supplement too; nothing where there is none."""
        return self.live_claims[-1] if self.live_claims else None

    @property
    def meals_off(self) -> list[str]:
        """The meals that the allowance leaves out: supplied by others, or paid for by a bill on the claim."""
        return sorted({*self.supplied, *self.billed})

    @property
    def advance(self) -> Money:
        """The advance asked for."""
        return Money.from_minor(self.advance_minor, self.currency)

    @property
    def advance_to_pay(self) -> Money:
        """What of the advance is still to be paid out: all of it, or what it was raised by since."""
        minor = self.advance_unpaid_minor if self.advance_paid else self.advance_minor
        return Money.from_minor(minor, self.currency)

    @property
    def advance_paid_out(self) -> Money:
        """What of the advance was paid out, whatever came back of it."""
        return self.advance - self.advance_to_pay

    @property
    def advance_out(self) -> Money:
        """What of the advance the traveller holds, if no claim has taken it."""
        return self.advance_paid_out - Money.from_minor(self.advance_back_minor, self.currency)

    @property
    def advance_subject(self) -> str:
        """The name of its next payment: of the advance, or of what one of so much is raised by. Each is paid once."""
        return f"advance:{self.pk}:{self.advance_paid_out.minor}" if self.advance_paid else f"advance:{self.pk}"

    @property
    def planned(self) -> Money | None:
        """What was certified, as a whole; nothing before the first time."""
        return Money.from_minor(self.signed.total_minor, self.currency) if self.signed else None


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
    vehicle = models.CharField(
        max_length=20, default="car", help_text="The kind of one's own vehicle, which finds the rate."
    )
    km = models.DecimalField(max_digits=14, decimal_places=7, null=True, blank=True)
    km_by = models.CharField(max_length=200, blank=True, help_text="Where the distance comes from.")
    passengers = models.PositiveSmallIntegerField(default=0)
    compared = models.JSONField(default=dict, blank=True, help_text="The cheapest other way, as evidence.")
    driven_by = models.CharField(
        max_length=80,
        blank=True,
        help_text="Whose vehicle it is, where somebody else drives: then it earns nothing.",
    )
    stop_reason = models.CharField(max_length=80, blank=True, help_text="Why one stops where it ends.")
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
    lifted = models.BooleanField(default=False, help_text="Permission for actual cost is asked for.")
    lodging = models.CharField(max_length=12, blank=True, help_text="The kind of lodging, where rates differ by it.")
    full = models.JSONField(default=dict, blank=True, help_text="Who said when that supplied quarters were full.")
    booking = models.ForeignKey(
        "bookings.Booking", on_delete=models.SET_NULL, null=True, blank=True, related_name="nights"
    )

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
    day = models.DateField(null=True, blank=True)
    amount_minor = models.BigIntegerField()
    paid_by = models.CharField(max_length=10, choices=PAID_BY, default="self")
    booking = models.ForeignKey(
        "bookings.Booking", on_delete=models.CASCADE, null=True, blank=True, related_name="extras",
        help_text="What it belongs to, as a bag to its flight; it goes with it.",
    )  # fmt: skip

    class Meta:
        ordering = ["id"]
        constraints = [models.CheckConstraint(condition=Q(amount_minor__gt=0), name="other_cost_positive")]

    def __str__(self):
        return self.label


class Paper(models.Model):
    """A paper of a trip: agenda, invitation, price comparison."""

    trip = models.ForeignKey(Trip, on_delete=models.CASCADE, related_name="papers")
    kind = models.CharField(max_length=30)
    name = models.CharField(max_length=120)
    file = models.FileField(upload_to="papers/%Y/%m/")
    sha256 = models.CharField(max_length=64)
    media_type = models.CharField(max_length=40)
    added = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["trip", "sha256"], name="a_paper_once_a_trip")]

    def __str__(self):
        return f"{self.kind}: {self.name}"


class TripVersion(models.Model):
    """What was signed, line by line and as figures, frozen; or what an act on an authorised trip made of it."""

    trip = models.ForeignKey(Trip, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveSmallIntegerField()
    lines = models.JSONField(help_text="[key, section, label, value] of every line.")
    act = models.CharField(max_length=200, default=say("certified and sent"), help_text="What made it, in words.")
    total_minor = models.BigIntegerField(default=0)
    allowance_minor = models.BigIntegerField(default=0)
    by_category = models.JSONField(default=dict, help_text="Whole minor units by the code of each category.")
    frozen = models.JSONField(default=dict, help_text="Figures, findings, permissions, journey as they were.")
    signed_name = models.CharField(max_length=120, blank=True)
    signed_by = models.CharField(max_length=20, blank=True, help_text="How it was certified: name or code.")
    time = models.DateTimeField()

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["trip", "number"], name="one_version_number")]

    def __str__(self):
        return say("version {number} of trip {trip_id}", number=self.number, trip_id=self.trip_id)


class Subscription(models.Model):
    """A private address under which a person's itineraries can be subscribed to; it can be revoked."""

    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="subscriptions")
    secret = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField()
    revoked = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["member"], condition=Q(revoked__isnull=True), name="one_open_subscription")
        ]

    def __str__(self):
        return say("calendar of {member_id}", member_id=self.member_id)
