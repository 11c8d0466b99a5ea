"""Sign-offs and remarks."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from wainwright.core.money import Money
from wainwright.core.said import kept, say

WHAT = [
    ("plan", say("Plan")),
    ("claim", say("Claim")),
    ("supplement", say("Supplement")),
    ("correction", say("Correction")),
]


class SignOff(models.Model):
    """One person asked to sign one subject ("trip:3", "claim:4") in one round."""

    class State(models.TextChoices):
        """Waiting for its turn or its person; given; or ended otherwise."""

        WAITING = "Waiting"
        GIVEN = "Given"
        KEPT = "Kept"
        SENT_BACK = "Sent back"
        TURNED_DOWN = "Turned down"
        PASSED_ON = "Passed on"
        DROPPED = "Dropped"

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE)
    subject = models.CharField(max_length=60, db_index=True)
    kind = models.CharField(max_length=10)
    object_id = models.PositiveBigIntegerField()
    round = models.PositiveSmallIntegerField(default=1)
    order = models.PositiveSmallIntegerField()
    signer = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="signoffs")
    covers = models.CharField(max_length=120, blank=True)
    why = models.CharField(max_length=300)
    scope = models.CharField(max_length=60, default="all")
    content = models.CharField(max_length=64, blank=True)
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    turn = models.BooleanField(default=False)
    due = models.DateField(null=True)
    since = models.DateTimeField(null=True)
    decided = models.DateTimeField(null=True)
    comment = models.CharField(max_length=1000, blank=True)
    # Copied from the subject, so that a list of what waits is one query.
    title = models.CharField(max_length=200)
    amount_minor = models.BigIntegerField(default=0)
    currency = models.CharField(max_length=3)
    marks = models.JSONField(default=list)
    odd = models.BooleanField(default=False, help_text="Whether something of it is out of line: told by its marks.")
    what = models.CharField(
        max_length=12, choices=WHAT, default="claim", help_text="What kind of thing it is, for lists."
    )
    coding = models.CharField(max_length=160, blank=True, help_text="Its own coding in words, for lists.")
    risk = models.PositiveSmallIntegerField(default=0, help_text="How much there is to think about, from 0 to 100.")
    reminded = models.DateField(null=True, blank=True, help_text="When its signer was reminded last.")

    class Meta:
        ordering = ["round", "order", "id"]
        indexes = [
            models.Index(fields=["firm", "state", "turn", "due"]),
            models.Index(fields=["firm", "-decided"]),
            models.Index(fields=["signer", "-decided"]),
            # One's own queue by due date and by risk in the order of an index, and its sums from an index alone. ``turn`` is asked
            # for by its bare name, which no index serves: it stands behind what is ordered by.
            models.Index(fields=["signer", "state", "due", "since"]),
            models.Index(fields=["signer", "state", "-risk", "due"]),
            models.Index(
                fields=["signer", "state", "currency", "turn", "odd", "scope", "amount_minor", "since"],
                name="queue_sums",
            ),
            models.Index(fields=["signer", "kind", "object_id"]),
        ]
        constraints = [
            models.UniqueConstraint(
                fields=["subject", "signer"], condition=Q(state="Waiting"), name="asked_once_at_a_time"
            )
        ]

    def __str__(self):
        return say("{signer} on {subject}", signer=self.signer, subject=self.subject)

    def save(self, *args, **kwargs):
        """Keep it; whether it is out of line follows from its marks. What is only worth knowing is not."""
        self.odd = any(level != "note" for level in self.marks)
        super().save(*args, **kwargs)

    @property
    def amount(self) -> Money:
        """What the subject comes to."""
        return Money.from_minor(self.amount_minor, self.currency)

    @property
    def decided_at(self) -> str:
        """The address at which it is decided on."""
        return f"/bench/{self.kind}/{self.object_id}/"

    @property
    def lies_at(self) -> str:
        """The address at which its owner finds it."""
        return f"/{'trips' if self.kind == 'trip' else 'claims'}/{self.object_id}/"


class Remark(models.Model):
    """Something said on a subject or on one of its lines ("expense:7")."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE)
    subject = models.CharField(max_length=60, db_index=True)
    line = models.CharField(max_length=60, blank=True)
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT)
    text = models.CharField(max_length=1000)
    composed = models.BooleanField(
        default=False, help_text="An act put it together of words of ours and what was typed; else it is typed alone."
    )
    time = models.DateTimeField()
    mended = models.BooleanField(default=False)

    class Meta:
        ordering = ["time"]

    def __str__(self):
        return self.text[:60]

    @property
    def words(self) -> str:
        """What it says to whoever reads it: what people typed stands as they typed it."""
        return kept(self.text) if self.composed else self.text
