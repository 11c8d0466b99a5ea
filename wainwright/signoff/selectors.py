"""Reads about routes and remarks."""

from __future__ import annotations

from django.db.models import QuerySet

from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.signoff.models import Remark, SignOff


def steps(subject: str) -> list[SignOff]:
    """Return every sign-off of a subject, in the order of rounds and route, in one query."""
    return _steps(subject)


@prepared
def _steps(subject: str) -> QuerySet[SignOff]:
    return SignOff.objects.filter(subject=subject).select_related("signer__person")


def waiting_for(member: Membership) -> QuerySet[SignOff]:
    """Return what waits for a person now, the first due first."""
    return SignOff.objects.filter(signer=member, state=SignOff.State.WAITING, turn=True).order_by("due", "id")


def remarks(subject: str) -> list[Remark]:
    """Return what was said on a subject and its lines, in one query."""
    return _remarks(subject)


@prepared
def _remarks(subject: str) -> QuerySet[Remark]:
    return Remark.objects.filter(subject=subject).select_related("by__person")


def asked_about(member: Membership, kind: str) -> QuerySet[SignOff]:
    """Return the ids of the subjects of one kind that a person was ever asked to sign, as a subquery.

    Whoever prepares for them sees none of it: deciding is not prepared.
    """
    if member.prepared_by is not None:
        return SignOff.objects.none().values("object_id")
    return SignOff.objects.filter(signer_id=member.pk, kind=kind).values("object_id")
