"""What was fetched and taken, suppliers, and which merchant is which supplier."""

from __future__ import annotations

from django.db import models


class Fetch(models.Model):
    """One look at the ledger's masters, or at a file of them: what taking it would change, and whether it was taken."""

    class State(models.TextChoices):
        """Being fetched; shown; taken; or nothing came of it, with why."""

        FETCHING = "fetching"
        SHOWN = "shown"
        TAKEN = "taken"
        AWAY = "away"

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="fetches")
    source = models.CharField(max_length=120, help_text="The ledger, or the name of a file.")
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    time = models.DateTimeField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.FETCHING)
    problem = models.CharField(max_length=300, blank=True)
    rows = models.JSONField(default=list, help_text="The masters as they came.")
    complete = models.JSONField(default=list, help_text="The kinds that came whole.")
    changes = models.JSONField(default=list, help_text="[what, kind, code, name, words, [in use], hurts] of each.")
    left = models.JSONField(default=list, help_text="Rows of a file that were left out: [where, why].")
    taken_by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    taken = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-time", "-pk"]
        indexes = [models.Index(fields=["firm", "-time"])]

    def __str__(self):
        return f"{self.source}, {self.time:%d %b}"


class Supplier(models.Model):
    """A supplier as the ledger keeps it; ``member`` is the person who is paid under it."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="suppliers")
    code = models.CharField(max_length=20)
    name = models.CharField(max_length=120)
    iban = models.CharField(max_length=34, blank=True)
    tax_number = models.CharField(max_length=20, blank=True)
    open_until = models.DateField(null=True, blank=True)
    member = models.OneToOneField(
        "people.Membership", on_delete=models.SET_NULL, null=True, blank=True, related_name="supplier"
    )

    class Meta:
        ordering = ["name", "code"]
        constraints = [models.UniqueConstraint(fields=["firm", "code"], name="one_supplier_code")]

    def __str__(self):
        return f"{self.code} {self.name}"


class LedgerBank(models.Model):
    """A bank account as the ledger keeps it, and the account that mirrors it: proposed where its statements are not taken here."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="+")
    code = models.CharField(max_length=20)
    name = models.CharField(max_length=120)
    iban = models.CharField(max_length=34)
    account = models.CharField(max_length=20)
    open_until = models.DateField(null=True, blank=True)

    class Meta:
        ordering = ["name", "code"]
        constraints = [models.UniqueConstraint(fields=["firm", "code"], name="one_ledger_bank_code")]

    def __str__(self):
        return f"{self.code} {self.name}"


class MerchantSupplier(models.Model):
    """Which supplier a merchant is, by its plain name."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="+")
    merchant = models.CharField(max_length=120)
    supplier = models.ForeignKey(Supplier, on_delete=models.CASCADE, related_name="merchants")

    class Meta:
        ordering = ["merchant"]
        constraints = [models.UniqueConstraint(fields=["firm", "merchant"], name="one_supplier_a_merchant")]

    def __str__(self):
        return f"{self.merchant}: {self.supplier}"
