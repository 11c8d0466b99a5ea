"""The private calendar address of a person."""

from __future__ import annotations

import secrets

from django.db import transaction

from wainwright import clock
from wainwright.core.said import say
from wainwright.errors import Stale
from wainwright.people.models import Membership
from wainwright.trail.services import record
from wainwright.trips.models import Subscription


@transaction.atomic
def subscribe(member: Membership) -> Subscription:
    """Make a new private address; the one before answers no more."""
    Subscription.objects.filter(member=member, revoked__isnull=True).update(revoked=clock.now())
    found = Subscription.objects.create(member=member, secret=secrets.token_urlsafe(32), created=clock.now())
    record(member, say("made a calendar address"), f"member:{member.pk}")
    return found


@transaction.atomic
def revoke(member: Membership) -> None:
    """Let the private address answer no more. Raises ``Stale`` where there is none."""
    if not Subscription.objects.filter(member=member, revoked__isnull=True).update(revoked=clock.now()):
        raise Stale(say("There is no calendar address to revoke."))
    record(member, say("revoked the calendar address"), f"member:{member.pk}")
