"""What roles open, and who sees what is whose: read, in words."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import groupby

from django.db.models import Q

from wainwright import clock
from wainwright.core.roles import ACTS, ROLES
from wainwright.core.said import say, say_many
from wainwright.core.workings import day_text
from wainwright.people.models import Delegate, Membership
from wainwright.signoff.models import SignOff


@dataclass(frozen=True)
class Row:
    """An act in words, and for each role, in their order, whether it opens it."""

    words: str
    opens: tuple[bool, ...]


def table() -> list[tuple[str, list[Row]]]:
    """Return what each role may do, by area, as the services ask it."""
    rows = ((act.area, Row(act.words, tuple(role in act.roles for role in ROLES))) for act in ACTS.values())
    return [(area, [row for _, row in some]) for area, some in groupby(rows, key=lambda pair: pair[0])]


@dataclass(frozen=True)
class Sight:
    """What one person sees of another's: of each kind whether, and why, in a sentence."""

    files: str
    place: str
    acts: str


def sight(reader: Membership, whose: Membership) -> Sight:
    """Say what ``reader`` sees of ``whose`` trips, claims, costs and papers, of their place, and what they do in their name.

    The words follow the same questions as the reads themselves (``visible_to``, ``person_for``). Three queries.
    """
    one, other = reader.person.name, whose.person.name
    if not reader.active:
        gone = say("{the_one} is not of the firm any more: they see nothing.", the_one=one)
        return Sight(gone, gone, gone)
    if reader.pk == whose.pk:
        return Sight(
            say("{the_one} sees everything of their own.", the_one=one),
            say("Their own place, on their profile."),
            say("They certify themselves."),
        )
    return Sight(_files(reader, whose, one, other), _place(reader, one, other), _acts(reader, whose, one, other))


def _files(reader: Membership, whose: Membership, one: str, other: str) -> str:
    if reader.may["read_all"]:
        role = say("in finance") if reader.finance else say("an auditor")
        return say(
            "All trips, claims, costs and papers of {other}: {the_one} is {role}.", other=other, the_one=one, role=role
        )
    asked = SignOff.objects.filter(signer=reader, firm_id=reader.firm_id)
    count = asked.filter(_of(whose)).values("kind", "object_id").distinct().count()
    if count:
        return say_many(
            "Of {other} one trip or claim: those that {the_one} is or was asked to sign, with their "
            "costs and papers. Nothing else.",
            "Of {other} {count} trips and claims: those that {the_one} is or was asked to sign, with "
            "their costs and papers. Nothing else.",
            count,
            other=other,
            the_one=one,
        )
    led = say(" They lead them, which by itself opens nothing.") if whose.manager_id == reader.pk else ""
    return say(
        "Nothing of {other}: {the_one} reads only what they are asked to sign.{led}", other=other, the_one=one, led=led
    )


def _of(whose: Membership) -> Q:
    """Sign-offs of what is somebody's."""
    from_trips = whose.trips.values("pk")
    from_claims = whose.claims.values("pk")
    return Q(kind="trip", object_id__in=from_trips) | Q(kind="claim", object_id__in=from_claims)


def _place(reader: Membership, one: str, other: str) -> str:
    if reader.may["people"]:
        return say(
            "{the_one} sees and sets {other}'s place, roles and limit: they are an administrator.",
            the_one=one,
            other=other,
        )
    if reader.may["read_people"]:
        return say("{the_one} sees {other}'s place, roles and limit: they are an auditor.", the_one=one, other=other)
    return say("{the_one} does not see {other}'s place.", the_one=one, other=other)


def _acts(reader: Membership, whose: Membership, one: str, other: str) -> str:
    today = clock.today(whose.firm.zone)
    row = Delegate.objects.filter(by=reader, member=whose, since__lte=today, until__gte=today).first()
    if row is not None:
        return say(
            "{the_one} prepares for {other} until {until}, and sees while preparing what {other} "
            "sees of their own. They certify nothing.",
            the_one=one,
            other=other,
            until=day_text(row.until),
        )
    return say("{the_one} prepares nothing for {other}, and never certifies in their name.", the_one=one, other=other)
