"""Rehearsals: what a rule that is not in force would say of trips and claims that are there. Nobody but who asked sees one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import models

from wainwright.core.said import say
from wainwright.people.models import Membership
from wainwright.rulebook.models import RateSheet, RouteSetting, RuleSetting, SchemeData


@dataclass(frozen=True)
class Trial:
    """What was typed to be tried: its sort ("limit" or "mileage"), its words, and the figures as they are kept."""

    data: dict[str, Any]

    def __str__(self):
        return str(self.data["words"])


class Rehearsal(models.Model):
    """One draft run over the trips and claims of a span; worked on in the queue."""

    class State(models.TextChoices):
        """Where it stands."""

        WAITING = "Waiting"
        DONE = "Done"
        BROKEN = "Broken off"

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="+")
    rule = models.ForeignKey(RuleSetting, on_delete=models.CASCADE, null=True, blank=True, related_name="rehearsals")
    route = models.ForeignKey(RouteSetting, on_delete=models.CASCADE, null=True, blank=True, related_name="rehearsals")
    scheme = models.ForeignKey(SchemeData, on_delete=models.CASCADE, null=True, blank=True, related_name="rehearsals")
    sheet = models.ForeignKey(RateSheet, on_delete=models.CASCADE, null=True, blank=True, related_name="rehearsals")
    trial = models.JSONField(
        null=True,
        blank=True,
        help_text="What was typed and is not in force, where no draft is kept: limits, mileage rates.",
    )
    seen = models.CharField(max_length=16, help_text="The draft as it was rehearsed, by its digest.")
    by = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="+")
    since = models.DateField()
    until = models.DateField()
    groups = models.JSONField(
        default=list, help_text="Whose trips and claims, as rules name people; empty: everybody's."
    )
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    claims_at = models.PositiveBigIntegerField(default=0, help_text="The last claim that was looked at.")
    trips_at = models.PositiveBigIntegerField(default=0, help_text="The last trip that was looked at.")
    total = models.PositiveIntegerField(default=0)
    looked = models.PositiveIntegerField(default=0)
    left = models.PositiveIntegerField(default=0, help_text="So many could not be worked out.")
    time = models.DateTimeField()
    finished = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-pk"]

    def __str__(self):
        return say("{of} over {since} to {until}", of=self.of, since=self.since, until=self.until)

    @property
    def sort(self) -> str:
        """Of which sort what is rehearsed is."""
        if self.trial is not None:
            return str(self.trial["sort"])
        return next(name for name in ("rule", "route", "scheme", "sheet") if getattr(self, f"{name}_id") is not None)

    @property
    def of(self) -> RuleSetting | RouteSetting | SchemeData | RateSheet | Trial:
        """What is rehearsed."""
        found = self.rule or self.route or self.scheme or self.sheet
        if found is None and self.trial is not None:
            return Trial(self.trial)
        if found is None:
            raise ValueError("a rehearsal of nothing")
        return found

    @property
    def percent(self) -> int:
        """How much of it is looked at, in whole per cent."""
        return 100 if self.state == self.State.DONE else min(99, self.looked * 100 // max(1, self.total))


class Heard(models.Model):
    """Findings on one trip or claim, in one category, that would be new, or gone, or of another gravity or figure."""

    class Change(models.TextChoices):
        """What the rule that is rehearsed changes."""

        NEW = "new"
        GONE = "gone"
        OTHER = "other", "of another gravity or figure"

    rehearsal = models.ForeignKey(Rehearsal, on_delete=models.CASCADE, related_name="heard")
    change = models.CharField(max_length=5, choices=Change.choices)
    kind = models.CharField(max_length=5, help_text="trip or claim")
    thing = models.PositiveBigIntegerField()
    open = models.BooleanField(default=False, help_text="Not sent yet: it would be found there at once.")
    person = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="+")
    category = models.CharField(max_length=20, blank=True)
    day = models.DateField()
    level = models.CharField(max_length=10, blank=True)
    before = models.CharField(max_length=10, blank=True, help_text="The level that it had.")
    count = models.PositiveIntegerField(default=1)
    text = models.CharField(max_length=400, help_text="The sentence of the one that is over by most.")
    amount_minor = models.BigIntegerField(null=True, blank=True, help_text="By how much all of them are over.")

    class Meta:
        indexes = [models.Index(fields=["rehearsal", "change"])]

    def __str__(self):
        return f"{self.change}: {self.text}"
