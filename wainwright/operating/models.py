"""When what runs by the clock last ran, and what failed."""

from django.db import models


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
