"""Receipts, charges, expenses."""

from __future__ import annotations

from decimal import Decimal

from django.db import models
from django.db.models import Q

from wainwright.accounts.models import CodedModel
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.splits import SplitPart
from wainwright.core.states import CHARGE
from wainwright.people.models import Membership
from wainwright.signoff.selectors import asked_about

PAID_BY = [("self", "You paid"), ("firm", "The firm's card"), ("central", "Billed to the firm")]


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
    mapping = models.JSONField(default=dict, blank=True)
    rows = models.JSONField(default=list, blank=True, help_text="What would be taken, line by line.")
    problem = models.CharField(max_length=300, blank=True)
    time = models.DateTimeField()

    def __str__(self):
        return self.name


class ColumnMapping(models.Model):
    """Which column of a bank's table means what, as a person confirmed it; found again by the header."""

    member = models.ForeignKey(Membership, on_delete=models.CASCADE)
    header = models.CharField(max_length=64, help_text="A hash of the header's words.")
    columns = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["member", "header"], name="one_mapping_a_header")]

    def __str__(self):
        return self.header[:12]


class OwnedQuerySet(models.QuerySet):
    """Things that belong to one person and may come to lie on a claim, by who may see them."""

    claim_path = "claim_id"

    def visible_to(self, member: Membership):
        """One's own, those on claims that one is asked to sign, and all of the firm for those who read all."""
        firm = self.filter(firm_id=member.firm_id)
        if member.reads_all:
            return firm
        return firm.filter(Q(owner=member) | Q(**{f"{self.claim_path}__in": asked_about(member, "claim")}))


class EvidenceQuerySet(OwnedQuerySet):
    """Receipts and charges, which lie on a claim by their expense."""

    claim_path = "expense__claim_id"


class Expense(CodedModel):
    """One cost with its evidence, or one ride. ``amount`` is in the firm's currency."""

    class Kind(models.TextChoices):
        """A cost with a merchant, or mileage."""

        COST = "cost"
        MILEAGE = "mileage"

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT)
    owner = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="expenses")
    claim = models.ForeignKey("claims.Claim", on_delete=models.SET_NULL, null=True, blank=True, related_name="expenses")
    kind = models.CharField(max_length=10, choices=Kind.choices, default=Kind.COST)
    date = models.DateField()
    merchant = models.CharField(max_length=120, blank=True)
    category = models.CharField(max_length=20)
    description = models.CharField(max_length=200, blank=True)
    reference = models.CharField(max_length=60, blank=True)
    customer = models.CharField(max_length=20, blank=True, help_text="The customer it is billed on to.")
    currency = models.CharField(max_length=3)
    amount_minor = models.BigIntegerField()
    original_minor = models.BigIntegerField(null=True, blank=True)
    original_currency = models.CharField(max_length=3, blank=True)
    rate = models.DecimalField(max_digits=18, decimal_places=8, null=True, blank=True)
    rate_source = models.CharField(max_length=120, blank=True)
    rate_stale = models.BooleanField(default=False)
    tax_rate = models.DecimalField(max_digits=5, decimal_places=4, default=Decimal(0))
    tax_minor = models.BigIntegerField(default=0)
    tax_odd = models.BooleanField(default=False)
    abroad = models.BooleanField(default=False)
    paid_by = models.CharField(max_length=10, choices=PAID_BY, default="self")
    personal = models.BooleanField(default=False)
    guests = models.CharField(max_length=300, blank=True)
    heads = models.PositiveSmallIntegerField(default=1)
    nights = models.JSONField(default=list, help_text="Nights that it pays, as dates.")
    origin = models.JSONField(null=True, blank=True)
    target = models.JSONField(null=True, blank=True)
    km = models.DecimalField(max_digits=8, decimal_places=1, null=True, blank=True)
    vehicle = models.CharField(max_length=20, blank=True)
    passengers = models.PositiveSmallIntegerField(default=0)
    via = models.JSONField(default=list, blank=True, help_text="Places on the way.")
    odometer_start = models.DecimalField(max_digits=9, decimal_places=1, null=True, blank=True)
    odometer_end = models.DecimalField(max_digits=9, decimal_places=1, null=True, blank=True)
    km_reason = models.CharField(max_length=200, blank=True, help_text="Why more was driven than the road is long.")
    km_looked_up = models.DecimalField(max_digits=8, decimal_places=1, null=True, blank=True)
    lost = models.JSONField(default=dict, blank=True, help_text="A declaration in place of a lost receipt.")
    workings = models.JSONField(default=list)
    version = models.PositiveIntegerField(default=1)
    created = models.DateTimeField()

    objects = OwnedQuerySet.as_manager()

    class Meta:
        ordering = ["date", "id"]
        indexes = [
            models.Index(fields=["owner", "claim", "-date"]), models.Index(fields=["firm", "date", "amount_minor"]),
            models.Index(fields=["claim", "date"]),
        ]  # fmt: skip

    def __str__(self):
        return self.label

    @property
    def label(self) -> str:
        """What it is called on lists."""
        if self.kind == self.Kind.MILEAGE and self.origin and self.target:
            return f"{self.origin['town']} – {self.target['town']}, {self.km.normalize():f} km"
        return self.description or self.merchant or "A cost"

    @property
    def key(self) -> str:
        """Its name in rules, findings and remarks."""
        return f"expense:{self.pk}"

    @property
    def amount(self) -> Money:
        """The cost in the firm's currency, tax included."""
        return Money.from_minor(self.amount_minor, self.currency)

    @property
    def tax(self) -> Money:
        """The tax inside it."""
        return Money.from_minor(self.tax_minor, self.currency)

    @property
    def original(self) -> Money | None:
        """The cost in the currency it was paid in, where that was another."""
        if self.original_minor is None:
            return None
        return Money.from_minor(self.original_minor, self.original_currency)


class Part(CodedModel):
    """A line into which a bill breaks down; the parts add up to the expense."""

    expense = models.ForeignKey(Expense, on_delete=models.CASCADE, related_name="parts")
    order = models.PositiveSmallIntegerField()
    category = models.CharField(max_length=20)
    label = models.CharField(max_length=80)
    amount_minor = models.BigIntegerField()
    tax_minor = models.BigIntegerField(default=0)
    personal = models.BooleanField(default=False)
    night = models.DateField(null=True, blank=True)
    meal = models.CharField(max_length=10, blank=True, help_text="The meal it is, which the allowance then leaves out.")
    day = models.DateField(null=True, blank=True, help_text="The day of the meal.")

    class Meta:
        ordering = ["order"]
        constraints = [models.UniqueConstraint(fields=["expense", "order"], name="one_part_per_place")]

    def __str__(self):
        return self.label


class SplitShare(CodedModel):
    """One line of a split: a coding and its share in per cent."""

    expense = models.ForeignKey(Expense, on_delete=models.CASCADE, related_name="shares")
    order = models.PositiveSmallIntegerField()
    share = models.DecimalField(max_digits=7, decimal_places=4)

    class Meta:
        ordering = ["order"]
        constraints = [
            models.UniqueConstraint(fields=["expense", "order"], name="one_share_per_place"),
            models.CheckConstraint(condition=Q(share__gt=0, share__lte=100), name="share_in_per_cent"),
        ]

    def __str__(self):
        return f"{self.share} %"

    def as_core(self, default: Coding) -> SplitPart:
        """The share as the core splits it."""
        return SplitPart(self.coding.filled_from(default), self.share)


class Receipt(models.Model):
    """A file that proves a cost; the original is kept unchanged."""

    class State(models.TextChoices):
        """Waiting to be read, being read, read, or not to be read."""

        WAITING = "Waiting"
        READING = "Reading"
        READ = "Read"
        UNREADABLE = "Unreadable"

    class Kind(models.TextChoices):
        """A paper that was photographed or sent, an invoice as data, a mail."""

        RECEIPT = "receipt"
        INVOICE = "invoice"
        MAIL = "mail"

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT)
    owner = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="receipts")
    kind = models.CharField(max_length=10, choices=Kind.choices, default=Kind.RECEIPT)
    day = models.DateField(null=True, blank=True, help_text="The day on it, as read.")
    number = models.CharField(max_length=60, blank=True, help_text="An invoice's own number.")
    invoice = models.JSONField(default=dict, blank=True, help_text="What an invoice says as data.")
    looks = models.CharField(max_length=16, blank=True, help_text="A perceptual hash of its first page.")
    like = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, blank=True, related_name="alike")
    thumb = models.FileField(upload_to="thumbs/%Y/%m", blank=True)
    place = models.PositiveSmallIntegerField(default=0, help_text="Its place among the papers of an expense.")
    expense = models.ForeignKey(Expense, on_delete=models.SET_NULL, null=True, blank=True, related_name="receipts")
    name = models.CharField(max_length=120)
    media_type = models.CharField(max_length=40)
    size = models.PositiveIntegerField()
    sha256 = models.CharField(max_length=64)
    file = models.FileField(upload_to="receipts/%Y/%m")
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    fields = models.JSONField(default=dict)
    lines = models.JSONField(default=list)
    problem = models.CharField(max_length=300, blank=True)
    aside = models.CharField(max_length=120, blank=True, help_text="Put aside, and why.")
    received = models.DateTimeField()
    started = models.DateTimeField(null=True)

    objects = EvidenceQuerySet.as_manager()

    class Meta:
        ordering = ["-received", "-id"]
        constraints = [models.UniqueConstraint(fields=["owner", "sha256"], name="a_receipt_once_per_person")]
        indexes = [models.Index(fields=["owner", "expense", "-received"]), models.Index(fields=["firm", "sha256"])]

    def __str__(self):
        return self.name

    def value(self, name: str) -> str:
        """A field as read, or nothing."""
        return self.fields.get(name, {}).get("value", "")

    @property
    def sure(self) -> int:
        """How sure the total is, in per cent."""
        return round(self.fields.get("total", {}).get("sure", 0) * 100)

    @property
    def done(self) -> bool:
        """Whether the reading is over."""
        return self.state in (self.State.READ, self.State.UNREADABLE)


class ReceiptPage(models.Model):
    """A page as a picture to be shown, without what a camera writes beside it."""

    receipt = models.ForeignKey(Receipt, on_delete=models.CASCADE, related_name="pages")
    number = models.PositiveSmallIntegerField()
    picture = models.FileField(upload_to="pages/%Y/%m")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    off = models.BooleanField(default=False, help_text="Taken off: kept, but not part of the proof.")

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["receipt", "number"], name="one_picture_per_page")]

    def __str__(self):
        return f"page {self.number + 1}"


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


class Sender(models.Model):
    """An address from which mails come into a person's tray without being asked about."""

    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="senders")
    address = models.EmailField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["member", "address"], name="one_sender_an_address")]

    def __str__(self):
        return self.address


class HeldMail(models.Model):
    """A mail from a sender that the person does not know: held until they say what it is."""

    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="held_mails")
    sender = models.CharField(max_length=254)
    subject = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    file = models.FileField(upload_to="held/%Y/%m")
    time = models.DateTimeField()

    class Meta:
        ordering = ["-time"]
        constraints = [models.UniqueConstraint(fields=["member", "sha256"], name="a_mail_held_once")]

    def __str__(self):
        return f"{self.sender}: {self.subject}"


class RefusedPair(models.Model):
    """A receipt and a charge of which the person said that they are not one cost."""

    receipt = models.ForeignKey(Receipt, on_delete=models.CASCADE, related_name="refused")
    charge = models.ForeignKey("expenses.Charge", on_delete=models.CASCADE, related_name="refused")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["receipt", "charge"], name="a_pair_refused_once")]

    def __str__(self):
        return f"{self.receipt_id} and {self.charge_id}"


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
    reminded = models.DateField(null=True, blank=True, help_text="When its owner was last reminded of it.")
    state = models.CharField(max_length=14, choices=[(s, s) for s in CHARGE.states], default=CHARGE.first)

    objects = EvidenceQuerySet.as_manager()

    class Meta:
        ordering = ["-date", "-id"]
        constraints = [models.UniqueConstraint(fields=["card", "bank_id"], name="a_charge_once_per_card")]
        indexes = [models.Index(fields=["owner", "state", "-date"])]

    def __str__(self):
        return self.merchant

    @property
    def amount(self) -> Money:
        """What was charged; a refund is below zero."""
        return Money.from_minor(self.amount_minor, self.currency)
