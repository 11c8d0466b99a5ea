"""Accounts at banks, their statements line by line, what each line is, and the periods that were closed."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from wainwright.core.money import Money
from wainwright.core.said import say


class BankAccount(models.Model):
    """An account of the firm at a bank or a card's issuer, and the account of the ledger that mirrors it."""

    class Kind(models.TextChoices):
        """Money of the firm's own, or what its cards were charged."""

        BANK = "bank", "Bank account"
        CARD = "card", "Card account"

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="bank_accounts")
    name = models.CharField(max_length=60)
    number = models.CharField(max_length=34, help_text="The IBAN, or the last four digits of a card account.")
    kind = models.CharField(max_length=5, choices=Kind.choices, default=Kind.BANK)
    ledger_account = models.CharField(max_length=20)
    currency = models.CharField(max_length=3)
    columns = models.JSONField(
        default=dict, blank=True, help_text="Which column means what, by the key of a table's header."
    )

    class Meta:
        ordering = ["kind", "name"]
        constraints = [models.UniqueConstraint(fields=["firm", "number"], name="one_bank_account_per_number")]

    def __str__(self):
        return self.name

    @property
    def last_four(self) -> str:
        """The last four digits of its number."""
        return "".join(filter(str.isdigit, self.number))[-4:]


class StatementFile(models.Model):
    """A statement as it came; the same file is taken once."""

    class State(models.TextChoices):
        """Being read; a table whose columns have to be named; taken; or not readable, with why."""

        READING = "reading"
        COLUMNS = "columns"
        TAKEN = "taken"
        AWAY = "away"

    account = models.ForeignKey(BankAccount, on_delete=models.PROTECT, related_name="files")
    name = models.CharField(max_length=120)
    sha256 = models.CharField(max_length=64)
    file = models.FileField(upload_to="statements/%Y/%m")
    state = models.CharField(max_length=8, choices=State.choices, default=State.READING)
    problem = models.CharField(max_length=300, blank=True)
    opening_minor = models.BigIntegerField(null=True, blank=True)
    closing_minor = models.BigIntegerField(null=True, blank=True)
    new = models.PositiveIntegerField(default=0)
    known = models.PositiveIntegerField(default=0)
    left = models.JSONField(default=list, help_text="What was left out: [where, why] of each.")
    header = models.JSONField(default=list, blank=True)
    sample = models.JSONField(default=list, blank=True, help_text="The first rows under the header.")
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    tries = models.PositiveSmallIntegerField(default=0, help_text="How often it was tried to read it.")
    entries = models.PositiveIntegerField(default=0, help_text="About how many entries it has, while it is read.")
    entries_read = models.PositiveIntegerField(default=0, help_text="How many of them were read so far.")

    class Meta:
        ordering = ["-time", "-pk"]
        constraints = [
            models.UniqueConstraint(fields=["account", "sha256"], condition=~Q(state="away"), name="a_statement_once")
        ]

    def __str__(self):
        return self.name

    @property
    def opening(self) -> Money | None:
        """The balance before its first line, where it says so."""
        return None if self.opening_minor is None else Money.from_minor(self.opening_minor, self.account.currency)

    @property
    def closing(self) -> Money | None:
        """The balance after its last line, where it says so."""
        return None if self.closing_minor is None else Money.from_minor(self.closing_minor, self.account.currency)


class Match(models.Model):
    """Lines and things that were confirmed to belong together."""

    account = models.ForeignKey(BankAccount, on_delete=models.PROTECT, related_name="matches")
    why = models.CharField(max_length=300)
    score = models.PositiveSmallIntegerField(default=0, help_text="How sure it was when it was proposed.")
    posting = models.ForeignKey(
        "accounts.Posting", on_delete=models.PROTECT, null=True, blank=True, related_name="+", help_text="What was posted for it."
    )  # fmt: skip
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()

    class Meta:
        ordering = ["-time", "-pk"]

    def __str__(self):
        return self.why


class MatchedThing(models.Model):
    """Something that a match says a statement shows: "payment:7", "charge:12", "posting:40"; it is matched once."""

    match = models.ForeignKey(Match, on_delete=models.CASCADE, related_name="things")
    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="+")
    key = models.CharField(max_length=40)
    label = models.CharField(max_length=200)
    amount_minor = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["firm", "key"], name="a_thing_is_matched_once")]

    def __str__(self):
        return self.label


class Reconciliation(models.Model):
    """A period of an account that was closed: what it opened and closed with, and what was left, with why."""

    account = models.ForeignKey(BankAccount, on_delete=models.PROTECT, related_name="reconciliations")
    number = models.PositiveIntegerField()
    since = models.DateField()
    until = models.DateField()
    opening_minor = models.BigIntegerField()
    in_minor = models.BigIntegerField()
    out_minor = models.BigIntegerField()
    closing_minor = models.BigIntegerField()
    left_minor = models.BigIntegerField(default=0)
    left = models.JSONField(default=list, help_text="[day, name, amount in minor units] of each line that was left.")
    why_left = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()

    class Meta:
        ordering = ["-until", "-pk"]
        constraints = [models.UniqueConstraint(fields=["account", "number"], name="one_reconciliation_number")]

    def __str__(self):
        return say("{account} to {until}", account=self.account, until=self.until)


class Line(models.Model):
    """One line of a statement: above zero for money that came in, below for money that went out."""

    account = models.ForeignKey(BankAccount, on_delete=models.PROTECT, related_name="lines")
    file = models.ForeignKey(StatementFile, on_delete=models.PROTECT, related_name="lines")
    key = models.CharField(max_length=255)
    day = models.DateField()
    amount_minor = models.BigIntegerField()
    name = models.CharField(max_length=120, blank=True)
    text = models.CharField(max_length=420, blank=True)
    match = models.ForeignKey(Match, on_delete=models.SET_NULL, null=True, blank=True, related_name="lines")
    reconciliation = models.ForeignKey(
        Reconciliation, on_delete=models.PROTECT, null=True, blank=True, related_name="lines"
    )

    class Meta:
        ordering = ["day", "pk"]
        constraints = [models.UniqueConstraint(fields=["account", "key"], name="a_line_once")]
        indexes = [models.Index(fields=["account", "match", "day"]), models.Index(fields=["account", "day"])]

    def __str__(self):
        return f"{self.day} {self.name}"

    @property
    def amount(self) -> Money:
        """Its amount, signed as the bank books it."""
        return Money.from_minor(self.amount_minor, self.account.currency)


class LineRule(models.Model):
    """What comes again: lines whose words are these are posted to an account (bank fees)."""

    account = models.ForeignKey(BankAccount, on_delete=models.CASCADE, related_name="rules")
    words = models.CharField(max_length=80, help_text="Words that stand in the line.")
    ledger_account = models.CharField(max_length=20)
    codes = models.JSONField(default=list, blank=True, help_text="Its coding: pairs of dimension and code.")
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["words"]
        constraints = [models.UniqueConstraint(fields=["account", "words"], name="one_rule_per_words")]

    def __str__(self):
        return self.words
