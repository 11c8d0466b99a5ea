"""Papers: receipts, their pages, mails that wait to be let in."""

from __future__ import annotations

from django.db import models
from django.db.models.fields.files import FieldFile

from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.expenses.models.costs import Expense
from wainwright.expenses.models.owned import EvidenceQuerySet
from wainwright.people.models import Membership


class Receipt(models.Model):
    """A file that proves a cost; the original is kept unchanged."""

    class State(models.TextChoices):
        """Waiting to be read, being read, read, or not to be read."""

        WAITING = "Waiting"
        READING = "Reading"
        READ = "Read"
        UNREADABLE = "Unreadable"

    class Kind(models.TextChoices):
        """A paper that was photographed or sent, an invoice as data, a mail, a calendar file, the track of a ride."""

        RECEIPT = "receipt"
        INVOICE = "invoice"
        MAIL = "mail"
        CALENDAR = "calendar"
        TRACK = "track"

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
    tries = models.PositiveSmallIntegerField(default=0, help_text="How often it was tried to read it.")

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

    def total_in(self, home: str) -> Money | None:
        """What the paper comes to as it says itself, in ``home`` where it names no currency; nothing where it says no total.

        Raises ``ValueError`` or ``InvalidOperation`` for what is no amount.
        """
        total = self.value("total")
        return Money.of(total, self.value("currency") or home) if total else None

    @property
    def all_files(self) -> list[FieldFile]:
        """Its file, its small picture, and the pictures of its pages."""
        return [self.file, self.thumb, *(page.picture for page in self.pages.all())]

    @property
    def sure(self) -> int:
        """How sure the total is, in per cent."""
        return round(self.fields.get("total", {}).get("sure", 0) * 100)

    @property
    def proves_cost(self) -> bool:
        """Whether it is a paper with a price: a calendar file and a track have none."""
        return self.kind not in (self.Kind.CALENDAR, self.Kind.TRACK)

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
        return say("page {number}", number=self.number + 1)


class Sender(models.Model):
    """An address from which mails come into a person's tray without being asked about."""

    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="senders")
    address = models.EmailField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["member", "address"], name="one_sender_an_address")]

    def __str__(self):
        return self.address


class HeldMail(models.Model):
    """A mail on its way into a tray: being opened, held until its owner says what it is, or damaged."""

    class State(models.TextChoices):
        """Where it stands; one that was taken in is here no more."""

        OPENING = "opening"
        HELD = "held"
        UNREADABLE = "unreadable"

    member = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="held_mails")
    state = models.CharField(max_length=10, choices=State, default=State.HELD)
    trusted = models.BooleanField(default=False, help_text="Sent in by its owner, or let in: not asked about.")
    sender = models.CharField(max_length=254, blank=True)
    subject = models.CharField(max_length=200, blank=True)
    problem = models.CharField(max_length=300, blank=True)
    sha256 = models.CharField(max_length=64)
    file = models.FileField(upload_to="held/%Y/%m")
    time = models.DateTimeField()
    tries = models.PositiveSmallIntegerField(default=0, help_text="How often it was tried to read it.")

    class Meta:
        ordering = ["-time"]
        constraints = [models.UniqueConstraint(fields=["member", "sha256"], name="a_mail_held_once")]

    def __str__(self):
        return f"{self.sender}: {self.subject}"
