"""Firms, people, what each may do in which firm, and what belongs to them."""

from __future__ import annotations

import uuid
from datetime import date, datetime, timedelta

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser, BaseUserManager
from django.db import models
from django.db.models import Q
from django.db.models.functions import Lower

from wainwright import clock
from wainwright.core.budget import year_of
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.roles import ROLES, May
from wainwright.core.said import say
from wainwright.language import ENGLISH, LANGUAGES


def new_version() -> str:
    """A version that was never used before, so that what was kept under another is never taken for it."""
    return uuid.uuid4().hex


class Firm(models.Model):
    """A legal entity with its own currency, ledger and rules."""

    slug = models.SlugField(unique=True)
    name = models.CharField(max_length=120)
    country = models.CharField(max_length=2)
    currency = models.CharField(max_length=3)
    zone = models.CharField(max_length=40)
    iban = models.CharField(max_length=34)
    bic = models.CharField(max_length=11, blank=True)
    address = models.CharField(max_length=200, blank=True, help_text="As it stands on letters.")
    letter_foot = models.CharField(max_length=200, blank=True, help_text="What stands at the foot of letters.")
    language = models.CharField(max_length=5, choices=LANGUAGES, default=ENGLISH, help_text="Of letters.")
    year_begins = models.PositiveSmallIntegerField(default=1, help_text="The month in which the fiscal year begins.")
    rules_version = models.CharField(max_length=32, default=new_version)
    factor_roles = models.JSONField(default=list, blank=True, help_text="Roles that need a second factor to work here.")
    factor_from = models.DateField(null=True, blank=True, help_text="From which day; empty: at once.")
    factor_grace = models.PositiveSmallIntegerField(
        default=0, help_text="So many days each has from the day on which they first meet it."
    )

    def __str__(self):
        return self.name

    def year_of(self, day: date) -> int:
        """The fiscal year of a day, by the calendar year in which it begins."""
        return year_of(day, self.year_begins)


class PersonManager(BaseUserManager):
    """Makes people by e-mail."""

    def create_user(self, email, password=None, **fields):
        """Make a person who can sign in."""
        person = self.model(email=self.normalize_email(email).lower(), **fields)
        person.set_password(password)
        person.save()
        return person


class Person(AbstractBaseUser):
    """Somebody who signs in by e-mail."""

    email = models.EmailField(unique=True)
    name = models.CharField(max_length=120)
    is_active = models.BooleanField(default=True)
    # Empty: that of the firm.
    language = models.CharField(max_length=5, blank=True, choices=LANGUAGES)

    USERNAME_FIELD = EMAIL_FIELD = "email"
    REQUIRED_FIELDS = ["name"]
    objects = PersonManager()

    def __str__(self):
        return self.name

    @property
    def initials(self) -> str:
        """First letters of the first and the last name."""
        parts = self.name.split()
        return "".join(part[0] for part in (parts[:1] + parts[-1:] if len(parts) > 1 else parts)).upper()


# So long a changed bank account waits for its owner to say that it was not them.
ACCOUNT_WAITS = timedelta(days=1)


class Membership(models.Model):
    """A person in a firm: roles, manager, usual coding, bank account, home."""

    firm = models.ForeignKey(Firm, on_delete=models.PROTECT, related_name="members")
    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="memberships")
    job = models.CharField(max_length=80, blank=True)
    traveller = models.BooleanField(default=True)
    approver = models.BooleanField(default=False)
    finance = models.BooleanField(default=False)
    administrator = models.BooleanField(default=False)
    auditor = models.BooleanField(default=False)
    signs_own = models.BooleanField(default=False)
    own_limit_minor = models.BigIntegerField(
        null=True, blank=True, help_text="Up to which sum they sign what is their own; empty: as far as they sign."
    )
    manager = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="reports")
    limit_minor = models.BigIntegerField(null=True, blank=True)
    codes = models.JSONField(default=list, blank=True, help_text="The usual coding: pairs of dimension and code.")
    home_code = models.CharField(max_length=20, blank=True)
    work_code = models.CharField(max_length=20, blank=True)
    mail_daily = models.BooleanField(default=False, help_text="News by mail once a day, instead of each at once.")
    phone = models.CharField(max_length=30, blank=True)
    itinerary_email = models.EmailField(blank=True, help_text="Where itineraries go; empty: the sign-in address.")
    iban = models.CharField(max_length=34, blank=True)
    iban_before = models.CharField(max_length=34, blank=True, help_text="The account before the last change.")
    iban_changed = models.DateTimeField(null=True, blank=True, help_text="When the account was changed.")
    iban_confirmed = models.BooleanField(default=False, help_text="Whether finance confirmed the change.")
    mail_name = models.CharField(
        max_length=40, null=True, blank=True, unique=True, help_text="Where receipts are forwarded to."
    )
    active = models.BooleanField(default=True)
    factor_due = models.DateField(null=True, blank=True, help_text="Until when they may work without a second factor.")

    # Who really acts, where somebody prepares for this person (see ``acting``). Never kept.
    prepared_by: Membership | None = None
    # How much news is unread, where a page asks for it.
    unread: int | None = None

    class Meta:
        constraints = [models.UniqueConstraint(fields=["firm", "person"], name="one_membership_per_firm")]

    def __str__(self):
        return self.person.name

    def save(self, *args, **kwargs):
        """Keep it; one that somebody prepares for is a view of a person, not the person."""
        if self.prepared_by is not None:
            raise RuntimeError("a person whom somebody prepares for is not saved")
        super().save(*args, **kwargs)

    @property
    def name(self) -> str:
        """The person's name."""
        return self.person.name

    @property
    def doer(self) -> Membership:
        """Whose hand it is: whoever prepares for the person, else the person."""
        return self.prepared_by or self

    @property
    def tray_address(self) -> str:
        """Where receipts are forwarded to, or nothing where no name was chosen."""
        return f"{self.mail_name}@{settings.MAIL_DOMAIN}" if self.mail_name else ""

    @property
    def account_from(self) -> datetime | None:
        """From when money goes to a changed account by itself: a day after the change. Nothing where nothing waits any more."""
        if self.iban_changed is None or self.iban_confirmed:
            return None
        begins = self.iban_changed + ACCOUNT_WAITS
        return begins if begins > clock.now() else None

    @property
    def roles(self) -> list[str]:
        """The roles held, in the order of ``ROLES``."""
        return [role for role in ROLES if getattr(self, role)]

    @property
    def needs_factor(self) -> bool:
        """Whether the firm asks a second factor of one of their roles, now or from a day on."""
        return bool(self.firm.factor_roles) and not set(self.firm.factor_roles).isdisjoint(self.roles)

    @property
    def coding(self) -> Coding:
        """The usual coding, without an account."""
        return Coding.of(self.codes)

    @property
    def reads_only(self) -> bool:
        """Whether they audit and do nothing else: every act is refused to them, whatever it is."""
        return self.auditor and self.roles == ["auditor"]

    @property
    def may(self) -> May:
        """What the roles held open, act by act, as ``core.roles`` has it."""
        return May(tuple(self.roles))

    @property
    def limit(self) -> Money | None:
        """The limit of authority, or nothing where there is none."""
        return None if self.limit_minor is None else Money.from_minor(self.limit_minor, self.firm.currency)

    @property
    def own_limit(self) -> Money | None:
        """Up to which sum they sign what is their own, where they may; nothing: as far as they sign for others."""
        return None if self.own_limit_minor is None else Money.from_minor(self.own_limit_minor, self.firm.currency)


class Cover(models.Model):
    """While ``member`` is away, ``by`` decides."""

    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="covers")
    by = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="covering")
    since = models.DateField()
    until = models.DateField()
    below_minor = models.BigIntegerField(
        null=True,
        blank=True,
        help_text="Only what comes to less; empty: everything. The rest goes to the next above.",
    )

    class Meta:
        constraints = [models.CheckConstraint(condition=Q(until__gte=models.F("since")), name="cover_ends_after_start")]

    def __str__(self):
        return say("{by} for {member}", by=self.by, member=self.member)

    @property
    def below(self) -> Money | None:
        """Below which amount alone it decides, or nothing for everything."""
        return None if self.below_minor is None else Money.from_minor(self.below_minor, self.member.firm.currency)


class Delegate(models.Model):
    """``by`` may prepare for ``member`` between two days: trips, bookings, receipts, claims. They never certify."""

    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="delegates")
    by = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="prepares_for")
    since = models.DateField()
    until = models.DateField()

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(until__gte=models.F("since")), name="delegate_ends_after_start"),
            models.CheckConstraint(condition=~Q(member=models.F("by")), name="nobody_prepares_for_themselves"),
        ]

    def __str__(self):
        return say("{by} prepares for {member}", by=self.by, member=self.member)


class Card(models.Model):
    """A card: the firm's or a person's own, with the last four digits only."""

    owner = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="cards")
    last_four = models.CharField(max_length=4)
    issuer = models.CharField(max_length=60)
    firm_pays = models.BooleanField(default=True)
    since = models.DateField(null=True, blank=True)
    expires = models.DateField()
    closed = models.DateField(null=True, blank=True)
    account = models.CharField(
        max_length=20, blank=True, help_text="The clearing account behind it; empty: the firm's."
    )
    fed_until = models.DateField(null=True, blank=True, help_text="Until when its issuer was asked for charges.")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["owner", "last_four"], name="one_card_per_number")]

    def __str__(self):
        return f"{self.issuer} {self.last_four}"


class Issuer(models.Model):
    """An issuer of cards and the account on which it is paid, as finance knows it: part of a claim can go there."""

    firm = models.ForeignKey("Firm", on_delete=models.CASCADE, related_name="issuers")
    name = models.CharField(max_length=60)
    iban = models.CharField(max_length=34)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(Lower("name"), "firm", name="one_account_per_issuer")]

    def __str__(self):
        return self.name


class Once(models.Model):
    """A form that was sent, by its own key and what was typed into it: a second press does nothing a second time."""

    key = models.CharField(max_length=64, unique=True)
    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="+")
    led_to = models.CharField(max_length=300, blank=True, help_text="Where the first press led.")
    time = models.DateTimeField(db_index=True)

    def __str__(self):
        return self.key


class SignInBy(models.Model):
    """The identity provider by which a firm's people sign in (OpenID Connect)."""

    firm = models.OneToOneField("Firm", on_delete=models.CASCADE, related_name="sign_in_by")
    issuer = models.URLField(max_length=200, help_text="Under which it describes itself.")
    client_id = models.CharField(max_length=200)
    secret = models.TextField(help_text="Sealed.")
    domain = models.CharField(max_length=120, db_index=True, help_text="What stands behind the @ of the firm's people.")
    required = models.BooleanField(default=False, help_text="Whether people of the firm come in by it alone.")
    asks_factor = models.BooleanField(default=False, help_text="Whether it asks the second factor itself.")
    time = models.DateTimeField()

    def __str__(self):
        return say("{firm} by {issuer}", firm=self.firm, issuer=self.issuer)


class Guess(models.Model):
    """One wrong guess at something that only a person knows; too many in a while stop further ones."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="guesses")
    what = models.CharField(max_length=20)
    time = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["person", "what", "time"])]

    def __str__(self):
        return say("{what} of {person_id}", what=self.what, person_id=self.person_id)


class Attempt(models.Model):
    """One attempt to sign in that was not right (or is not known yet to be); the account by a hash of what was typed."""

    account = models.CharField(max_length=64)
    address = models.CharField(max_length=45)
    time = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["account", "time"]), models.Index(fields=["address", "time"])]

    def __str__(self):
        return say("{address} at {time}", address=self.address, time=self.time)


class Dropped(models.Model):
    """A file that no row names any more. It is deleted some days later, so that a backup of rows finds its files."""

    name = models.CharField(max_length=200)
    time = models.DateTimeField(db_index=True)

    def __str__(self):
        return self.name


class Vehicle(models.Model):
    """A person's vehicle, whose kind finds the mileage rate."""

    owner = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="vehicles")
    plate = models.CharField(max_length=15)
    kind = models.CharField(max_length=20, default="car")

    def __str__(self):
        return f"{self.plate}, {self.kind}"
