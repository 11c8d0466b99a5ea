"""Views of the queue that a person keeps, and what they have just decided."""

from __future__ import annotations

from django.db import models


class KeptView(models.Model):
    """A part of the queue that a person looks at often: its name, and the query of its address."""

    member = models.ForeignKey("people.Membership", on_delete=models.CASCADE, related_name="kept_views")
    name = models.CharField(max_length=40)
    query = models.CharField(max_length=200)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["member", "name"], name="one_kept_view_per_name")]

    def __str__(self):
        return self.name


class Undoable(models.Model):
    """The last decision of a person, for the seconds in which it can be undone: how the thing stood before it."""

    member = models.OneToOneField("people.Membership", on_delete=models.CASCADE, related_name="undoable")
    kind = models.CharField(max_length=10)
    object_id = models.PositiveBigIntegerField()
    act = models.CharField(max_length=80, help_text="What was decided, in words.")
    version = models.PositiveIntegerField(help_text="The thing's version after it: with another it is not undone.")
    time = models.DateTimeField()
    was = models.JSONField()

    def __str__(self):
        return f"{self.act}: {self.kind} {self.object_id}"
