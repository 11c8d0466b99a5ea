"""All papers of a claim or a trip as one PDF, put together in the queue."""

from __future__ import annotations

from django.db import models

from wainwright.people.models import Firm


class Binder(models.Model):
    """One binder: what goes into it, how far it is, and the PDF. The same papers in the same order are bound once."""

    class State(models.TextChoices):
        """Where it stands."""

        WAITING = "waiting"
        READY = "ready"
        FAILED = "failed"

    firm = models.ForeignKey(Firm, on_delete=models.CASCADE, related_name="+")
    subject = models.CharField(max_length=40, help_text="The claim or the trip.")
    key = models.CharField(max_length=64, help_text="A digest of what goes into it.")
    title = models.CharField(max_length=300)
    front = models.TextField(blank=True, help_text="The pages before the papers, as HTML: what was certified.")
    plan = models.JSONField(help_text="For each paper: label, detail, and the files of its pages or its own.")
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    done = models.PositiveIntegerField(default=0, help_text="How many papers are bound.")
    started = models.DateTimeField(null=True, blank=True)
    time = models.DateTimeField()
    file = models.FileField(upload_to="binders/%Y/%m", blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["subject", "key"], name="bound_once")]

    def __str__(self):
        return self.title
