"""The copy of the profile that a claim uses, beside the profile as it is."""

from __future__ import annotations

from wainwright.claims.models import Claim
from wainwright.trips.profile import FOR_ONE_TRIP, Difference, beside, copy_of


def copy_for(claim: Claim) -> dict[str, str]:
    """Return what a claim keeps of its claimant's profile; what was changed for its trip alone is as on the trip."""
    own = claim.trip.profile if claim.trip is not None else {}
    return copy_of(claim.claimant) | {name: own[name] for name in FOR_ONE_TRIP if name in own}


def side_by_side(claim: Claim) -> list[Difference]:
    """Return every field of a claim's copy beside the profile as it is now. One query."""
    return beside(claim.profile, claim.claimant)
