"""Reads about people and their places."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Count, OuterRef, Prefetch, Q, QuerySet, Subquery
from django.db.models.functions import Coalesce

from wainwright import clock
from wainwright.core.picking import PickList
from wainwright.core.routing import Signer, who_signs_for
from wainwright.core.said import say
from wainwright.errors import NotAllowed
from wainwright.people.may import must
from wainwright.people.models import Cover, Delegate, Membership
from wainwright.people.selectors import signers
from wainwright.signoff.models import SignOff


def people_of(member: Membership, text: str = "") -> QuerySet[Membership]:
    """Return the firm's people by name, with manager, cover of today and how much waits for them. Two queries."""
    must(member, "read_people")
    today = clock.today(member.firm.zone)
    now = Cover.objects.filter(since__lte=today, until__gte=today).select_related("by__person")
    theirs = SignOff.objects.filter(signer=OuterRef("pk"), state=SignOff.State.WAITING, turn=True).order_by()
    # Counted for those on the page, and not for all of the firm.
    waiting = Coalesce(Subquery(theirs.values("signer").annotate(n=Count("pk")).values("n")), 0)
    rows = Membership.objects.filter(firm_id=member.firm_id).select_related("person", "firm", "manager__person")
    if text.strip():
        rows = rows.filter(Q(person__name__icontains=text.strip()) | Q(person__email__icontains=text.strip()))
    rows = rows.annotate(waiting=waiting).prefetch_related(Prefetch("covers", now, to_attr="covered_now"))
    return rows.order_by("person__name", "pk")


def person_for(member: Membership, member_id: int) -> Membership:
    """Return a person whose place ``member`` may see: one's own, or any for administrators and auditors.

    Raises ``Membership.DoesNotExist``, ``NotAllowed``.
    """
    found = Membership.objects.select_related("person", "firm", "manager__person").get(
        pk=member_id, firm_id=member.firm_id
    )
    if found.pk != member.pk and not member.may["read_people"]:
        raise NotAllowed(say("Only they, administrators and auditors see somebody's place."))
    return found


@dataclass(frozen=True)
class PlaceOf:
    """What stands around a person's place: who decides for them, who prepares for them and for whom, and what is wrong."""

    covers: list[Cover]
    delegates: list[Delegate]
    prepares_for: list[Delegate]
    faults: list[str]


def place_page(member: Membership, who: Membership) -> PlaceOf:
    """Return everything that the page of a person's place shows. Four queries."""
    today = clock.today(member.firm.zone)
    ahead = Q(until__gte=today)
    return PlaceOf(
        list(who.covers.filter(ahead).select_related("by__person").order_by("since")),
        list(who.delegates.filter(ahead).select_related("by__person").order_by("since")),
        list(who.prepares_for.filter(ahead, member__active=True).select_related("member__person").order_by("since")),
        _faults(who, signers(member.firm_id, today)),
    )


def _faults(who: Membership, people: dict[str, Signer]) -> list[str]:
    """What would stop anything of theirs, however small."""
    if who.signs_own or not who.traveller:
        return []
    if who.manager is None:
        return [say("{who} has no line manager: nothing of theirs can be signed. Name one below.", who=who.person.name)]
    signer, _ = who_signs_for(str(who.manager_id), str(who.pk), people)
    if signer is None:
        return [
            say(
                "Nobody can sign for {manager} now: name a cover for them, or another manager.",
                manager=who.manager.person.name,
            )
        ]
    return []


def names(member: Membership, deciders: bool = False, everybody: bool = False) -> PickList:
    """Return the firm's people to choose from, by name and job; ``deciders`` are those who may decide. One query.

    ``everybody`` takes in those who are not here any more.
    """
    rows = Membership.objects.filter(firm_id=member.firm_id)
    if not everybody:
        rows = rows.filter(active=True, person__is_active=True)
    if deciders:
        rows = rows.filter(Q(approver=True) | Q(finance=True))
    found = rows.order_by("person__name").values_list("pk", "person__name", "job")
    return PickList.of([(str(pk), f"{name}, {job}" if job else name) for pk, name, job in found], with_codes=False)
