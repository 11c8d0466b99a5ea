"""Acts on people's places: managers, limits, roles, and who decides while somebody is away."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from allauth.usersessions.models import UserSession
from django.db import transaction

from wainwright import clock
from wainwright.accounts.selectors import books, read_coding
from wainwright.bench.moving import move_on
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.roles import ROLES, may
from wainwright.core.said import joined, say
from wainwright.core.workings import day_text
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Cover, Delegate, Membership
from wainwright.people.second_factor import take_off
from wainwright.trail.services import record


@dataclass(frozen=True)
class Place:
    """A person's place: whom they report to, how far they sign (nothing: without limit), what they do.

    ``signs_own`` is the privilege to sign what is their own, up to ``own_limit`` (nothing: as far as for others). ``coding`` is
    the usual coding as it is typed, nothing where it stays.
    """

    manager: int
    limit: Money | None
    roles: frozenset[str]
    signs_own: bool = False
    own_limit: Money | None = None
    coding: str | None = None


@transaction.atomic
def set_place(by: Membership, who_id: int, place: Place) -> Membership:
    """Name a person's manager, limit and roles; what waits for somebody who cannot decide any more goes on.

    Raises ``Membership.DoesNotExist``, ``NotAllowed``; ``Refusal`` for a manager who is not here, or would be led by those they lead.
    """
    must(by, "people")
    rows = Membership.objects.select_for_update(of=("self",), no_key=True).select_related("person", "firm")
    who = rows.get(pk=who_id, firm_id=by.firm_id)
    if not place.roles <= set(ROLES):
        raise Refusal(say("Choose roles of the list."), "roles")
    if not place.roles:
        raise Refusal(say("Everybody has a role. Choose at least one."), "roles")
    if who.pk == by.pk and "administrator" not in place.roles:
        raise Refusal(say("Another administrator takes that role from you."), "roles")
    _must_be_fair(by, who, place)
    manager = (
        Membership.objects.select_related("person").filter(firm_id=by.firm_id, pk=place.manager, active=True).first()
    )
    if place.manager and manager is None:
        raise Refusal(say("Choose somebody of the firm who is here."), "manager")
    no_circle(who, manager)
    before = _said(who)
    if place.coding is not None:
        who.codes = [list(pair) for pair in _coding(who, place.coding).codes]
    who.manager, who.limit_minor = manager, None if place.limit is None else place.limit.minor
    who.signs_own = place.signs_own
    who.own_limit_minor = None if place.own_limit is None or not place.signs_own else place.own_limit.minor
    for role in ROLES:
        setattr(who, role, role in place.roles)
    who.save()
    after = _said(who)
    if before != after:
        record(by, say("set a person's place"), f"member:{who.pk}", before=before, after=after)
        if who.pk != by.pk:
            tell(
                who,
                say("{by} changed your place in {who}", by=by.person.name, who=who.firm.name),
                "/profile/",
                _words(after),
            )
    move_on(by.firm_id)
    return who


def _coding(who: Membership, typed: str) -> Coding:
    """Read a usual coding as it is typed. Raises ``Refusal`` with what fits nothing, or several."""
    try:
        return read_coding(typed, books(who.firm))
    except Refusal as refusal:
        raise Refusal(refusal.message, "coding") from refusal


def _must_be_fair(by: Membership, who: Membership, place: Place) -> None:
    """Raise ``Refusal`` where a privilege to sign one's own is taken by oneself, or held by somebody who signs nothing."""
    new = _of_own(place.limit, place.own_limit)
    if who.pk == by.pk and place.signs_own and (not who.signs_own or _further(new, _of_own(who.limit, who.own_limit))):
        raise Refusal(
            say("Another administrator gives you that: nobody widens what they sign of their own."), "signs_own"
        )
    if place.signs_own and not may(place.roles, "decide"):
        raise Refusal(say("Only who signs for others may sign their own: give them such a role first."), "signs_own")


def _of_own(limit: Money | None, own: Money | None) -> Money | None:
    """Return up to how much somebody signs of their own: no further than for others; nothing for any sum."""
    given = [each for each in (limit, own) if each is not None]
    return min(given) if given else None


def widens_own(who: Membership, limit: Money | None) -> bool:
    """Say whether another limit would let somebody sign more of their own."""
    return _further(_of_own(limit, who.own_limit), _of_own(who.limit, who.own_limit))


def _further(new: Money | None, old: Money | None) -> bool:
    return old is not None and (new is None or new > old)


def _said(who: Membership) -> dict[str, object]:
    said = {
        "manager": who.manager.person.name if who.manager else "", "limit": str(who.limit) if who.limit is not None else "",
        "roles": who.roles,
    }  # fmt: skip
    if who.codes:
        said["usual coding"] = str(who.coding)
    if who.signs_own:
        said["signs their own"] = (
            say("up to {own_limit}", own_limit=who.own_limit) if who.own_limit is not None else say("yes")
        )
    return said


def _words(said: dict[str, object]) -> str:
    return (
        say(
            "You report to {manager}; you sign up to {limit}; you are: {list}.",
            manager=said["manager"] or "nobody",
            limit=said["limit"] or say("any sum"),
            list=joined(", ", said["roles"]),
        )  # type: ignore[arg-type]
        + (
            say(" You sign what is your own: {signs_their_own}.", signs_their_own=said["signs their own"])
            if "signs their own" in said
            else ""
        )
    )


@transaction.atomic
def take_factor_off(by: Membership, who_id: int) -> Membership:
    """Take off the second factor of somebody who has lost it, codes and all: they sign in by password and set up a new one.

    Only another administrator, and of each firm in which the person is: it opens them all. They and the other
    administrators are told. Raises ``NotAllowed``, ``Refusal``, ``Stale``.
    """
    must(by, "people")
    who = Membership.objects.select_related("person", "firm").get(pk=who_id, firm_id=by.firm_id)
    if who.person_id == by.person_id:
        raise Refusal(say("Another administrator does that for you."))
    theirs = who.person.memberships.filter(active=True).exclude(firm_id=by.firm_id)
    mine = by.person.memberships.filter(active=True, administrator=True).values("firm_id")
    if theirs.exclude(firm_id__in=mine).exists():
        raise Refusal(
            say("{who} signs in to another firm as well: somebody who administers both does that.", who=who.person.name)
        )
    if not take_off(who.person):
        raise Stale(say("{who} has no second factor.", who=who.person.name))
    record(by, say("took a second factor off"), f"member:{who.pk}")
    # Whoever holds a session of theirs is not taken for them any more.
    for session in UserSession.objects.filter(user=who.person):
        session.end()
    tell(
        who,
        say("{by} took your second factor off", by=by.person.name),
        "/accounts/2fa/",
        say("Set up a new one. If you did not ask for it, change your password and tell them."),
    )
    others = Membership.objects.filter(firm_id=by.firm_id, active=True, administrator=True).select_related(
        "person", "firm"
    )
    for other in others.exclude(pk__in=(by.pk, who.pk)):
        tell(
            other,
            say("{by} took the second factor of {who} off", by=by.person.name, who=who.person.name),
            f"/people/{who.pk}/",
        )
    return who


def no_circle(who: Membership, manager: Membership | None) -> None:
    """Raise ``Refusal`` where a manager would be led by those they lead."""
    above, seen = manager, {who.pk}
    while above is not None:
        if above.pk in seen:
            name = manager.person.name if manager else ""
            raise Refusal(
                say("{name} would be led by {who} in turn. Choose another.", name=name, who=who.person.name), "manager"
            )
        seen.add(above.pk)
        above = above.manager


@transaction.atomic
def set_cover(
    by: Membership, who_id: int, cover_id: int, since: date, until: date, below: Decimal | None = None
) -> Cover:  # fmt: skip
    """Name who decides while somebody is away: the person themself, or an administrator. What waits goes on at once.

    ``below`` an amount alone, where it is given: the rest goes to the next above. Raises ``NotAllowed``, ``Refusal``.
    """
    who = Membership.objects.select_related("person", "firm").get(pk=who_id, firm_id=by.firm_id)
    if who.pk != by.pk and not by.may["people"]:
        raise NotAllowed(say("Only they, or an administrator, name who decides for them."))
    if below is not None and (below <= 0 or who.manager_id is None):
        words = say("Type more than nothing, or leave it empty for everything.")
        raise Refusal(words if below <= 0 else say("Nobody stands above them who could decide the rest."), "below")
    found = Membership.objects.select_related("person", "firm").filter(firm_id=by.firm_id, pk=cover_id, active=True)
    cover = found.exclude(pk=who.pk).first()
    if cover is None or not cover.may["decide"]:
        raise Refusal(say("Choose another approver of the firm."), "by")
    _must_be_to_come(by, since, until)
    if Cover.objects.filter(member=who, since__lte=until, until__gte=since).exists():
        raise Refusal(say("Somebody is named for these days already. End that first."), "since")
    made = Cover.objects.create(
        member=who, by=cover, since=since, until=until,
        below_minor=None if below is None else Money.rounded(below, by.firm.currency).minor,
    )  # fmt: skip
    days = say("{since} to {until}", since=day_text(since), until=day_text(until)) + (
        say(", below {below}", below=below) if below is not None else ""
    )
    record(by, say("named a cover"), f"member:{who.pk}", after={"by": cover.person.name, "days": days})
    tell(cover, say("You decide for {who} from {days}", who=who.person.name, days=days), "/bench/")
    move_on(by.firm_id)
    return made


def _must_be_to_come(member: Membership, since: date, until: date) -> None:
    if until < since:
        raise Refusal(say("It ends before it begins."), "until")
    if until < clock.today(member.firm.zone):
        raise Refusal(say("That is over already."), "until")


@transaction.atomic
def end_cover(by: Membership, cover_id: int) -> None:
    """End a cover: what waits for whoever covered stays with them. Raises ``NotAllowed``, ``Stale``."""
    rows = Cover.objects.select_related("member__person", "by__person")
    cover = rows.filter(pk=cover_id, member__firm_id=by.firm_id).first()
    if cover is None:
        raise Stale(say("It is ended already."))
    if cover.member_id != by.pk and not by.may["people"]:
        raise NotAllowed(say("Only they, or an administrator, end it."))
    record(by, say("ended a cover"), f"member:{cover.member_id}", before={"by": cover.by.person.name})
    cover.delete()


@transaction.atomic
def set_delegate(member: Membership, by_id: int, since: date, until: date) -> Delegate:
    """Name who may prepare for oneself, from when to when. Raises ``Refusal``."""
    rows = Membership.objects.select_related("person", "firm").filter(firm_id=member.firm_id, active=True)
    by = rows.filter(pk=by_id).exclude(pk=member.pk).first()
    if by is None:
        raise Refusal(say("Choose somebody else of the firm."), "by")
    if by.reads_only:
        raise Refusal(say("{by} audits, and changes nothing.", by=by.person.name), "by")
    _must_be_to_come(member, since, until)
    if Delegate.objects.filter(member=member, by=by, since__lte=until, until__gte=since).exists():
        raise Refusal(say("{by} prepares for you in these days already.", by=by.person.name), "by")
    made = Delegate.objects.create(member=member, by=by, since=since, until=until)
    days = say("{since} to {until}", since=day_text(since), until=day_text(until))
    record(member, say("named a delegate"), f"member:{member.pk}", after={"by": by.person.name, "days": days})
    tell(
        by,
        say("You may prepare for {member} from {days}", member=member.person.name, days=days),
        f"/people/{by.pk}/",
        say("They certify what you prepare."),
    )
    return made


@transaction.atomic
def end_delegate(member: Membership, delegate_id: int) -> None:
    """End that somebody prepares: whoever is prepared for, or whoever prepares. Raises ``Stale``."""
    rows = Delegate.objects.select_related("member__person", "by__person", "member__firm", "by__firm")
    row = rows.filter(pk=delegate_id, member__firm_id=member.firm_id).first()
    if row is None or member.pk not in (row.member_id, row.by_id):
        raise Stale(say("It is ended already."))
    record(member, say("ended a delegate"), f"member:{row.member_id}", before={"by": row.by.person.name})
    row.delete()
    other = row.by if member.pk == row.member_id else row.member
    tell(
        other,
        say("{by} does not prepare for {member} any more", by=row.by.person.name, member=row.member.person.name),
        f"/people/{other.pk}/",
    )
