"""When what runs by the clock last ran, and what failed."""

from django.db import models

from wainwright.core.said import say
from wainwright.people.models import Firm, Membership


class Beat(models.Model):
    """A thing that runs by the clock, in the whole installation once for each of its times."""

    name = models.CharField(max_length=60, unique=True)
    time = models.DateTimeField(help_text="The minute for which it last began.")
    done = models.DateTimeField(null=True, help_text="When it last came to its end.")
    on = models.CharField(max_length=100, blank=True, help_text="The machine on which it last began.")

    def __str__(self):
        return f"{self.name} {self.time}"


class Failure(models.Model):
    """An error that nobody foresaw, by the place where it arose: how often, first and last, told to whom runs the installation."""

    place = models.CharField(max_length=64, unique=True, help_text="A digest of where it arose.")
    says = models.CharField(max_length=300)
    text = models.TextField(help_text="The traceback of the last time; it holds places in code, no values.")
    request = models.CharField(max_length=40, blank=True, help_text="The number of the request of the last time.")
    first = models.DateTimeField()
    last = models.DateTimeField(db_index=True)
    times = models.PositiveIntegerField(default=1)
    told = models.DateTimeField(null=True)

    def __str__(self):
        return self.says


class FirmArchive(models.Model):
    """Everything of a firm as a file, made in the queue, kept for some days."""

    class State(models.TextChoices):
        MAKING = "making", "being made"
        MADE = "made", "made"
        FAILED = "failed", "failed"

    firm = models.ForeignKey(Firm, on_delete=models.CASCADE, related_name="archives")
    by = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField(db_index=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.MAKING)
    file = models.FileField(upload_to="archives/", blank=True)
    size = models.PositiveBigIntegerField(default=0)
    rows = models.PositiveBigIntegerField(default=0)
    papers = models.PositiveIntegerField(default=0)
    problem = models.CharField(max_length=300, blank=True)
    tries = models.PositiveSmallIntegerField(default=0)

    class Meta:
        indexes = [models.Index(fields=["firm", "-time"])]

    def __str__(self):
        return f"{self.firm} {self.time:%Y-%m-%d %H:%M}"


class Keeping(models.Model):
    """For how many years a firm keeps papers and names; without a row as long as is usual."""

    firm = models.OneToOneField(Firm, on_delete=models.CASCADE, related_name="keeping")
    years = models.PositiveSmallIntegerField()

    def __str__(self):
        return say("{firm}: {years} years", firm=self.firm, years=self.years)


class TakenAway(models.Model):
    """An act of taking away what need not be kept any more: up to which day, and how much it was."""

    firm = models.ForeignKey(Firm, on_delete=models.CASCADE, related_name="taken_away")
    by = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    until = models.DateField(help_text="What was last touched on this day or before.")
    papers = models.PositiveIntegerField(default=0)
    people = models.PositiveIntegerField(default=0)
    entries = models.PositiveIntegerField(default=0, help_text="Entries of the trail of which the hash alone is left.")
    done = models.DateTimeField(null=True, help_text="When it came to its end; empty while it goes on.")

    class Meta:
        indexes = [models.Index(fields=["firm", "-time"])]

    def __str__(self):
        return say("{firm} up to {until}", firm=self.firm, until=self.until)
