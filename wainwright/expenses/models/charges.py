"""Charges of cards and the files they come in."""

from __future__ import annotations

from django.db import models

from wainwright.core.money import Money
from wainwright.core.states import CHARGE
from wainwright.expenses.models.costs import Expense
from wainwright.expenses.models.owned import EvidenceQuerySet
from wainwright.people.models import Membership


class CardFile(models.Model):
    """A card file: shown first (what is new, known, doubtful), then taken; what was left out and why."""

    class State(models.TextChoices):
        """Being read, waiting for its columns to be named, shown, taken, or put away."""

        READING = "Reading"
        COLUMNS = "Columns"
        SHOWN = "Shown"
        TAKEN = "Taken"
        AWAY = "Put away"

    member = models.ForeignKey(Membership, on_delete=models.CASCADE)
    name = models.CharField(max_length=120)
    sha256 = models.CharField(max_length=64)
    taken = models.PositiveIntegerField(default=0)
    known = models.PositiveIntegerField(default=0)
    left = models.JSONField(default=list)
    state = models.CharField(max_length=10, choices=State.choices, default=State.TAKEN)
    format = models.CharField(max_length=10, blank=True)
    file = models.FileField(upload_to="cards/%Y/%m", blank=True)
    card_four = models.CharField(max_length=4, blank=True, help_text="The card meant where the file names none.")
    header = models.JSONField(default=list, blank=True)
    sample = models.JSONField(default=list, blank=True, help_text="The first rows under the header.")
    mapping = models.JSONField(default=dict, blank=True)
    below_zero = models.BooleanField(
        null=True, help_text="Whether what was charged stands below zero in it; empty: as most lines do."
    )
    rows = models.JSONField(default=list, blank=True, help_text="What would be taken, line by line.")
    problem = models.CharField(max_length=300, blank=True)
    time = models.DateTimeField()
    tries = models.PositiveSmallIntegerField(default=0, help_text="How often it was tried to read it.")
    entries = models.PositiveIntegerField(default=0, help_text="About how many entries it has, while it is read.")
    entries_read = models.PositiveIntegerField(default=0, help_text="How many of them were read so far.")

    def __str__(self):
        return self.name


class ColumnMapping(models.Model):
    """Which column of a bank's table means what, as a person confirmed it; found again by the header."""

    member = models.ForeignKey(Membership, on_delete=models.CASCADE)
    header = models.CharField(max_length=64, help_text="A hash of the header's words.")
    columns = models.JSONField()
    below_zero = models.BooleanField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["member", "header"], name="one_mapping_a_header")]

    def __str__(self):
        return self.header[:12]


class Charge(models.Model):
    """One transaction of a card."""

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT)
    owner = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="charges")
    card = models.ForeignKey("people.Card", on_delete=models.PROTECT, related_name="charges")
    expense = models.OneToOneField(Expense, on_delete=models.SET_NULL, null=True, blank=True, related_name="charge")
    bank_id = models.CharField(max_length=255)
    date = models.DateField()
    merchant = models.CharField(max_length=120)
    memo = models.CharField(max_length=200, blank=True)
    currency = models.CharField(max_length=3)
    amount_minor = models.BigIntegerField()
    pending = models.BooleanField(default=False, help_text="Not booked by the bank yet; its amount may still change.")
    merchant_code = models.CharField(max_length=4, blank=True)
    original_minor = models.BigIntegerField(null=True, blank=True)
    original_currency = models.CharField(max_length=3, blank=True)
    aside = models.CharField(max_length=120, blank=True, help_text="Put aside, and why.")
    posting = models.ForeignKey(
        "accounts.Posting", on_delete=models.PROTECT, null=True, blank=True, related_name="charges", help_text="The journal that told the ledger of it."
    )  # fmt: skip
    reminded = models.DateField(null=True, blank=True, help_text="When its owner was last reminded of it.")
    state = models.CharField(max_length=14, choices=[(s, s) for s in CHARGE.states], default=CHARGE.first)

    objects = EvidenceQuerySet.as_manager()

    class Meta:
        ordering = ["-date", "-id"]
        constraints = [models.UniqueConstraint(fields=["card", "bank_id"], name="a_charge_once_per_card")]
        indexes = [models.Index(fields=["owner", "state", "-date"]), models.Index(fields=["firm", "amount_minor"])]

    def __str__(self):
        return self.merchant

    @property
    def amount(self) -> Money:
        """What was charged; a refund is below zero."""
        return Money.from_minor(self.amount_minor, self.currency)
