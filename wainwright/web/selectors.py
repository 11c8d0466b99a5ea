"""Reads that the frame of every page and the desk need."""

from __future__ import annotations

from django.db.models import Count, OuterRef, QuerySet, Subquery

from wainwright.claims.models import Claim
from wainwright.core.said import joined
from wainwright.news.models import Notice
from wainwright.people.models import Membership, Person
from wainwright.prepared import prepared
from wainwright.trips.models import Trip

MOST_FOUND = 12


def membership_of(person: Person, firm_id: int | None, only: list[int] | None = None) -> Membership | None:
    """Return the person's membership in the firm chosen, else their first, with the count of unread news, in one query.

    ``only`` are the firms that are open to them, where not all are.
    """
    members = [member for member in _memberships(person.pk) if only is None or member.firm_id in only]
    for member in members:
        # The person is known already.
        member.person = person
    return next((m for m in members if m.firm_id == firm_id), members[0] if members else None)


@prepared
def _memberships(person: int) -> QuerySet[Membership]:
    unread = (
        Notice.objects.filter(member=OuterRef("pk"), read=False).order_by().values("member").annotate(n=Count("pk"))
    )
    rows = Membership.objects.filter(person_id=person, active=True).select_related("firm__sign_in_by").order_by("id")
    return rows.annotate(unread=Subquery(unread.values("n")))


def to_sign(member: Membership) -> list[dict[str, str]]:
    """Return what somebody prepared for a person and says is ready: it waits for one signature. Two queries."""
    found = []
    for rows, area, at in (
        (_ready_trips(member.pk), "trips", "sign/"),
        (_ready_claims(member.pk), "claims", "#certify"),
    ):
        for thing in rows:
            by = thing.ready_by.person.name
            found.append(
                {"title": joined("", (thing.code, " ", thing.title)), "by": by, "link": f"/{area}/{thing.pk}/{at}"}
            )
    return found


@prepared
def _ready_trips(member: int) -> QuerySet[Trip]:
    rows = Trip.objects.filter(traveller_id=member, ready_by__isnull=False, state__in=["Planning", "Sent back"])
    return rows.select_related("ready_by__person").order_by("pk")[:MOST_FOUND]


@prepared
def _ready_claims(member: int) -> QuerySet[Claim]:
    rows = Claim.objects.filter(claimant_id=member, ready_by__isnull=False, state__in=["Open", "Sent back"])
    return rows.select_related("ready_by__person").order_by("pk")[:MOST_FOUND]
