"""What the simulated ledger keeps: its codes, its periods, its entries."""

from django.db import models


class LedgerCode(models.Model):
    """A code as the ledger has it; ``asks_for`` names dimensions that must stand with it."""

    firm = models.SlugField()
    dimension = models.CharField(max_length=20)
    code = models.CharField(max_length=20)
    name = models.CharField(max_length=80, blank=True)
    parent = models.CharField(max_length=20, blank=True)
    open_from = models.DateField(null=True)
    open_until = models.DateField(null=True)
    asks_for = models.JSONField(default=list)

    class Meta:
        app_label = "ledger"
        constraints = [models.UniqueConstraint(fields=["firm", "dimension", "code"], name="one_ledger_code")]

    def __str__(self):
        return f"{self.dimension} {self.code}"


class LedgerParty(models.Model):
    """What the ledger keeps besides codes: suppliers, customers, people, tax codes."""

    firm = models.SlugField()
    kind = models.CharField(max_length=20)
    code = models.CharField(max_length=20)
    name = models.CharField(max_length=120)
    country = models.CharField(max_length=2, blank=True)
    iban = models.CharField(max_length=34, blank=True)
    tax_number = models.CharField(max_length=20, blank=True)
    rate = models.DecimalField(max_digits=5, decimal_places=4, null=True)
    share = models.DecimalField(max_digits=5, decimal_places=4, null=True)
    open_until = models.DateField(null=True)
    parent = models.CharField(max_length=20, blank=True, help_text="The account that mirrors a bank account.")
    key = models.CharField(max_length=80, blank=True, help_text="Under which it was made, where somebody asked for it.")

    class Meta:
        app_label = "ledger"
        constraints = [models.UniqueConstraint(fields=["firm", "kind", "code"], name="one_ledger_party")]

    def __str__(self):
        return f"{self.kind} {self.code}"


class ClosedPeriod(models.Model):
    """A month that takes no more entries."""

    firm = models.SlugField()
    month = models.CharField(max_length=7)

    class Meta:
        app_label = "ledger"
        constraints = [models.UniqueConstraint(fields=["firm", "month"], name="one_closed_period")]

    def __str__(self):
        return f"{self.firm} {self.month}"


class LedgerEntry(models.Model):
    """A journal that was entered, once under its key."""

    firm = models.SlugField()
    key = models.CharField(max_length=80)
    number = models.CharField(max_length=20)
    date = models.DateField()
    lines = models.JSONField()

    class Meta:
        app_label = "ledger"
        constraints = [models.UniqueConstraint(fields=["firm", "key"], name="entered_once")]

    def __str__(self):
        return self.number
