"""A claim: expenses sent together."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from django.db import models
from django.db.models import Q

from wainwright.accounts.models import CodedModel
from wainwright.core.money import Money, total
from wainwright.core.said import say
from wainwright.core.states import CLAIM
from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.signoff.selectors import asked_about

if TYPE_CHECKING:
    from wainwright.trips.models import Trip

PAYS_BACK = [("next", say("Taken from the next claim")), ("self", say("Paid by the traveller"))]


class ClaimQuerySet(models.QuerySet):
    """Claims by who may see them."""

    def live(self):
        """Those that count: neither turned down nor withdrawn."""
        return self.exclude(state__in=Claim.OVER)

    def of_trip(self, trip_id: int):
        """Those of a trip: its own, and those of another on which it is claimed too."""
        along = Claim.also.through.objects.filter(trip_id=trip_id).values("claim_id")
        return self.filter(Q(trip_id=trip_id) | Q(pk__in=along))

    def visible_to(self, member: Membership):
        """One's own, those one is asked to sign, and all of the firm for those who read all."""
        firm = self.filter(firm_id=member.firm_id)
        if member.may["read_all"]:
            return firm
        return firm.filter(Q(claimant_id=member.pk) | Q(pk__in=asked_about(member, "claim")))


class Claim(CodedModel):
    """Expenses sent together to be decided and settled."""

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="claims")
    claimant = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="claims")
    trip = models.ForeignKey("trips.Trip", on_delete=models.PROTECT, null=True, blank=True, related_name="claims")
    also = models.ManyToManyField(
        "trips.Trip", blank=True, related_name="also_claims", help_text="Further trips that are claimed on it too."
    )
    supplements = models.ForeignKey(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="supplemented",
        help_text="The sent claim of the same trip to which this one adds what came later.",
    )  # fmt: skip
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=120)
    state = models.CharField(max_length=20, choices=[(s, s) for s in CLAIM.states], default=CLAIM.first)
    currency = models.CharField(max_length=3)
    due = models.DateField(null=True, blank=True)
    version = models.PositiveIntegerField(default=1)
    statement = models.ForeignKey(
        "claims.Statement", on_delete=models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="The newest version of what was certified.",
    )  # fmt: skip
    signed_name = models.CharField(max_length=120, blank=True)
    sent = models.DateTimeField(null=True, blank=True)
    cleared_by = models.ForeignKey(Membership, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    shares = models.JSONField(default=list, blank=True, help_text="How it is split over codings, as a trip is.")
    to_issuer_minor = models.BigIntegerField(
        default=0, help_text="How much of it is to go to the issuer of the claimant's own card."
    )
    issuer_card = models.ForeignKey("people.Card", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    pays_back = models.CharField(
        max_length=5, choices=PAYS_BACK, default="next", help_text="How it is paid back where it comes below zero."
    )
    ready_by = models.ForeignKey(
        Membership, on_delete=models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="Who prepared it, and says that the claimant can sign.",
    )  # fmt: skip
    objection = models.CharField(
        max_length=500,
        blank=True,
        help_text="What the claimant objects to, until finance has answered: nothing is paid meanwhile.",
    )
    profile = models.JSONField(
        default=dict,
        blank=True,
        help_text="The copy of the profile that it uses: as it was made, then as it was sent.",
    )
    answered = models.JSONField(default=list, blank=True, help_text="Questions that were answered with no.")
    entry = models.PositiveSmallIntegerField(default=1, help_text="Counts the journals: one more after a reversal.")
    created = models.DateTimeField()

    # Whether further trips are claimed on it, where whoever read it has asked.
    has_also = True

    # Nothing of it counts any more: what it held lies in the tray.
    OVER = ("Turned down", "Withdrawn")

    objects = ClaimQuerySet.as_manager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["firm", "number"], name="one_claim_number")]
        indexes = [
            models.Index(fields=["claimant", "-id"]), models.Index(fields=["firm", "state", "sent"]),
            models.Index(fields=["firm", "-id"]),
        ]  # fmt: skip

    def __str__(self):
        return self.title

    @property
    def subject(self) -> str:
        """Its name in the trail, on routes and on journals."""
        return f"claim:{self.pk}"

    @property
    def journal_key(self) -> str:
        """The key under which the ledger enters its journal, once."""
        return f"claim:{self.firm_id}:{self.number}:{self.entry}"

    @property
    def reversal_key(self) -> str:
        """The key under which the ledger enters what undoes that journal, once."""
        return f"reverse:{self.firm_id}:{self.number}:{self.entry}"

    @property
    def code(self) -> str:
        """Its number as people write it."""
        return f"C-{self.number:04d}"

    @cached_property
    def trips(self) -> list[Trip]:
        """Its trips, its own first: none for a claim without. One query, none where it is known that there is no further."""
        own = [self.trip] if self.trip is not None else []
        if not self.has_also:
            return own
        return [*own, *_further(self.pk)]

    @property
    def planned_by_category(self) -> dict[str, int]:
        """What was authorised for each category on all of its trips, in whole minor units."""
        found: dict[str, int] = {}
        for trip in self.trips:
            for category, minor in (trip.signed.by_category if trip.signed else {}).items():
                found[category] = found.get(category, 0) + minor
        return found

    @property
    def planned(self) -> Money | None:
        """What was authorised for all of its trips; nothing where nothing had to be."""
        sums = [trip.planned for trip in self.trips if trip.planned is not None]
        return total(sums, self.currency) if sums else None

    @property
    def editable(self) -> bool:
        """Whether it may be changed now."""
        return CLAIM.can(self.state, "send")

    @property
    def total(self) -> Money:
        """Everything on it, as its newest statement says; nothing before it was sent."""
        return Money.from_minor(self.statement.total_minor if self.statement else 0, self.currency)

    @property
    def owed(self) -> Money:
        """What is owed to the claimant, as its newest statement says; below zero it is owed back."""
        return Money.from_minor(self.statement.due_minor if self.statement else 0, self.currency)


class OverPermitted(models.Model):
    """The permission, given by whoever decided, to pay what a line is over its ceiling; it stands when the claim is sent again."""

    claim = models.ForeignKey(Claim, on_delete=models.CASCADE, related_name="permitted")
    key = models.CharField(max_length=60)
    amount_minor = models.BigIntegerField(help_text="How much may be paid over the ceiling.")
    by = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="+")
    why = models.CharField(max_length=300)
    time = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["claim", "key"], name="one_permission_a_line")]

    def __str__(self):
        return say("{key} by {by_id}", key=self.key, by_id=self.by_id)


class TakenOff(models.Model):
    """What one claim pays of what another came below zero: taken off as it is sent, and the other is settled by it."""

    claim = models.ForeignKey(Claim, on_delete=models.CASCADE, related_name="taken_off")
    owed = models.ForeignKey(Claim, on_delete=models.PROTECT, related_name="recovered")
    amount_minor = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["claim", "owed"], name="taken_off_once"),
            models.CheckConstraint(condition=Q(amount_minor__gt=0), name="taken_off_is_positive"),
        ]

    def __str__(self):
        return say("{owed_id} by {claim_id}", owed_id=self.owed_id, claim_id=self.claim_id)


class AdvanceTaken(models.Model):
    """The paid advance of another trip that is set against a claim, since no claim of its own takes it."""

    claim = models.ForeignKey(Claim, on_delete=models.CASCADE, related_name="advances_taken")
    trip = models.ForeignKey("trips.Trip", on_delete=models.PROTECT, related_name="advance_taken")
    amount_minor = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["trip"], name="an_advance_is_taken_once"),
            models.CheckConstraint(condition=Q(amount_minor__gt=0), name="advance_taken_is_positive"),
        ]

    def __str__(self):
        return say("{trip_id} by {claim_id}", trip_id=self.trip_id, claim_id=self.claim_id)


class Correction(models.Model):
    """One correction by finance, for what is corrected most and for whom."""

    claim = models.ForeignKey(Claim, on_delete=models.CASCADE, related_name="corrections")
    statement = models.ForeignKey("claims.Statement", on_delete=models.CASCADE, related_name="+")
    by = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="+")
    key = models.CharField(max_length=60)
    label = models.CharField(max_length=200)
    category = models.CharField(max_length=20, blank=True)
    why = models.CharField(max_length=250)
    changes = models.JSONField(default=list, help_text="[section, label, before, after] of each.")
    time = models.DateTimeField()

    class Meta:
        ordering = ["-time"]
        indexes = [models.Index(fields=["claim", "-time"])]

    def __str__(self):
        return f"{self.label}: {self.why}"


@prepared
def _further(claim: int) -> models.QuerySet[Trip]:
    """The further trips of a claim: worded once, since every act on one asks."""
    rows = Claim.also.rel.model.objects.filter(also_claims=claim)
    return rows.select_related("signed", "firm", "traveller__person").order_by("starts", "pk")
