"""The firm's policy as data."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from wainwright.core.asking import Asks
from wainwright.core.asking import Place as RoutePlace
from wainwright.core.coding import open_between
from wainwright.core.money import Money
from wainwright.core.questions import Question
from wainwright.core.rules import Level, Setting
from wainwright.core.rules.facts import FIELDS
from wainwright.core.said import say

WORDS = dict(FIELDS)


class Policy(models.Model):
    """The firm's own figures; one row a firm."""

    firm = models.OneToOneField("people.Firm", on_delete=models.CASCADE, related_name="policy")
    advance_percent = models.DecimalField(max_digits=5, decimal_places=2, default=Decimal(70))
    advance_unit = models.DecimalField(max_digits=8, decimal_places=2, default=Decimal(10))
    claim_days = models.PositiveSmallIntegerField(default=21)
    hold_hours = models.PositiveSmallIntegerField(default=48)
    ticket_hours = models.PositiveSmallIntegerField(default=16)
    km_share = models.DecimalField(
        max_digits=5,
        decimal_places=2,
        default=Decimal(20),
        help_text="Per cent over the road's length that need no reason.",
    )
    drive_km = models.PositiveSmallIntegerField(default=300)
    commute_off = models.BooleanField(
        default=False,
        help_text="The way from home to the usual place of work is taken off a ride that begins or ends at home.",
    )
    trip_signoff = models.BooleanField(default=True, help_text="Off: trips are bought at once.")
    certify_by = models.CharField(
        max_length=4, choices=[("name", say("name typed")), ("code", say("code"))], default="name"
    )
    advance_blocks = models.BooleanField(default=False)
    transfer_km = models.DecimalField(max_digits=6, decimal_places=2, default=Decimal("0.45"))
    transfer_least = models.DecimalField(max_digits=6, decimal_places=2, default=Decimal("3.00"))
    bag_needed = models.BooleanField(default=False)
    kin = models.JSONField(
        default=dict,
        blank=True,
        help_text="Share of the daily allowance of relatives who move house along, by kin.",
    )
    quarters = models.JSONField(default=list, blank=True, help_text="Where quarters are supplied.")
    second_payer_minor = models.BigIntegerField(
        null=True,
        blank=True,
        help_text="Above so much somebody else pays a claim than who cleared it; empty: never.",
    )
    release_above_minor = models.BigIntegerField(
        null=True, blank=True, help_text="A pay run above so much is released by a second person; empty: never."
    )
    pain = models.CharField(
        max_length=15, choices=[("pain.001.001.09", "pain.001.001.09"), ("pain.001.001.03", say("pain.001.001.03, for older banks"))], default="pain.001.001.09",
        help_text="The payment file that the firm's bank takes.",
    )  # fmt: skip
    pay_methods = models.JSONField(
        default=list, blank=True, help_text="How the firm pays by hand; empty: the usual ways."
    )
    mileage_month = models.PositiveSmallIntegerField(
        default=1,
        validators=[MinValueValidator(1), MaxValueValidator(12)],
        help_text="The month in which the mileage year begins.",
    )
    mileage_day = models.PositiveSmallIntegerField(
        default=1,
        validators=[MinValueValidator(1), MaxValueValidator(31)],
        help_text="The day on which it begins.",
    )
    bed_hour = models.PositiveSmallIntegerField(
        default=3, validators=[MaxValueValidator(23)],
        help_text="Who is under way at this hour of the morning needs no bed for that night.",
    )  # fmt: skip
    look_share = models.PositiveSmallIntegerField(
        default=100,
        validators=[MaxValueValidator(100)],
        help_text="Per cent of harmless claims that finance looks at.",
    )
    look_above_minor = models.BigIntegerField(
        null=True, blank=True, help_text="Above so much finance looks at a claim always; empty: no such amount."
    )
    harmless_to = models.PositiveSmallIntegerField(
        default=0, validators=[MaxValueValidator(100)], help_text="Up to this risk a claim is harmless."
    )
    look_seed = models.CharField(max_length=64, blank=True, help_text="By which is drawn what finance looks at.")
    decide_days = models.PositiveSmallIntegerField(
        default=5,
        validators=[MinValueValidator(1), MaxValueValidator(60)],
        help_text="Days to decide on a plan or claim.",
    )
    remind_days = models.PositiveSmallIntegerField(
        default=2,
        validators=[MaxValueValidator(30)],
        help_text="Who is late is reminded every so many days; 0: never.",
    )
    goes_on_days = models.PositiveSmallIntegerField(
        default=5, validators=[MaxValueValidator(60)],
        help_text="So many days late it goes on to the next above; 0: never.",
    )  # fmt: skip
    raise_asks = models.BooleanField(
        default=True, help_text="Whether a correction that raises a claim is signed again."
    )
    terms = models.TextField()

    def __str__(self):
        return say("Policy of {firm}", firm=self.firm)


class PolicyChange(models.Model):
    """Figures of the policy that hold from a later day; taken over on that day, and done then."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="policy_changes")
    since = models.DateField()
    subject = models.CharField(max_length=60, help_text="Under which name the trail has it.")
    values = models.JSONField(help_text="The new values by the fields of the policy.")
    said = models.JSONField(help_text="What changes in words: before and after, by name.")
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    done = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["since", "pk"]

    def __str__(self):
        return say("figures from {since}", since=self.since)


class PolicyText(models.Model):
    """The firm's policy as its people read it, from a day on."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="policy_texts")
    text = models.TextField()
    since = models.DateField()
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()

    class Meta:
        ordering = ["-since"]
        constraints = [models.UniqueConstraint(fields=["firm", "since"], name="one_policy_text_a_day")]

    def __str__(self):
        return say("Policy text from {since}", since=self.since)


class Category(models.Model):
    """What a cost is for and which account it means, for the days on which it may be chosen. A change is a further row of the same code."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="categories")
    code = models.CharField(max_length=20)
    name = models.CharField(max_length=60)
    account = models.CharField(max_length=20)
    tax_rate = models.DecimalField(max_digits=5, decimal_places=4, default=Decimal(0))
    tax_share = models.DecimalField(max_digits=5, decimal_places=4, default=Decimal(1))
    words = models.CharField(max_length=300, blank=True, help_text="Merchants' words that mean it, parted by commas.")
    merchant_codes = models.CharField(
        max_length=120, blank=True, help_text="Codes of ISO 18245 that mean it, as 5811-5814, 7011."
    )
    is_lodging = models.BooleanField(default=False)
    tips = models.BooleanField(
        default=False, help_text="Tips are usual: a card's charge may be somewhat more than the paper says."
    )
    accounts_if = models.JSONField(
        default=list,
        blank=True,
        help_text='Other accounts by where it was paid: {"where": "abroad" or a country, "account": …}.',
    )
    tax_codes = models.JSONField(default=dict, blank=True, help_text="The usual tax code by country.")
    groups = models.JSONField(default=list, blank=True, help_text="Who may use it, by ``groups_of``; empty: all.")
    asks = models.JSONField(default=list, blank=True, help_text="Fields that must be filled where it is chosen.")
    order = models.PositiveSmallIntegerField(default=0)
    since = models.DateField(null=True, blank=True)
    until = models.DateField(null=True, blank=True)
    draft = models.BooleanField(default=False)
    cut = models.CharField(
        max_length=10,
        blank=True,
        help_text="When the one before would have ended without this one: a day, or “open”.",
    )

    class Meta:
        ordering = ["order", "name", "since"]
        constraints = [
            models.UniqueConstraint(
                fields=["firm", "code", "since"], condition=models.Q(draft=False), name="one_category_begins_on_a_day"
            ),
            models.UniqueConstraint(
                fields=["firm", "code"], condition=models.Q(draft=False, since=None), name="one_category_from_the_first"
            ),
            models.UniqueConstraint(
                fields=["firm", "code"], condition=models.Q(draft=True), name="one_draft_of_a_category"
            ),
        ]

    def __str__(self):
        return self.name

    def in_force(self, day: date) -> bool:
        """Whether it may be chosen for a cost of a day."""
        return not self.draft and open_between(self.since, self.until, day)

    @property
    def asking(self) -> list[Setting]:
        """The rules that its required fields are, for the days on which it is in force."""
        return [
            Setting(
                f"asks-{self.code}-{field}", "required_field", Level.STOP, say("{name} asks for it: {words}.", name=self.name, words=WORDS[field]), {"field": field, "word": WORDS[field]},
                frozenset({self.code}), frozenset({"claim"}), frozenset(), self.since, self.until,
            )
            for field in self.asks if field in WORDS
        ]  # fmt: skip


class TaxCode(models.Model):
    """A tax code of the ledger: its rate in a country from a day, how much of it comes back, and on which evidence."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="tax_codes")
    code = models.CharField(max_length=20)
    name = models.CharField(max_length=80)
    country = models.CharField(max_length=2, blank=True)
    rate = models.DecimalField(max_digits=5, decimal_places=4)
    share = models.DecimalField(
        max_digits=5, decimal_places=4, default=1, help_text="How much of it comes back, as a fraction."
    )
    needs_receipt = models.BooleanField(default=True, help_text="Whether it comes back on a tax receipt alone.")
    open_from = models.DateField(null=True, blank=True)
    open_until = models.DateField(null=True, blank=True)

    class Meta:
        ordering = ["country", "-rate", "code"]
        constraints = [models.UniqueConstraint(fields=["firm", "code"], name="one_tax_code")]

    def __str__(self):
        return f"{self.code} {self.name}"

    @property
    def percent(self) -> str:
        """Its rate in per cent."""
        return f"{(self.rate * 100).normalize():f}"

    @property
    def back(self) -> str:
        """How much of it comes back, in per cent."""
        return f"{(self.share * 100).normalize():f}"

    def open_on(self, day: date) -> bool:
        """Whether it may be used on a day."""
        return open_between(self.open_from, self.open_until, day)


class RuleSetting(models.Model):
    """One rule as the firm has set it, for the days on which it is in force: a change is a further row of the same code."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="rules")
    code = models.CharField(max_length=30)
    kind = models.CharField(max_length=30)
    level = models.CharField(max_length=10, choices=[(level.value, level.value) for level in Level])
    text = models.CharField(max_length=300)
    params = models.JSONField(default=dict)
    categories = models.JSONField(default=list)
    subjects = models.JSONField(default=list)
    since = models.DateField(null=True, blank=True)
    until = models.DateField(null=True, blank=True)
    reasons = models.JSONField(default=list)
    groups = models.JSONField(default=list, blank=True, help_text="Whom it is meant for, by ``groups_of``; empty: all.")
    paragraph = models.CharField(
        max_length=80, blank=True, help_text="The heading of the policy under which it stands."
    )
    draft = models.BooleanField(default=False, help_text="Not in force on any day: to be rehearsed.")
    cut = models.CharField(
        max_length=10,
        blank=True,
        help_text="When the one before would have ended without this one: a day, or “open”.",
    )

    class Meta:
        ordering = ["code", "draft", "since"]
        constraints = [
            models.UniqueConstraint(
                fields=["firm", "code", "since"], condition=models.Q(draft=False), name="one_rule_begins_on_a_day"
            ),
            models.UniqueConstraint(
                fields=["firm", "code"], condition=models.Q(draft=False, since=None), name="one_rule_from_the_first"
            ),
            models.UniqueConstraint(
                fields=["firm", "code"], condition=models.Q(draft=True), name="one_draft_of_a_rule"
            ),
        ]

    def __str__(self):
        return self.code

    def as_core(self) -> Setting:
        """The setting as the core runs it."""
        return Setting(
            self.code, self.kind, Level(self.level), self.text, self.params, frozenset(self.categories),
            frozenset(self.subjects or ["plan", "claim"]), frozenset(self.groups), self.since, self.until, tuple(self.reasons), self.paragraph,
        )  # fmt: skip


class RouteSetting(models.Model):
    """A rule of the route: somebody who is asked as well, for the days on which it is in force. A change is a further row."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="route_rules")
    code = models.CharField(max_length=30)
    text = models.CharField(max_length=200, help_text="Why, as everybody on the route reads it.")
    signer = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    place = models.CharField(max_length=6, choices=[(place.value, place.value) for place in RoutePlace])
    over_minor = models.BigIntegerField(null=True, blank=True)
    kinds = models.JSONField(default=list, help_text="plan, claim")
    categories = models.JSONField(default=list, blank=True)
    codes = models.JSONField(default=list, blank=True, help_text="Pairs of dimension and code.")
    countries = models.JSONField(default=list, blank=True)
    groups = models.JSONField(default=list, blank=True)
    rules = models.JSONField(default=list, blank=True, help_text="Codes of rules one of which must speak.")
    since = models.DateField(null=True, blank=True)
    until = models.DateField(null=True, blank=True)
    draft = models.BooleanField(default=False)
    cut = models.CharField(
        max_length=10,
        blank=True,
        help_text="When the one before would have ended without this one: a day, or “open”.",
    )

    class Meta:
        ordering = ["code", "draft", "since"]
        constraints = [
            models.UniqueConstraint(
                fields=["firm", "code", "since"], condition=models.Q(draft=False), name="one_route_rule_begins_on_a_day"
            ),
            models.UniqueConstraint(
                fields=["firm", "code"], condition=models.Q(draft=True), name="one_draft_of_a_route_rule"
            ),
        ]

    def __str__(self):
        return self.text

    def as_core(self) -> Asks:
        """The rule as the core asks it."""
        return Asks(
            self.code, self.text, str(self.signer_id), RoutePlace(self.place),
            None if self.over_minor is None else Money.from_minor(self.over_minor, self.firm.currency), frozenset(self.kinds or ["plan", "claim"]),
            frozenset(self.categories), frozenset((dimension, code) for dimension, code in self.codes), frozenset(self.countries),
            frozenset(self.groups), frozenset(self.rules), self.since, self.until,
        )  # fmt: skip


class FirmQuestion(models.Model):
    """A question of the firm's own about a trip, for the days on which it is asked. A change is a further row of the same code."""

    KINDS = [
        ("yes_no", say("yes or no")),
        ("choice", say("one of some")),
        ("words", say("in words")),
        ("number", say("a number")),
        ("day", say("a day")),
    ]
    ABOUT = [("trip", say("trips")), ("move", say("moves of house"))]

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="questions")
    code = models.CharField(max_length=30)
    about = models.CharField(max_length=5, choices=ABOUT, default="trip")
    text = models.CharField(max_length=200)
    kind = models.CharField(max_length=6, choices=KINDS)
    choices = models.JSONField(default=list, blank=True)
    required = models.BooleanField(default=False)
    entitles = models.JSONField(default=list, blank=True, help_text="What an answer decides, by ``core.moving``.")
    groups = models.JSONField(default=list, blank=True)
    where = models.CharField(
        max_length=6, choices=[("", say("anywhere")), ("abroad", say("abroad")), ("home", say("at home"))], blank=True
    )
    after = models.CharField(max_length=30, blank=True, help_text="Only where that question is answered so.")
    answer = models.CharField(max_length=60, blank=True)
    order = models.PositiveSmallIntegerField(default=0)
    since = models.DateField(null=True, blank=True)
    until = models.DateField(null=True, blank=True)
    draft = models.BooleanField(default=False)
    cut = models.CharField(
        max_length=10,
        blank=True,
        help_text="When the one before would have ended without this one: a day, or “open”.",
    )

    class Meta:
        ordering = ["order", "code", "since"]
        constraints = [
            models.UniqueConstraint(
                fields=["firm", "code", "since"], condition=models.Q(draft=False), name="one_question_begins_on_a_day"
            ),
            models.UniqueConstraint(
                fields=["firm", "code"], condition=models.Q(draft=False, since=None), name="one_question_from_the_first"
            ),
            models.UniqueConstraint(
                fields=["firm", "code"], condition=models.Q(draft=True), name="one_draft_of_a_question"
            ),
        ]

    def __str__(self):
        return self.text

    def as_core(self) -> Question:
        """The question as the core asks it."""
        return Question(
            self.code, self.about, self.text, self.kind, tuple(self.choices), self.required, tuple(self.entitles), frozenset(self.groups),
            self.where, self.after, self.answer, self.since, self.until,
        )  # fmt: skip


class SchemeData(models.Model):
    """An allowance scheme, whole, as data (see docs/how-to/add-an-allowance-scheme.md)."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="schemes")
    code = models.CharField(max_length=20)
    data = models.JSONField()
    since = models.DateField(null=True, blank=True, help_text="From when it is in force; empty: a draft.")

    class Meta:
        ordering = ["since", "code"]
        constraints = [
            models.UniqueConstraint(fields=["firm", "code"], name="one_scheme_per_code"),
            models.UniqueConstraint(fields=["firm", "since"], name="one_scheme_begins_on_a_day"),
        ]

    def __str__(self):
        return self.code


class AllowanceRate(models.Model):
    """The rate of a place from a date on; amounts in minor units of its currency, the firm's where it names none."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="allowance_rates")
    town = models.CharField(max_length=80, blank=True)
    country = models.CharField(max_length=2, blank=True)
    since = models.DateField()
    until = models.DateField(null=True, blank=True)
    full_minor = models.BigIntegerField()
    breakfast_minor = models.BigIntegerField(default=0)
    lunch_minor = models.BigIntegerField(default=0)
    dinner_minor = models.BigIntegerField(default=0)
    incidentals_minor = models.BigIntegerField(default=0)
    ceiling_minor = models.BigIntegerField(null=True, blank=True)
    currency = models.CharField(max_length=3, blank=True)
    amounts = models.JSONField(
        default=dict, blank=True, help_text="Further amounts by the names that rows of a scheme use."
    )
    free = models.JSONField(default=dict, blank=True, help_text="What of an amount is free of tax, by its name.")
    sets = models.JSONField(default=dict, blank=True, help_text='Meals that are cut together, as {"lunch+dinner": …}.')
    flat_night_minor = models.BigIntegerField(null=True, blank=True, help_text="For a night without a bill.")
    ceilings = models.JSONField(default=dict, blank=True, help_text="Ceilings of kinds of lodging that have their own.")
    flats = models.JSONField(default=dict, blank=True, help_text="Flat sums of kinds of lodging that have their own.")

    class Meta:
        ordering = ["country", "town", "-since"]

    def __str__(self):
        return say("{town} from {since}", town=self.town or self.country or say("anywhere"), since=self.since)


class RateSheet(models.Model):
    """A table of allowance rates that was sent in: its rows as they were read; what each would do is worked out at each look."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="rate_sheets")
    name = models.CharField(max_length=120)
    rows = models.JSONField(help_text="[number, {column: text}] of each.")
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    taken = models.DateTimeField(null=True, blank=True)
    kept = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["-pk"]

    def __str__(self):
        return self.name


class MileageRateRow(models.Model):
    """Mileage rate of a kind of vehicle; ``bands`` are [up to so many or null, rate], in km or miles as ``unit`` says."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="mileage_rates")
    vehicle = models.CharField(max_length=20)
    unit = models.CharField(max_length=2, choices=[("km", "km"), ("mi", "miles")], default="km")
    since = models.DateField()
    bands = models.JSONField()
    passenger = models.DecimalField(max_digits=6, decimal_places=4, default=Decimal(0))

    def __str__(self):
        return say("{vehicle} from {since}", vehicle=self.vehicle, since=self.since)

    @property
    def passenger_words(self) -> str:
        """What each passenger adds, without idle noughts."""
        return f"{Decimal(self.passenger).normalize():f}"


class ExchangeRate(models.Model):
    """Units of a currency for one euro, as published on a day: for every firm, or taken in by one for itself."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, null=True, blank=True, related_name="rates")
    day = models.DateField()
    currency = models.CharField(max_length=3)
    per_euro = models.DecimalField(max_digits=14, decimal_places=6)
    source = models.CharField(max_length=80, blank=True, help_text="The table it comes from.")

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["day", "currency"], condition=models.Q(firm__isnull=True), name="one_rate_a_day"
            ),
            models.UniqueConstraint(
                fields=["firm", "day", "currency"], condition=models.Q(firm__isnull=False), name="one_own_rate_a_day"
            ),
        ]

    def __str__(self):
        return f"{self.currency} {self.day}"


class Explanation(models.Model):
    """A reason given to a finding; it stays with the finding's identity."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE)
    subject = models.CharField(max_length=60, db_index=True)
    identity = models.CharField(max_length=120)
    reason = models.CharField(max_length=80)
    words = models.CharField(max_length=500)
    by = models.ForeignKey("people.Membership", on_delete=models.PROTECT)
    time = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["subject", "identity"], name="one_reason_per_finding")]

    def __str__(self):
        return self.identity
