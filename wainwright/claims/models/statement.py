"""What a claim came to when it was sent, as rows: never written again, only followed by the next version."""

from __future__ import annotations

from django.db import models

from wainwright.accounts.models import CodedModel, CodingKept
from wainwright.claims.models.claim import Claim
from wainwright.core.said import say
from wainwright.people.models import Membership


class Statement(models.Model):
    """One version of what a claim comes to: the first at sending, the next by every later act that changes it."""

    claim = models.ForeignKey(Claim, on_delete=models.CASCADE, related_name="statements")
    number = models.PositiveSmallIntegerField()
    act = models.CharField(max_length=120, help_text="What made it, in words.")
    by = models.ForeignKey(Membership, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    time = models.DateTimeField()
    budget_day = models.DateField(help_text="The day whose year's budgets it spends.")
    planned_minor = models.BigIntegerField(null=True, blank=True, help_text="What was authorised, where it had to be.")
    total_minor = models.BigIntegerField()
    own_money_minor = models.BigIntegerField()
    allowance_minor = models.BigIntegerField()
    mileage_minor = models.BigIntegerField()
    flat_minor = models.BigIntegerField(default=0, help_text="Flat sums, paid without a cost.")
    firm_paid_minor = models.BigIntegerField()
    personal_minor = models.BigIntegerField(help_text="Personal cost that the firm paid.")
    advance_minor = models.BigIntegerField()
    also_minor = models.JSONField(
        default=dict, blank=True, help_text="Of the allowance, that of each further trip, by its number."
    )
    earlier_minor = models.BigIntegerField(default=0, help_text="Owed back on earlier claims, taken off here.")
    to_issuer_minor = models.BigIntegerField(default=0)
    due_minor = models.BigIntegerField(db_index=True)
    workings = models.JSONField(help_text="[what, how much] of each step to what is due.")
    coding = models.CharField(max_length=160, blank=True, help_text="The claim's own coding in words, for lists.")
    risk = models.PositiveSmallIntegerField(default=0, help_text="How much there is to think about, from 0 to 100.")
    risk_why = models.JSONField(default=list, blank=True, help_text="[points, words] of each reason.")
    marks = models.JSONField(default=list, help_text="How grave its findings are, for lists.")

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["claim", "number"], name="one_statement_number")]

    def __str__(self):
        return say("statement {number} of claim {claim_id}", number=self.number, claim_id=self.claim_id)


class StatementLine(models.Model):
    """One line: what it says, what its evidence shows, what is allowed, and where each comes from."""

    statement = models.ForeignKey(Statement, on_delete=models.CASCADE, related_name="lines")
    order = models.PositiveSmallIntegerField()
    key = models.CharField(max_length=60)
    kind = models.CharField(max_length=10)
    label = models.CharField(max_length=200)
    day = models.DateField()
    merchant = models.CharField(max_length=120, blank=True)
    guests = models.CharField(max_length=300, blank=True)
    category = models.CharField(max_length=20, blank=True)
    category_name = models.CharField(max_length=60)
    paid_by = models.CharField(max_length=10)
    card = models.CharField(max_length=80, blank=True)
    card_account = models.CharField(max_length=20, blank=True)
    says_minor = models.BigIntegerField()
    shows_minor = models.BigIntegerField(null=True)
    shows_by = models.CharField(max_length=20, blank=True)
    allows_minor = models.BigIntegerField()
    allows_by = models.CharField(max_length=120, blank=True)
    original_minor = models.BigIntegerField(null=True)
    original_currency = models.CharField(max_length=3, blank=True)
    rate = models.DecimalField(max_digits=18, decimal_places=8, null=True)
    rate_source = models.CharField(max_length=120, blank=True)
    evidence = models.JSONField(default=list, help_text="[kind, number, words] of each proof.")
    nights = models.JSONField(default=list, help_text="The nights that it pays, as dates.")
    workings = models.JSONField(default=list)
    taxed_minor = models.BigIntegerField(
        default=0, help_text="Of a daily allowance, what is above what is free of tax."
    )

    class Meta:
        ordering = ["order"]
        constraints = [models.UniqueConstraint(fields=["statement", "key"], name="one_line_per_key")]

    def __str__(self):
        return self.label


class StatementCoding(CodedModel):
    """What one coding bears of a line. Net and recoverable tax of a line's codings add up to what it says."""

    line = models.ForeignKey(StatementLine, on_delete=models.CASCADE, related_name="coded")
    order = models.PositiveSmallIntegerField()
    text = models.CharField(max_length=330)
    category = models.CharField(max_length=20, blank=True)
    account = models.CharField(max_length=20, blank=True)
    kept = models.ForeignKey(CodingKept, on_delete=models.PROTECT, null=True, related_name="+")
    net_minor = models.BigIntegerField(help_text="Cost, without the tax that comes back.")
    tax_minor = models.BigIntegerField(help_text="All the tax in it.")
    recoverable_minor = models.BigIntegerField(help_text="The tax that comes back.")
    personal = models.BooleanField(default=False)
    over = models.BooleanField(default=False, help_text="Not paid, because it is over a ceiling.")
    refused = models.BooleanField(default=False, help_text="Not paid, because it was not approved.")
    share = models.DecimalField(max_digits=7, decimal_places=4, null=True)

    class Meta:
        ordering = ["order"]
        constraints = [models.UniqueConstraint(fields=["line", "order"], name="one_coding_per_place")]

    def __str__(self):
        return self.text


class StatementFinding(models.Model):
    """A finding as it was certified, with the reason that was given."""

    statement = models.ForeignKey(Statement, on_delete=models.CASCADE, related_name="findings")
    order = models.PositiveSmallIntegerField()
    identity = models.CharField(max_length=200)
    rule = models.CharField(max_length=60)
    level = models.CharField(max_length=10)
    text = models.TextField()
    rule_text = models.TextField(blank=True)
    target = models.CharField(max_length=200)
    also = models.JSONField(default=list)
    cure = models.CharField(max_length=120, blank=True)
    reason = models.CharField(max_length=120, blank=True)
    words = models.CharField(max_length=1000, blank=True)

    class Meta:
        ordering = ["order"]

    def __str__(self):
        return self.text
