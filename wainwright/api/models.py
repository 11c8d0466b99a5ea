"""Tokens of outside ledgers, what they did under which key, and webhooks with what was sent to them."""

from __future__ import annotations

import hashlib

from django.db import models

from wainwright.core.said import say

SCOPES = {"claims:read": say("fetch what is cleared"), "claims:report": say("report what was posted or refused")}
EVENTS = {
    "claim.cleared": say("a claim was cleared"),
    "claim.posted": say("a claim was posted"),
    "claim.refused": say("the ledger refused a claim"),
}


def digest_of(token: str) -> str:
    """How a token is kept: it has more chance in it than any list of guesses, so that a plain hash holds."""
    return hashlib.sha256(token.encode()).hexdigest()


class ApiToken(models.Model):
    """What an outside ledger shows to be let in. Its text is shown once and kept by its hash alone."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="api_tokens")
    name = models.CharField(max_length=60)
    digest = models.CharField(max_length=64, unique=True)
    begins = models.CharField(max_length=8, help_text="Its first letters, by which it is known again.")
    scopes = models.JSONField(default=list)
    made_by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    used = models.DateTimeField(null=True, blank=True)
    revoked = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-time"]

    def __str__(self):
        return self.name


class Answered(models.Model):
    """What was answered under an idempotency key: the same key gives the same answer."""

    token = models.ForeignKey(ApiToken, on_delete=models.CASCADE, related_name="+")
    key = models.CharField(max_length=80)
    asked = models.CharField(max_length=64, help_text="A digest of what was asked.")
    status = models.PositiveSmallIntegerField()
    body = models.JSONField()
    time = models.DateTimeField(db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["token", "key"], name="answered_once")]

    def __str__(self):
        return self.key


class Webhook(models.Model):
    """An address that is told of events, signed with a secret of its own."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="webhooks")
    address = models.URLField(max_length=300)
    secret = models.TextField(help_text="Sealed.")
    events = models.JSONField(default=list)
    made_by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    failing = models.DateTimeField(null=True, blank=True)
    seen = models.PositiveBigIntegerField(
        default=0, help_text="The number of the last entry of the trail that was looked at for it."
    )

    class Meta:
        ordering = ["-time"]

    def __str__(self):
        return self.address


class Delivery(models.Model):
    """One event on its way to one address; tried again, later and later."""

    class State(models.TextChoices):
        """Waiting for its next try, taken, or given up."""

        WAITING = "waiting"
        TAKEN = "taken"
        GIVEN_UP = "given up"

    webhook = models.ForeignKey(Webhook, on_delete=models.CASCADE, related_name="deliveries")
    event = models.CharField(max_length=30)
    entry = models.PositiveBigIntegerField(help_text="The entry of the trail that it tells of: told once.")
    body = models.JSONField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    tries = models.PositiveSmallIntegerField(default=0)
    next = models.DateTimeField()
    problem = models.CharField(max_length=200, blank=True)
    time = models.DateTimeField()

    class Meta:
        ordering = ["-time", "-pk"]
        indexes = [models.Index(fields=["state", "next"])]
        constraints = [models.UniqueConstraint(fields=["webhook", "entry"], name="told_once")]

    def __str__(self):
        return f"{self.event} to {self.webhook}"
