"""What is decided on: a trip or a claim, found, locked, and whose it is."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet

from wainwright.claims.models import Claim
from wainwright.claims.services.road import locked_claim
from wainwright.people.models import Membership
from wainwright.trips.models import Trip
from wainwright.visible import visible_row


def subject_of(member: Membership, kind: str, object_id: int) -> Trip | Claim:
    """Lock and return what is decided on. Raises ``DoesNotExist`` for what the person may not see."""
    if kind == "trip":
        found = _trip(member, object_id)
        if found is None:
            raise Trip.DoesNotExist
        return found
    return locked_claim(member, object_id)


@visible_row
def _trip(who: Any) -> QuerySet[Trip]:
    rows = Trip.objects.select_for_update(of=("self",), no_key=True).visible_to(who)
    return rows.select_related("firm", "traveller__person", "traveller__firm")


def owner_of(thing: Trip | Claim) -> Membership:
    """Whose it is."""
    return thing.traveller if isinstance(thing, Trip) else thing.claimant


def kind_of(thing: Trip | Claim) -> str:
    """How it is called in addresses."""
    return "trip" if isinstance(thing, Trip) else "claim"
