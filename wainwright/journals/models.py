"""Posting runs: many claims posted in one act, each with its own outcome."""

from __future__ import annotations

from django.db import models
from django.db.models import Exists, OuterRef

from wainwright.core.money import Money


class PostingRunQuerySet(models.QuerySet):
    """Runs, with whether something of them is still to be mended."""

    def with_open(self):
        """With ``to_mend``: whether the ledger refused a claim of it that still stands refused."""
        rows = PostingRunItem.objects.filter(
            run=OuterRef("pk"), state=PostingRunItem.State.REFUSED, claim__state="Posting refused"
        )
        return self.annotate(to_mend=Exists(rows))


class PostingRun(models.Model):
    """Claims that are posted together, in the queue."""

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
        return f"Posting run {self.number}"


class PostingRunItem(models.Model):
    """One claim of a run and what became of it."""

    class State(models.TextChoices):
        """Not tried yet; in the ledger; refused by it; not sent at all, since it was changed meanwhile."""

        WAITING = "Waiting"
        ENTERED = "Entered"
        REFUSED = "Refused"
        LEFT_OUT = "Left out"

    run = models.ForeignKey(PostingRun, on_delete=models.CASCADE, related_name="items")
    claim = models.ForeignKey("claims.Claim", on_delete=models.PROTECT, related_name="+")
    version = models.PositiveIntegerField(help_text="Its version as it was chosen: another is not posted.")
    amount_minor = models.BigIntegerField()
    currency = models.CharField(max_length=3)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    why = models.CharField(max_length=300, blank=True, help_text="Why it was left out or refused, in words.")

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["run", "claim"], name="a_claim_once_a_run")]
        indexes = [models.Index(fields=["claim", "state"])]

    def __str__(self):
        return f"{self.claim_id} in {self.run_id}"

    @property
    def amount(self) -> Money:
        """What the claim comes to."""
        return Money.from_minor(self.amount_minor, self.currency)
