"""Tables of people that were sent in, until they are taken; limits of authority that begin on a day."""

from __future__ import annotations

from django.db import models

from wainwright.core.money import Money
from wainwright.core.said import say
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


class LimitChange(models.Model):
    """Up to how much somebody signs from a day on; taken over on that day, and done then."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="limit_changes")
    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="limit_changes")
    since = models.DateField()
    limit_minor = models.BigIntegerField(null=True, blank=True, help_text="Empty: any sum.")
    by = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    done = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["since", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["member", "since"], condition=models.Q(done=None), name="one_limit_begins_on_a_day"
            )
        ]

    def __str__(self):
        return say("{member_id} from {since}", member_id=self.member_id, since=self.since)

    @property
    def limit(self) -> Money | None:
        """The amount; nothing for any sum."""
        return None if self.limit_minor is None else Money.from_minor(self.limit_minor, self.firm.currency)
