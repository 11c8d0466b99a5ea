"""The read model of spending, and what people keep of reports."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from wainwright.accounts.models import CodingKept
from wainwright.core.said import say
from wainwright.people.models import Membership
from wainwright.reports.kept_words import question_again


class Stage(models.IntegerChoices):
    """How far money is on its road. Whatever is spent stands at one of these, and counts once."""

    PLANNED = 0, "planned"
    COMMITTED = 1, "committed"
    RECORDED = 2, "recorded"
    CLAIMED = 3, "claimed"
    APPROVED = 4, "approved"
    POSTED = 5, "posted"
    PAID = 6, "paid"


class Head(models.Model):
    """A trip, a claim, a loose cost or a booking that no plan stands for, as the read model knows it; ``mark`` says which state of it was read."""

    class Kind(models.TextChoices):
        """What it is."""

        TRIP = "trip"
        CLAIM = "claim"
        EXPENSE = "expense"
        BOOKING = "booking"

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="+")
    kind = models.CharField(max_length=7, choices=Kind)
    thing = models.PositiveBigIntegerField()
    mark = models.CharField(max_length=200)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "thing"], name="one_head_of_a_thing")]
        indexes = [models.Index(fields=["firm", "kind", "thing", "mark"])]

    def __str__(self):
        return f"{self.kind}:{self.thing} {self.mark}"


class SpendLine(models.Model):
    """What one coding bears of one cost, at one stage, in the firm's currency. Personal cost, and what is not paid, is not here."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="+")
    head = models.ForeignKey(Head, on_delete=models.CASCADE, related_name="lines")
    stage = models.PositiveSmallIntegerField(choices=Stage)
    day = models.DateField()
    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="+")
    category = models.CharField(max_length=20)
    kept = models.ForeignKey(CodingKept, on_delete=models.PROTECT, null=True, related_name="+", db_index=False)
    account = models.CharField(max_length=20, blank=True)
    merchant = models.CharField(
        max_length=120, blank=True, help_text="Without card noise, so that one merchant is one."
    )
    country = models.CharField(max_length=2, blank=True)
    town = models.CharField(max_length=80, blank=True)
    currency = models.CharField(max_length=3, help_text="In what it was paid.")
    paid_by = models.CharField(max_length=10)
    trip = models.ForeignKey("trips.Trip", on_delete=models.CASCADE, null=True, related_name="+")
    claim = models.ForeignKey("claims.Claim", on_delete=models.CASCADE, null=True, related_name="+")
    key = models.CharField(max_length=60, blank=True, help_text="Its line on the claim, or the plan.")
    label = models.CharField(max_length=200)
    net_minor = models.BigIntegerField(help_text="Cost, without the tax that comes back.")
    tax_minor = models.BigIntegerField(default=0, help_text="The tax that comes back.")
    all_tax_minor = models.BigIntegerField(default=0, help_text="All the tax in it.")

    class Meta:
        # What is asked most is answered from one index: by day and stage, grouped by anything short.
        indexes = [
            models.Index(fields=["firm", "day", "stage", "category", "member", "kept", "net_minor", "tax_minor"], name="spend_by_day"),
            models.Index(fields=["firm", "member", "day"], name="spend_by_member"),
            models.Index(fields=["firm", "kept", "day"], name="spend_by_coding"),
        ]  # fmt: skip

    def __str__(self):
        return self.label


class Follow(models.Model):
    """How far the read model of a firm has followed what people do: until which entry of the trail, and when it looked last."""

    firm = models.OneToOneField("people.Firm", on_delete=models.CASCADE, related_name="+")
    entry = models.PositiveBigIntegerField(default=0)
    left = models.PositiveIntegerField(default=0, help_text="So many changed things are not read yet.")
    time = models.DateTimeField(null=True)

    def __str__(self):
        return say("{firm} to {entry}", firm=self.firm, entry=self.entry)


class Kept(models.Model):
    """A report as somebody asked it, kept under a name: one's own, or on the firm's shelf."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="+")
    owner = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="kept_reports")
    shared = models.BooleanField(default=False, help_text="Whether it stands on the firm's shelf.")
    name = models.CharField(max_length=80)
    report = models.CharField(max_length=40)
    asked = models.JSONField(help_text="How it was asked, as its address says it.")
    time = models.DateTimeField()

    class Meta:
        ordering = ["name", "pk"]
        constraints = [
            models.UniqueConstraint(fields=["owner", "name"], name="one_kept_report_of_a_name"),
            models.UniqueConstraint(fields=["firm", "name"], condition=Q(shared=True), name="one_name_on_the_shelf"),
        ]

    def __str__(self):
        return self.name


class Sending(models.Model):
    """When a kept report is worked out by itself, in which forms, and to whom it goes."""

    class Every(models.TextChoices):
        """How often."""

        ONCE = "once", "once, on a day"
        WEEK = "week", "every week"
        MONTH = "month", "at the end of every month"
        CLOSED = "closed", "after a month is closed"

    kept = models.ForeignKey(Kept, on_delete=models.CASCADE, related_name="sendings")
    by = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="+")
    every = models.CharField(max_length=6, choices=Every)
    weekday = models.PositiveSmallIntegerField(default=0, help_text="0 is Monday.")
    day = models.DateField(null=True, help_text="The day on which it is due next; nothing: it waits for a closing.")
    hour = models.PositiveSmallIntegerField(default=7)
    since_month = models.DateField(null=True, help_text="The last month whose closing it knows of.")
    forms = models.JSONField(default=list, help_text="pdf, xlsx, csv, json; empty: a link alone.")
    members = models.ManyToManyField(Membership, related_name="+", blank=True)
    addresses = models.JSONField(default=list, blank=True, help_text="Further addresses of the firm.")
    stopped = models.CharField(max_length=200, blank=True, help_text="Why it is not sent any more.")
    time = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
        indexes = [models.Index(fields=["day", "stopped"])]

    def __str__(self):
        return f"{self.kept}: {self.get_every_display()}"


class Run(models.Model):
    """An answer as it was: its figures stay, whatever happens afterwards."""

    class State(models.TextChoices):
        """Where it stands."""

        WAITING = "Waiting"
        DONE = "Done"
        EMPTY = "Empty"
        FAILED = "Failed"
        STOPPED = "Called off"

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="+")
    by = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="report_runs")
    report = models.CharField(max_length=40)
    kept = models.ForeignKey(Kept, on_delete=models.SET_NULL, null=True, related_name="runs")
    sending = models.ForeignKey(Sending, on_delete=models.SET_NULL, null=True, related_name="runs")
    title = models.CharField(max_length=160)
    sentence = models.CharField(max_length=400)
    asked = models.JSONField()
    result = models.JSONField(default=dict, help_text="Columns, rows and sums as they were.")
    count = models.PositiveIntegerField(default=0)
    sent = models.JSONField(default=list, help_text="[to whom, what became of it] of each.")
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    problem = models.CharField(max_length=300, blank=True)
    done = models.PositiveSmallIntegerField(default=0, help_text="How much of it is done, in per cent.")
    time = models.DateTimeField()
    beat = models.DateTimeField(null=True, help_text="When the worker was last at it.")

    class Meta:
        ordering = ["-pk"]
        indexes = [models.Index(fields=["by", "report", "-id"]), models.Index(fields=["firm", "state"])]

    def __str__(self):
        return self.title

    @property
    def question(self) -> str:
        """What was asked, in the language of who reads it."""
        return question_again(self.sentence)
