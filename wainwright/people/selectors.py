"""Who is who: reads about people."""

from __future__ import annotations

from datetime import date

from django.db.models import OuterRef, Subquery

from wainwright.core.routing import Signer
from wainwright.people.models import Cover, Membership


def signers(firm_id: int, today: date) -> dict[str, Signer]:
    """Return every member of a firm as the route sees them, by the text of their id, in one query."""
    cover = (
        Cover.objects.filter(member=OuterRef("pk"), since__lte=today, until__gte=today).order_by("id").values("by")[:1]
    )
    members = (
        Membership.objects.filter(firm_id=firm_id).select_related("person", "firm").annotate(cover_id=Subquery(cover))
    )
    return {
        str(m.id): Signer(
            str(m.id), m.person.name, str(m.manager_id or ""), m.limit,
            str(m.cover_id or ""), m.signs_own, m.active and m.person.is_active,
        )
        for m in members
    }  # fmt: skip


def demo_people() -> list[Membership]:
    """Return who can sign in to the demo, by firm and name."""
    return list(Membership.objects.filter(active=True).select_related("firm", "person").order_by("firm_id", "id"))


def finance_of(firm_id: int) -> list[Membership]:
    """Return the firm's finance reviewers, in one query."""
    return list(Membership.objects.filter(firm_id=firm_id, finance=True, active=True).select_related("person", "firm"))
