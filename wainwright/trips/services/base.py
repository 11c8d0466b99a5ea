"""What every act on a plan shares: the lock, the checks, the entry."""

from __future__ import annotations

from django.db.models import QuerySet

from wainwright.core.said import say
from wainwright.errors import NotAllowed, Stale
from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.trail.services import record
from wainwright.trips.models import Trip


def mine(member: Membership, trip_id: int, version: int | None = None, editable: bool = True) -> Trip:
    """Lock and return the traveller's own trip, to be changed.

    Raises ``Trip.DoesNotExist`` for one they may not see, ``NotAllowed`` for another's, ``Stale``
    where ``version`` is behind or the plan can no longer be changed.
    """
    own = _own(trip_id, member.firm_id, member.pk)
    # Who may see it is told why they may not; to anybody else it is not there.
    trip = own[0] if own else Trip.objects.visible_to(member).get(pk=trip_id)
    if trip.traveller_id != member.pk:
        raise NotAllowed(say("Only the traveller changes this trip."))
    if version is not None and version != trip.version:
        raise Stale(
            say("The trip was changed on another page since you opened this one. Look at it again, then decide.")
        )
    if editable and not trip.editable:
        raise Stale(say("The trip stands at {state}: its plan cannot be changed now.", state=trip.state))
    return trip


@prepared
def _own(trip: int, firm: int, traveller: int) -> QuerySet[Trip]:
    """One's own trip, locked; worded once, since every act on a plan begins with it."""
    rows = Trip.objects.select_for_update(of=("self",), no_key=True)
    return rows.select_related("firm", "traveller__person", "traveller__firm").filter(
        pk=trip, firm_id=firm, traveller_id=traveller
    )


def changed(member: Membership, trip: Trip, what: str, before: object, after: object) -> None:
    """Keep a change with its entry in the trail; what was opened before is behind now."""
    trip.version += 1
    trip.save()
    record(member, what, trip.subject, before=before, after=after)
