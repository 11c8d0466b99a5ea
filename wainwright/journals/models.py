"""Posting runs: many claims posted in one act, each with its own outcome."""

from __future__ import annotations

from django.db import models
from django.db.models import Exists, OuterRef, Q

from wainwright.core.money import Money
from wainwright.core.said import say


class PostingRunQuerySet(models.QuerySet):
    """Runs, with whether something of them is still to be mended."""

    def with_open(self):
        """With ``to_mend``: whether the ledger refused something of it that still stands refused."""
        rows = PostingRunItem.objects.filter(
            Q(claim__state="Posting refused") | Q(posting__state="Refused"), run=OuterRef("pk"), state=PostingRunItem.State.REFUSED
        )  # fmt: skip
        return self.annotate(to_mend=Exists(rows))


class PostingRun(models.Model):
    """Claims that are posted together in the queue, or journals of what was billed to the firm before any claim."""

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="posting_runs")
    number = models.PositiveIntegerField()
    date = models.DateField(help_text="The day on which they are posted.")
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    finished = models.DateTimeField(null=True, blank=True)

    objects = PostingRunQuerySet.as_manager()

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["firm", "number"], name="one_posting_run_number")]

    def __str__(self):
        return say("Posting run {number}", number=self.number)


class PostingRunItem(models.Model):
    """One claim of a run, or one journal that is no claim's, and what became of it."""

    class State(models.TextChoices):
        """Not tried yet; in the ledger; refused by it; not sent at all, since it was changed meanwhile."""

        WAITING = "Waiting"
        ENTERED = "Entered"
        REFUSED = "Refused"
        LEFT_OUT = "Left out"

    run = models.ForeignKey(PostingRun, on_delete=models.CASCADE, related_name="items")
    claim = models.ForeignKey("claims.Claim", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    posting = models.ForeignKey(
        "accounts.Posting", on_delete=models.PROTECT, null=True, blank=True, related_name="+", help_text="The journal, where it is no claim's."
    )  # fmt: skip
    version = models.PositiveIntegerField(
        default=0, help_text="The claim's version as it was chosen: another is not posted."
    )
    amount_minor = models.BigIntegerField()
    currency = models.CharField(max_length=3)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    why = models.CharField(max_length=300, blank=True, help_text="Why it was left out or refused, in words.")

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["run", "claim"], name="a_claim_once_a_run"),
            models.CheckConstraint(
                condition=Q(claim__isnull=True) ^ Q(posting__isnull=True), name="a_claim_or_a_journal"
            ),
        ]
        indexes = [models.Index(fields=["claim", "state"])]

    def __str__(self):
        return say("{claim_id} in {run_id}", claim_id=self.claim_id or self.posting_id, run_id=self.run_id)

    @property
    def amount(self) -> Money:
        """What the claim comes to."""
        return Money.from_minor(self.amount_minor, self.currency)


class Billed(models.Model):
    """What a supplier billed the firm for a booking, as the ledger was told, entry by entry; below zero for what was given back."""

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="billed")
    booking = models.ForeignKey(
        "bookings.Booking", on_delete=models.SET_NULL, null=True, blank=True, related_name="billed", help_text="Empty: it was taken off since."
    )  # fmt: skip
    subject = models.CharField(max_length=60)
    entry = models.PositiveSmallIntegerField()
    amount_minor = models.BigIntegerField()
    supplier = models.CharField(max_length=160)
    posting = models.OneToOneField("accounts.Posting", on_delete=models.PROTECT, related_name="billed")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["firm", "subject", "entry"], name="billed_once")]

    def __str__(self):
        return f"{self.subject}, {self.entry}"


class Difference(models.Model):
    """What a card was charged more, or less, than was claimed of the charge, as the ledger was told, entry by entry."""

    charge = models.ForeignKey("expenses.Charge", on_delete=models.PROTECT, related_name="differences")
    entry = models.PositiveSmallIntegerField()
    amount_minor = models.BigIntegerField()
    posting = models.OneToOneField("accounts.Posting", on_delete=models.PROTECT, related_name="difference")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["charge", "entry"], name="a_difference_once")]

    def __str__(self):
        return f"{self.charge_id}, {self.entry}"
