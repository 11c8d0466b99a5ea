"""Tables of people that were sent in, until they are taken."""

from __future__ import annotations

from django.db import models

from wainwright.people.models import Membership


class PeopleTable(models.Model):
    """A table of people to invite: its rows as they were read; what each would do is worked out anew at each look."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="people_tables")
    name = models.CharField(max_length=120)
    rows = models.JSONField(help_text="[number, {column: text}] of each.")
    by = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    taken = models.DateTimeField(null=True, blank=True)
    invited = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["-pk"]

    def __str__(self):
        return self.name
