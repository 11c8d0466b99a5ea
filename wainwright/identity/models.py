"""What a firm's identity provider shows to be let in, and what it has brought: people by its own name for them, and groups."""

from __future__ import annotations

from django.db import models

from wainwright.core.roles import ROLES
from wainwright.people.models import Membership


class Door(models.Model):
    """The token by which a firm's identity provider brings people in and takes them out; one a firm."""

    firm = models.OneToOneField("people.Firm", on_delete=models.CASCADE, related_name="door")
    digest = models.CharField(max_length=64, unique=True)
    begins = models.CharField(max_length=8, help_text="Its first letters, by which it is known again.")
    made_by = models.ForeignKey(Membership, on_delete=models.PROTECT, related_name="+")
    time = models.DateTimeField()
    used = models.DateTimeField(null=True, blank=True)

    def __str__(self):
        return f"{self.firm} {self.begins}"


class Brought(models.Model):
    """Somebody as the identity provider has them; ``deleted`` is that it has them no more."""

    member = models.OneToOneField(Membership, on_delete=models.CASCADE, related_name="brought")
    external = models.CharField(max_length=200, blank=True, db_index=True)
    made = models.DateTimeField()
    changed = models.DateTimeField()
    deleted = models.BooleanField(default=False)

    def __str__(self):
        return f"{self.member} {self.external}"


class Group(models.Model):
    """A group of the identity provider's, and the role that being in it gives, where an administrator said one."""

    firm = models.ForeignKey("people.Firm", on_delete=models.CASCADE, related_name="groups")
    name = models.CharField(max_length=200)
    external = models.CharField(max_length=200, blank=True)
    role = models.CharField(max_length=20, blank=True, choices=[(role, role) for role in ROLES])
    members = models.ManyToManyField(Membership, blank=True, related_name="groups")
    made = models.DateTimeField()
    changed = models.DateTimeField()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["firm", "name"], name="one_group_of_a_name")]

    def __str__(self):
        return self.name
