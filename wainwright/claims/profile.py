"""The copy of the profile that a claim uses, beside the profile as it is."""

from __future__ import annotations

from wainwright.claims.models import Claim
from wainwright.people.models import Membership
from wainwright.trips.profile import FOR_ONE_TRIP, Difference, beside, copy_of


def copy_for(claim: Claim) -> dict[str, str]:
    """Return what a claim keeps of its claimant's profile; what was changed for its trip alone is as on the trip."""
    member = Membership.objects.select_related("person").get(pk=claim.claimant_id)
    own = claim.trip.profile if claim.trip is not None else {}
    return copy_of(member) | {name: own[name] for name in FOR_ONE_TRIP if name in own}


def side_by_side(claim: Claim) -> list[Difference]:
    """Return every field of a claim's copy beside the profile as it is now. Three queries."""
    return beside(claim.profile, Membership.objects.select_related("person").get(pk=claim.claimant_id))
