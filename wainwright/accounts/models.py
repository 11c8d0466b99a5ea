"""Codes, budgets, journals and payments."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from wainwright.core.coding import Asked, Coding
from wainwright.core.coding import Dimension as CoreDimension
from wainwright.core.money import Money
from wainwright.core.said import say


class CodedModel(models.Model):
    """Something that carries a coding. The account comes from the category."""

    codes = models.JSONField(default=list, blank=True, help_text="Pairs of dimension and code, in the firm's order.")

    class Meta:
        abstract = True

    @property
    def coding(self) -> Coding:
        """The coding without an account."""
        return Coding.of(self.codes)

    def take_coding(self, coding: Coding) -> None:
        """Carry another coding."""
        self.codes = [list(pair) for pair in coding.codes]


class CodingKept(models.Model):
    """A distinct coding, kept once and never changed, so that lines are filtered, grouped and summed by any dimension in SQL.

    A row for each of its codes needs no index of its own for a new dimension; over a million lines it is as quick as
    JSON with an index on each dimension's expression, and ten times as quick as JSON without one.
    """

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="+")
    key = models.CharField(max_length=64, help_text="SHA-256 of its codes.")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["firm", "key"], name="one_kept_coding")]

    def __str__(self):
        return self.key


class CodingPart(models.Model):
    """One code of a kept coding."""

    coding = models.ForeignKey(CodingKept, on_delete=models.CASCADE, related_name="parts")
    dimension = models.CharField(max_length=20)
    code = models.CharField(max_length=20)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["coding", "dimension"], name="one_code_of_a_dimension")]
        indexes = [models.Index(fields=["dimension", "code", "coding"])]

    def __str__(self):
        return f"{self.dimension} {self.code}"


class KeptSplit(models.Model):
    """A split saved for use again: a person's own, or shared with the firm by finance."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="kept_splits")
    owner = models.ForeignKey(
        "people.Membership", on_delete=models.CASCADE, null=True, blank=True, related_name="kept_splits", help_text="Empty: the firm's."
    )  # fmt: skip
    name = models.CharField(max_length=60)
    parts = models.JSONField(help_text='For each: {"share": "60", "codes": [[dimension, code], …]}.')
    used = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["-used", "name"]
        constraints = [
            models.UniqueConstraint(fields=["owner", "name"], name="one_own_split_of_a_name"),
            models.UniqueConstraint(fields=["firm", "name"], condition=Q(owner__isnull=True), name="one_firm_split_of_a_name"),
        ]  # fmt: skip

    def __str__(self):
        return self.name


class Dimension(models.Model):
    """A dimension that the firm's ledger keeps."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="dimensions")
    code = models.SlugField(max_length=20)
    name = models.CharField(max_length=40)
    plural = models.CharField(max_length=40)
    order = models.PositiveSmallIntegerField(default=0)
    asked = models.CharField(max_length=10, choices=[(a.value, a.value) for a in Asked], default=Asked.BY_CODE.value)
    choosable = models.BooleanField(default=True, help_text="Whether travellers choose it themselves.")

    class Meta:
        ordering = ["order", "code"]
        constraints = [models.UniqueConstraint(fields=["firm", "code"], name="one_dimension")]

    def __str__(self):
        return self.name

    def as_core(self) -> CoreDimension:
        """The dimension as the core checks by it."""
        return CoreDimension(self.code, self.name, self.plural, self.order, Asked(self.asked), self.choosable)


class Code(models.Model):
    """One code of a dimension, as it came from the ledger."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="codes")
    dimension = models.CharField(max_length=20)
    code = models.CharField(max_length=20)
    name = models.CharField(max_length=80)
    open_from = models.DateField(null=True, blank=True)
    open_until = models.DateField(null=True, blank=True)
    asks_for = models.JSONField(default=list)
    parent = models.CharField(max_length=20, blank=True)
    owner = models.ForeignKey("people.Membership", on_delete=models.PROTECT, null=True, blank=True, related_name="owns")
    threshold_minor = models.BigIntegerField(default=0)

    class Meta:
        ordering = ["dimension", "code"]
        constraints = [models.UniqueConstraint(fields=["firm", "dimension", "code"], name="one_code")]

    def __str__(self):
        return f"{self.code} {self.name}"


class FirmAccounts(models.Model):
    """The firm's accounts that claims post to; one row a firm."""

    firm = models.OneToOneField("people.Firm", on_delete=models.CASCADE, related_name="accounts")
    owed_to_staff = models.CharField(max_length=20)
    owed_by_staff = models.CharField(max_length=20)
    card_clearing = models.CharField(max_length=20)
    prepaid_travel = models.CharField(max_length=20)
    advances = models.CharField(max_length=20)
    input_tax = models.CharField(max_length=20)
    bank = models.CharField(max_length=20)
    allowance = models.CharField(max_length=20)
    mileage = models.CharField(max_length=20)
    accrued = models.CharField(
        max_length=20, blank=True, help_text="What is owed for costs that are spent and not posted yet."
    )
    written_off = models.CharField(max_length=20, blank=True, help_text="What is given up of what staff owe back.")
    suppliers = models.CharField(max_length=20, blank=True, help_text="What is owed to whoever bills the firm itself.")
    card_issuers = models.CharField(max_length=20, blank=True, help_text="What is owed to the issuers of its cards.")
    known_as_of = models.DateTimeField(
        null=True, blank=True, help_text="When the ledger's masters were last as known here."
    )
    differences = models.CharField(
        max_length=20, blank=True, help_text="What cards charged more or less than was claimed."
    )

    def __str__(self):
        return say("Accounts of {firm}", firm=self.firm)

    @property
    def named(self) -> dict[str, str]:
        """The accounts that are named, by what stands on them."""
        fields = (each.name for each in self._meta.fields if isinstance(each, models.CharField))
        return {name: account for name in fields if (account := getattr(self, name))}


class Period(models.Model):
    """A month that finance has closed: nothing more is posted into it."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="periods")
    month = models.DateField(help_text="The first day of the month.")
    why = models.CharField(max_length=300, blank=True, help_text="Why it was closed though something was left.")
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()

    class Meta:
        ordering = ["-month"]
        constraints = [models.UniqueConstraint(fields=["firm", "month"], name="one_period_a_month")]

    def __str__(self):
        return f"{self.month:%B %Y}"


class Connection(models.Model):
    """How a firm reaches its ledger. It belongs to the firm: ``holder`` is only who is told of its troubles, and is changed in one act."""

    firm = models.OneToOneField("people.Firm", on_delete=models.CASCADE, related_name="ledger_connection")
    address = models.URLField(max_length=200, blank=True, help_text="Empty: the ledger of this installation.")
    known_as = models.CharField(max_length=40, blank=True, help_text="What the firm is called in the ledger.")
    token = models.TextField(blank=True, help_text="Sealed.")
    holder = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    every_hours = models.PositiveSmallIntegerField(
        default=0, help_text="How often masters are fetched by itself; 0: never."
    )
    fetched = models.DateTimeField(null=True, blank=True, help_text="When masters were fetched last.")
    answered = models.DateTimeField(null=True, blank=True, help_text="When it answered last.")
    failing = models.DateTimeField(null=True, blank=True, help_text="Since when it does not.")
    problem = models.CharField(max_length=200, blank=True)

    def __str__(self):
        return self.address or say("the ledger of this installation")


class Budget(models.Model):
    """A coding part's money for a year."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="budgets")
    dimension = models.CharField(max_length=20)
    code = models.CharField(max_length=20)
    year = models.PositiveSmallIntegerField()
    amount_minor = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["firm", "dimension", "code", "year"], name="one_budget")]

    def __str__(self):
        return f"{self.code} {self.year}"


class BudgetUse(models.Model):
    """What a trip has committed, or a claim has spent, of a budget. A trip's row goes as its claim posts."""

    budget = models.ForeignKey(Budget, on_delete=models.CASCADE, related_name="uses")
    subject = models.CharField(max_length=60, db_index=True)
    committed_minor = models.BigIntegerField(default=0)
    actual_minor = models.BigIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["budget", "subject"], name="one_use_per_subject")]

    def __str__(self):
        return self.subject


class Posting(models.Model):
    """A journal on its way to the ledger, entered once under its key."""

    class State(models.TextChoices):
        """Where it stands: on its way (it may have been entered: ask again), entered, or refused."""

        SENDING = "Sending"
        ENTERED = "Entered"
        REFUSED = "Refused"

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="postings")
    key = models.CharField(max_length=80)
    subject = models.CharField(max_length=60, db_index=True)
    title = models.CharField(max_length=160)
    date = models.DateField()
    currency = models.CharField(max_length=3)
    total_minor = models.BigIntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.SENDING)
    number = models.CharField(max_length=20, blank=True)
    refusal_code = models.CharField(max_length=20, blank=True)
    refusal_text = models.CharField(max_length=300, blank=True)
    refusal_about = models.CharField(max_length=60, blank=True)
    tries = models.PositiveSmallIntegerField(default=0)
    time = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["firm", "state", "-time"]), models.Index(fields=["firm", "-time"])]
        constraints = [models.UniqueConstraint(fields=["firm", "key"], name="posted_once")]

    def __str__(self):
        return self.title

    @property
    def total(self) -> Money:
        """The sum of the debits."""
        return Money.from_minor(self.total_minor, self.currency)


class PostingLine(CodedModel):
    """One entry of a journal."""

    posting = models.ForeignKey(Posting, on_delete=models.CASCADE, related_name="lines")
    order = models.PositiveSmallIntegerField()
    account = models.CharField(max_length=20)
    debit_minor = models.BigIntegerField(default=0)
    credit_minor = models.BigIntegerField(default=0)
    text = models.CharField(max_length=160)
    party = models.CharField(max_length=20, blank=True, help_text="The supplier's code in the ledger.")
    kept = models.ForeignKey(CodingKept, on_delete=models.PROTECT, null=True, related_name="lines")

    class Meta:
        ordering = ["order"]
        indexes = [models.Index(fields=["kept", "posting", "debit_minor", "credit_minor"], name="lines_by_coding")]
        constraints = [
            models.CheckConstraint(condition=Q(debit_minor__gte=0, credit_minor__gte=0), name="no_negative_entries")
        ]

    def __str__(self):
        return self.text


class PayRun(models.Model):
    """Payments sent to the bank together."""

    class State(models.TextChoices):
        """Prepared, on its way to the bank, answered in part (the bank has the file), answered for every payment."""

        PREPARED = "Prepared"
        SENT = "Sent"
        WAITING = "Waiting"
        ANSWERED = "Answered"

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT, related_name="pay_runs")
    number = models.PositiveIntegerField()
    date = models.DateField()
    currency = models.CharField(max_length=3)
    total_minor = models.BigIntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.PREPARED)
    message_id = models.CharField(max_length=35, unique=True)
    file = models.BinaryField()
    made_by = models.ForeignKey("people.Membership", on_delete=models.PROTECT)
    by_hand = models.CharField(max_length=40, blank=True, help_text="How it was paid, where no file went to the bank.")
    to_release = models.BooleanField(
        default=False, help_text="It waits for a second person before the file goes to the bank."
    )
    released_by = models.ForeignKey(
        "people.Membership", on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    time = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["firm", "number"], name="one_pay_run_number")]
        indexes = [models.Index(fields=["firm", "-time"])]

    def __str__(self):
        return say("Pay run {number}", number=self.number)

    @property
    def total(self) -> Money:
        """What it pays."""
        return Money.from_minor(self.total_minor, self.currency)


class BankAnswer(models.Model):
    """One answer of the bank to a pay run, as it came; there may be several, in any order."""

    run = models.ForeignKey(PayRun, on_delete=models.PROTECT, related_name="answers")
    content = models.BinaryField()
    sha256 = models.CharField(max_length=64)
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    time = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["run", "sha256"], name="an_answer_once")]

    def __str__(self):
        return say("answer to {run}", run=self.run)


class Payment(models.Model):
    """One payment of a run for one subject ("claim:4"). Only one payment of a subject may be under way or paid."""

    class State(models.TextChoices):
        """Under way, paid, failed (which opens the subject again), or unclear: the bank contradicts itself."""

        UNDER_WAY = "Under way"
        PAID = "Paid"
        FAILED = "Failed"
        UNCLEAR = "Unclear"

    # Nobody knows yet what became of these.
    OPEN = (State.UNDER_WAY, State.UNCLEAR)

    run = models.ForeignKey(PayRun, on_delete=models.PROTECT, related_name="payments")
    subject = models.CharField(max_length=60, db_index=True)
    member = models.ForeignKey("people.Membership", on_delete=models.PROTECT)
    text = models.CharField(max_length=140)
    iban = models.CharField(max_length=34)
    amount_minor = models.BigIntegerField()
    end_to_end = models.CharField(max_length=35, unique=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.UNDER_WAY)
    failure = models.CharField(max_length=120, blank=True)
    status = models.CharField(max_length=8, blank=True, help_text="The bank's last word on it, as its code.")
    said = models.CharField(max_length=120, blank=True, help_text="The same in plain words.")
    by_hand = models.CharField(max_length=200, blank=True, help_text="How finance knows what became of it.")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["subject"], condition=~Q(state="Failed"), name="nothing_paid_twice"),
            models.CheckConstraint(condition=Q(amount_minor__gt=0), name="payments_are_positive"),
        ]
        indexes = [
            models.Index(
                fields=["state", "run"], condition=Q(state__in=["Under way", "Unclear"]), name="open_payments"
            ),
        ]

    def __str__(self):
        return self.text

    @property
    def open(self) -> bool:
        """Whether nobody knows yet what became of it."""
        return self.state in self.OPEN

    @property
    def amount(self) -> Money:
        """What it pays."""
        return Money.from_minor(self.amount_minor, self.run.currency)
