"""Views of the queue that a person keeps."""

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
