"""Mails that were sent."""

from django.db import models


class Mail(models.Model):
    """One mail as sent, with its attachments in the raw message."""

    to = models.EmailField(db_index=True)
    subject = models.CharField(max_length=200)
    text = models.TextField()
    raw = models.BinaryField()
    attachments = models.JSONField(default=list)
    time = models.DateTimeField(db_index=True)

    class Meta:
        app_label = "mailbox"

    def __str__(self):
        return f"{self.to}: {self.subject}"
