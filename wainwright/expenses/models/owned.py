"""Whose things of recording are, and who may see them."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from wainwright.people.models import Membership
from wainwright.signoff.selectors import asked_about


class OwnedQuerySet(models.QuerySet):
    """Things that belong to one person and may come to lie on a claim, by who may see them."""

    claim_path = "claim_id"

    def visible_to(self, member: Membership):
        """One's own, those on claims that one is asked to sign, and all of the firm for those who read all."""
        firm = self.filter(firm_id=member.firm_id)
        if member.may["read_all"]:
            return firm
        asked = asked_about(member, "claim")
        # What a turned-down claim gave back stays readable to whoever decided on it.
        back = self.claim_path.replace("claim_id", "turned_down_in_id")
        return firm.filter(Q(owner_id=member.pk) | Q(**{f"{self.claim_path}__in": asked}) | Q(**{f"{back}__in": asked}))


class EvidenceQuerySet(OwnedQuerySet):
    """Receipts and charges, which lie on a claim by their expense."""

    claim_path = "expense__claim_id"
