"""Notices."""

from django.db import models


class Notice(models.Model):
    """Something that concerns a person, with a link to the thing."""

    member = models.ForeignKey("people.Membership", on_delete=models.CASCADE, related_name="notices")
    text = models.CharField(max_length=300)
    link = models.CharField(max_length=200)
    time = models.DateTimeField()
    read = models.BooleanField(default=False)
    mailed = models.BooleanField(default=True, help_text="Whether it went out by mail, at once or in the day's.")

    class Meta:
        indexes = [
            models.Index(fields=["member", "time"], condition=models.Q(mailed=False), name="not_mailed_yet"), models.Index(fields=["member", "read", "-time"]),
        ]  # fmt: skip

    def __str__(self):
        return self.text
