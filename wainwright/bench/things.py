"""What is decided on: a trip or a claim, found, locked, and whose it is."""

from __future__ import annotations

from wainwright.claims.models import Claim
from wainwright.people.models import Membership
from wainwright.trips.models import Trip


def subject_of(member: Membership, kind: str, object_id: int) -> Trip | Claim:
    """Lock and return what is decided on. Raises ``DoesNotExist`` for what the person may not see."""
    if kind == "trip":
        found = Trip.objects.select_for_update(of=("self",), no_key=True).visible_to(member)
        return found.select_related("firm", "traveller__person", "traveller__firm").get(pk=object_id)
    found = Claim.objects.select_for_update(of=("self",), no_key=True).visible_to(member)
    return found.select_related("firm", "claimant__person", "claimant__firm", "trip", "statement").get(pk=object_id)


def owner_of(thing: Trip | Claim) -> Membership:
    """Whose it is."""
    return thing.traveller if isinstance(thing, Trip) else thing.claimant


def kind_of(thing: Trip | Claim) -> str:
    """How it is called in addresses."""
    return "trip" if isinstance(thing, Trip) else "claim"
