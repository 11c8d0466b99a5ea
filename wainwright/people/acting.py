"""Preparing for somebody else: the file is theirs, the hand is another's, and nothing is certified."""

from __future__ import annotations

from datetime import date

from django.db.models import QuerySet

from wainwright.core.said import say
from wainwright.errors import NotAllowed
from wainwright.people.models import Delegate, Membership
from wainwright.prepared import prepared


def may_prepare_for(member: Membership, today: date) -> QuerySet[Delegate]:
    """Return for whom a person may prepare today."""
    return _prepared_by(member.pk, today)


@prepared
def prepared_by(member: int, today: date) -> QuerySet[Delegate]:
    """The same, asked at every opening of the desk."""
    return _prepared_by(member, today)


def _prepared_by(member: int, today: date) -> QuerySet[Delegate]:
    rows = Delegate.objects.filter(by_id=member, since__lte=today, until__gte=today, member__active=True)
    return rows.select_related("member__person", "member__firm").order_by("member__person__name")


def acting_for(delegate: Membership, who: Membership) -> Membership:
    """Return ``who`` as somebody who is worked for by ``delegate``: a traveller and nothing else, never to be saved."""
    who.prepared_by, who.firm = delegate, delegate.firm
    who.traveller, who.unread = True, None
    who.approver = who.finance = who.administrator = who.auditor = who.signs_own = False
    return who


def must_prepare(member: Membership, noun: str) -> None:
    """Raise ``NotAllowed`` where nobody prepares for the person: their own trip or claim, the ``noun``, they certify themselves."""
    if member.prepared_by is None:
        raise NotAllowed(say("It is your own {noun}: certify and send it yourself.", noun=noun))


def must_be_oneself(member: Membership) -> None:
    """Raise ``NotAllowed`` where somebody prepares for the person: what is certified, they certify themselves."""
    if member.prepared_by is not None:
        name = member.person.name
        raise NotAllowed(
            say(
                "Only {name} certifies this. Say that it is ready: it waits on their desk for one signature.", name=name
            )
        )
