"""Who is who: reads about people."""

from __future__ import annotations

from datetime import date

from django.db.models import OuterRef, QuerySet, Subquery

from wainwright.core.money import Money
from wainwright.core.routing import Signer
from wainwright.people.models import Cover, Membership
from wainwright.prepared import prepared


def signers(firm_id: int, today: date) -> dict[str, Signer]:
    """Return every member of a firm as the route sees them, by the text of their id, in one query."""
    return {
        str(pk): Signer(
            str(pk), name, str(manager or ""), None if limit is None else Money.from_minor(limit, currency),
            str(cover_id or ""), signs_own, active and is_active, finance, None if below is None else Money.from_minor(below, currency),
            None if own is None else Money.from_minor(own, currency),
        )
        for pk, name, manager, limit, currency, cover_id, signs_own, active, is_active, finance, below, own in _rows(firm_id, today)
    }  # fmt: skip


@prepared
def _rows(firm: int, today: date) -> QuerySet[Membership, tuple]:
    """What ``signers`` is told: a firm may have thousands of members, and every open claim asks. Plain rows, not models."""
    cover = Cover.objects.filter(member=OuterRef("pk"), since__lte=today, until__gte=today).order_by("id")
    return (
        Membership.objects.filter(firm_id=firm)
        .annotate(cover_id=Subquery(cover.values("by")[:1]), below=Subquery(cover.values("below_minor")[:1]))
        .values_list(
            "id", "person__name", "manager_id", "limit_minor", "firm__currency", "cover_id", "signs_own", "active",
            "person__is_active", "finance", "below", "own_limit_minor",
        )
    )  # fmt: skip


def below(member: Membership) -> set[int]:
    """Return who stands below a person, however far, by id. One query, of plain pairs, whatever the depth."""
    led: dict[int, list[int]] = {}
    for pk, manager in Membership.objects.filter(firm_id=member.firm_id, manager__isnull=False).values_list(
        "pk", "manager_id"
    ):
        led.setdefault(manager, []).append(pk)
    found, ahead = {member.pk}, [member.pk]
    while ahead:
        more = [pk for pk in led.get(ahead.pop(), ()) if pk not in found]
        found.update(more)
        ahead += more
    return found - {member.pk}


def demo_people() -> list[Membership]:
    """Return who can sign in to the demo, by firm and name."""
    return list(Membership.objects.filter(active=True).select_related("firm", "person").order_by("firm_id", "id"))


def finance_of(firm_id: int) -> list[Membership]:
    """Return the firm's finance reviewers, in one query."""
    return list(Membership.objects.filter(firm_id=firm_id, finance=True, active=True).select_related("person", "firm"))


def administrators_of(member: Membership) -> list[Membership]:
    """Return who of the firm sets people's places, oneself left out, in one query."""
    rows = Membership.objects.filter(firm_id=member.firm_id, administrator=True, active=True).exclude(pk=member.pk)
    return list(rows.select_related("person").order_by("person__name"))
