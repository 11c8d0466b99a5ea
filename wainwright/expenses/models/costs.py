"""A cost: its parts, and how it is split."""

from __future__ import annotations

from decimal import Decimal

from django.db import models
from django.db.models import Q

from wainwright.accounts.models import CodedModel
from wainwright.core.coding import Coding
from wainwright.core.mileage import from_km
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.splits import SplitPart
from wainwright.core.workings import plain
from wainwright.expenses.models.owned import OwnedQuerySet
from wainwright.formats.tax_numbers import country_of_tax_number
from wainwright.people.models import Membership

PAID_BY = [
    ("self", say("Paid by the traveller")),
    ("firm", say("The firm's card")),
    ("central", say("Billed to the firm")),
]


class Expense(CodedModel):
    """One cost with its evidence, or one ride. ``amount`` is in the firm's currency."""

    class Kind(models.TextChoices):
        """A cost with a merchant, or mileage."""

        COST = "cost"
        MILEAGE = "mileage"

    firm = models.ForeignKey("people.Firm", on_delete=models.PROTECT)
    owner = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="expenses")
    claim = models.ForeignKey("claims.Claim", on_delete=models.SET_NULL, null=True, blank=True, related_name="expenses")
    turned_down_in = models.ForeignKey(
        "claims.Claim", on_delete=models.SET_NULL, null=True, blank=True, related_name="gave_back",
        help_text="The claim with which it was turned down; it says so when it is claimed anew.",
    )  # fmt: skip
    turned_down_why = models.CharField(max_length=300, blank=True)
    booking = models.ForeignKey(
        "bookings.Booking", on_delete=models.SET_NULL, null=True, blank=True, related_name="expenses",
        help_text="What was booked for the trip, and proves it.",
    )  # fmt: skip
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
    abroad = models.BooleanField(default=False, help_text="Paid in another currency.")
    country = models.CharField(max_length=2, blank=True, help_text="Where it was paid, as its owner says.")
    paid_by = models.CharField(max_length=10, choices=PAID_BY, default="self")
    personal = models.BooleanField(default=False)
    guests = models.CharField(max_length=300, blank=True)
    heads = models.PositiveSmallIntegerField(default=1)
    nights = models.JSONField(default=list, help_text="Nights that it pays, as dates.")
    origin = models.JSONField(null=True, blank=True)
    target = models.JSONField(null=True, blank=True)
    km = models.DecimalField(max_digits=14, decimal_places=7, null=True, blank=True)
    unit = models.CharField(max_length=2, default="km", help_text="In what its distance is read: km, or mi.")
    commute_km = models.DecimalField(
        max_digits=9,
        decimal_places=4,
        default=0,
        help_text="The way to work that was taken off; the distance is without it.",
    )
    back_again = models.BooleanField(default=False, help_text="Whether the km are there and back.")
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
            models.Index(fields=["claim", "date"]), models.Index(fields=["firm", "amount_minor"]), models.Index(fields=["firm", "reference"]),
            models.Index(fields=["firm", "original_minor"]),
        ]  # fmt: skip

    def __str__(self):
        return self.label

    @property
    def label(self) -> str:
        """What it is called on lists."""
        if self.kind == self.Kind.MILEAGE and self.origin and self.target:
            return joined("", (self.origin["town"], " – ", self.target["town"], ", ", self.distance, " ", self.unit))
        return self.description or self.merchant or say("A cost")

    @property
    def distance(self) -> str:
        """How far a ride was, in its own unit, as people write it."""
        km = self.km or Decimal(0)
        return plain(round(from_km(km, self.unit), 2))

    @property
    def one_way_km(self) -> Decimal | None:
        """How far a ride was one way; nothing for a cost."""
        if self.km is None:
            return None
        whole = self.km + self.commute_km
        return whole / 2 if self.back_again else whole

    @property
    def papers_say(self) -> set[str]:
        """The countries that its papers name, by the tax number of whoever wrote them."""
        said = set()
        for receipt in self.receipts.all():
            invoiced = country_of_tax_number(receipt.invoice.get("tax_id", "")) if receipt.invoice else ""
            said.add(invoiced or receipt.value("country"))
        return said - {""}

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
    """One line of a split: a coding and its share in per cent, or what of the cost it bears."""

    expense = models.ForeignKey(Expense, on_delete=models.CASCADE, related_name="shares")
    order = models.PositiveSmallIntegerField()
    share = models.DecimalField(max_digits=7, decimal_places=4)
    amount_minor = models.BigIntegerField(null=True, blank=True, help_text="Where it is split by amount.")

    class Meta:
        ordering = ["order"]
        constraints = [
            models.UniqueConstraint(fields=["expense", "order"], name="one_share_per_place"),
            models.CheckConstraint(condition=Q(share__gt=0, share__lte=100), name="share_in_per_cent"),
        ]

    def __str__(self):
        return f"{plain(self.share)} %"

    def as_core(self, default: Coding) -> SplitPart:
        """The share as the core splits it."""
        amount = None if self.amount_minor is None else Money.from_minor(self.amount_minor, self.expense.currency)
        return SplitPart(self.coding.filled_from(default), self.share, amount)
