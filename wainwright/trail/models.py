"""The trail's entries. They are only ever added."""

from django.db import models

from wainwright.core.trail import Entry as CoreEntry


class Entry(models.Model):
    """One act, with the hash of the entry before it."""

    number = models.PositiveBigIntegerField(primary_key=True)
    time = models.DateTimeField()
    firm_id = models.PositiveBigIntegerField(null=True, db_index=True)
    who = models.CharField(max_length=160)
    for_whom = models.CharField(max_length=160, blank=True)
    what = models.CharField(max_length=200)
    subject = models.CharField(max_length=60, db_index=True)
    before = models.TextField(blank=True)
    after = models.TextField(blank=True)
    with_firm = models.BooleanField(
        default=True, help_text="Whether the hash covers the firm; a later entry seals it else."
    )
    held = models.BooleanField(
        default=False,
        db_default=False,
        help_text="Of a firm that is not here: its hash alone, so that the chain holds.",
    )
    previous = models.CharField(max_length=64)
    digest = models.CharField(max_length=64)

    class Meta:
        indexes = [models.Index(fields=["subject", "number"])]

    def __str__(self):
        return f"{self.number} {self.what}"

    def as_core(self) -> CoreEntry:
        """The entry as the core checks it."""
        return CoreEntry(
            self.number, self.time, self.who, self.for_whom, self.what, self.subject, self.before, self.after,
            self.previous, self.firm_id, self.with_firm, self.held,
        )  # fmt: skip
