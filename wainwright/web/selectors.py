"""Reads that the frame of every page and the desk need."""

from __future__ import annotations

from django.db.models import Count, OuterRef, Subquery

from wainwright.claims.models import Claim
from wainwright.news.models import Notice
from wainwright.people.models import Membership, Person
from wainwright.trips.models import Trip

MOST_FOUND = 12


def membership_of(person: Person, firm_id: int | None, only: list[int] | None = None) -> Membership | None:
    """Return the person's membership in the firm chosen, else their first, with the count of unread news, in one query.

    ``only`` are the firms that are open to them, where not all are.
    """
    unread = (
        Notice.objects.filter(member=OuterRef("pk"), read=False).order_by().values("member").annotate(n=Count("pk"))
    )
    # The person is known already: rows reached by their own relation carry it.
    rows = person.memberships.filter(active=True).select_related("firm__sign_in_by").order_by("id")
    if only is not None:
        rows = rows.filter(firm_id__in=only)
    members = list(rows.annotate(unread=Subquery(unread.values("n"))))
    return next((m for m in members if m.firm_id == firm_id), members[0] if members else None)


def to_sign(member: Membership) -> list[dict[str, str]]:
    """Return what somebody prepared for a person and says is ready: it waits for one signature. Two queries."""
    found = []
    for rows, area, at in (
        (
            Trip.objects.filter(traveller=member, ready_by__isnull=False, state__in=["Planning", "Sent back"]),
            "trips",
            "sign/",
        ),
        (
            Claim.objects.filter(claimant=member, ready_by__isnull=False, state__in=["Open", "Sent back"]),
            "claims",
            "#certify",
        ),
    ):
        for thing in rows.select_related("ready_by__person").order_by("pk")[:MOST_FOUND]:
            by = thing.ready_by.person.name
            found.append({"title": f"{thing.code} {thing.title}", "by": by, "link": f"/{area}/{thing.pk}/{at}"})
    return found
