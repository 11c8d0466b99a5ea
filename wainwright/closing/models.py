"""Accruals as they were posted, and the shapes of tables that go out."""

from __future__ import annotations

from django.db import models

from wainwright.core.money import Money
from wainwright.core.said import as_figure, say


class Accrual(models.Model):
    """What was accrued at the end of a month: its journal, and the reversal on the first of the next."""

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="accruals")
    month = models.DateField(help_text="The first day of the month.")
    entry = models.PositiveSmallIntegerField(
        default=1, help_text="Counts the accruals of a month: one more after one was taken back."
    )
    currency = models.CharField(max_length=3)
    total_minor = models.BigIntegerField()
    posting = models.ForeignKey("accounts.Posting", on_delete=models.PROTECT, related_name="+")
    reversal = models.ForeignKey("accounts.Posting", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    reversed_on = models.DateField(help_text="The day of the reversal.")
    of = models.JSONField(
        default=list, help_text="What it is of: [what, label, coding with its account, minor units] of each."
    )
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()

    class Meta:
        ordering = ["-month", "-entry"]
        constraints = [models.UniqueConstraint(fields=["firm", "month", "entry"], name="one_accrual_entry")]

    def __str__(self):
        return say("Accrued for {month}", month=as_figure(self.month, "%B %Y"))

    @property
    def total(self) -> Money:
        """What is accrued in all."""
        return Money.from_minor(self.total_minor, self.currency)


class Shape(models.Model):
    """A table that goes out, kept under a name: its kind and its columns."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="shapes")
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=20)
    columns = models.JSONField()
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["firm", "name"], name="one_shape_of_a_name")]

    def __str__(self):
        return self.name
