"""What is remembered of a person's choices: of merchants, and which paper is not of which charge."""

from __future__ import annotations

from decimal import Decimal

from django.db import models

from wainwright.core.said import say
from wainwright.expenses.models.papers import Receipt
from wainwright.people.models import Membership


class MerchantMemory(models.Model):
    """What a person made of a merchant: the name as corrected, the category, the tax rate, and how often."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE)
    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="merchants")
    key = models.CharField(max_length=120, help_text="The merchant's plain name, without card noise.")
    merchant = models.CharField(max_length=120)
    category = models.CharField(max_length=20)
    tax_rate = models.DecimalField(max_digits=5, decimal_places=4, default=Decimal(0))
    times = models.PositiveIntegerField(default=1)
    last = models.DateField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["member", "key", "category"], name="one_memory_a_choice")]
        indexes = [models.Index(fields=["firm", "key"])]

    def __str__(self):
        return f"{self.merchant}: {self.category}"


class RefusedPair(models.Model):
    """A receipt and a charge of which the person said that they are not one cost."""

    receipt = models.ForeignKey(Receipt, on_delete=models.CASCADE, related_name="refused")
    charge = models.ForeignKey("expenses.Charge", on_delete=models.CASCADE, related_name="refused")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["receipt", "charge"], name="a_pair_refused_once")]

    def __str__(self):
        return say("{receipt_id} and {charge_id}", receipt_id=self.receipt_id, charge_id=self.charge_id)
