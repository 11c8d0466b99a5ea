"""Reads that the frame of every page and the desk need."""

from __future__ import annotations

from django.db.models import Count, OuterRef, Q, Subquery

from wainwright.claims.models import Claim
from wainwright.news.models import Notice
from wainwright.people.models import Membership, Person
from wainwright.trips.models import Trip

MOST_FOUND = 12


def membership_of(person: Person, firm_id: int | None) -> Membership | None:
    """Return the person's membership in the firm chosen, else their first, with the count of unread news, in one query."""
    unread = (
        Notice.objects.filter(member=OuterRef("pk"), read=False).order_by().values("member").annotate(n=Count("pk"))
    )
    # The person is known already: rows reached by their own relation carry it.
    rows = person.memberships.filter(active=True).select_related("firm").order_by("id")
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


def find(member: Membership, text: str) -> list[dict[str, str]]:
    """Find trips and claims by title, number or person, among what the person may see, the newest first. Two queries."""
    text = text.strip()
    if not text:
        return []
    number = text.upper().removeprefix("T-").removeprefix("C-").lstrip("0")
    found = []
    for queryset, who, kind, area in (
        (Trip.objects.visible_to(member).select_related("traveller__person"), "traveller", "Trip", "trips"),
        (Claim.objects.visible_to(member).select_related("claimant__person"), "claimant", "Claim", "claims"),
    ):
        wanted = Q(title__icontains=text) | Q(**{f"{who}__person__name__icontains": text})
        if number.isdecimal():
            wanted |= Q(number=int(number[:9]))
        for thing in queryset.filter(wanted).order_by("-id")[:MOST_FOUND]:
            found.append(
                {"kind": kind, "code": thing.code, "title": thing.title, "who": getattr(thing, who).person.name,
                 "state": thing.state, "link": f"/{area}/{thing.pk}/"}
            )  # fmt: skip
    return found
