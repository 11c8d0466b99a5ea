"""What a firm's identity provider does to people and groups, through its door; the trail names it, not a person."""

from __future__ import annotations

import secrets
from dataclasses import dataclass

from django.db import transaction

from wainwright import clock
from wainwright.api.models import digest_of
from wainwright.bench.moving import move_on
from wainwright.core.roles import ROLES
from wainwright.core.said import say
from wainwright.core.text import one_line
from wainwright.errors import Refusal
from wainwright.identity.models import Brought, Door, Group
from wainwright.people.addresses import as_kept, is_address
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, Person, SignInBy
from wainwright.staff.inviting import send_invitation
from wainwright.staff.leaving import let_back, let_go
from wainwright.staff.services import no_circle
from wainwright.trail.services import record

WHO = say("the identity provider")
WHY = say("as the identity provider says")


class Taken(Refusal):
    """Somebody, or a group, is here under that name already."""


@dataclass(frozen=True)
class Known:
    """Somebody as the provider has them; ``manager`` is a number here, nothing where it says nobody, -1 where it says nothing."""

    email: str
    name: str
    job: str = ""
    external: str = ""
    active: bool = True
    manager: int | None = -1


@transaction.atomic
def make_door(by: Membership) -> tuple[Door, str]:
    """Make the firm's token for its provider anew; return it and its text, which is shown this once. Raises ``NotAllowed``."""
    must(by, "firm")
    text = f"wd_{secrets.token_urlsafe(32)}"
    row, new = Door.objects.update_or_create(
        firm=by.firm,
        defaults={"digest": digest_of(text), "begins": text[:8], "made_by": by, "time": clock.now(), "used": None},
    )
    record(
        by,
        say("let the identity provider in") if new else say("let the identity provider in by another token"),
        f"firm:{by.firm_id}",
        after={"begins": row.begins},
    )
    return row, text


@transaction.atomic
def shut_door(by: Membership) -> None:
    """Let the provider in no more; whom it brought stays. Raises ``NotAllowed``, ``Refusal``."""
    must(by, "firm")
    row = Door.objects.filter(firm_id=by.firm_id).first()
    if row is None:
        raise Refusal(say("It is not let in."))
    record(by, say("shut the identity provider out"), f"firm:{by.firm_id}", before={"begins": row.begins})
    row.delete()


def _checked(known: Known) -> tuple[str, str]:
    email, name = as_kept(known.email), one_line(known.name, 120).strip()
    if not is_address(email):
        raise Refusal(say("userName, or the primary e-mail, is an address for mail"))
    return email, name or email.partition("@")[0]


def _manager(firm: Firm, number: int, who: Membership | None) -> Membership:
    found = Membership.objects.filter(firm=firm, active=True, pk=number).select_related("person").first()
    if found is None:
        raise Refusal(say("the manager is nobody who is here"))
    if who is not None:
        no_circle(who, found)
    return found


@transaction.atomic
def bring_in(firm: Firm, known: Known) -> Membership:
    """Bring somebody in as a traveller, or back where the provider had taken them out. Raises ``Taken``, ``Refusal``."""
    firm = Firm.objects.select_for_update(no_key=True).get(pk=firm.pk)
    email, name = _checked(known)
    person = Person.objects.filter(email__iexact=email).first()
    member = (
        Membership.objects.filter(firm=firm, person=person).select_related("person", "firm").first() if person else None
    )
    if member is not None:
        row = _row(member)
        if not row.deleted:
            raise Taken(say("{email} is here already", email=email))
        row.deleted, row.external, row.changed = False, known.external[:200], clock.now()
        row.save()
        return change(firm, member.pk, known)
    manager = _manager(firm, known.manager, None) if known.manager and known.manager > 0 else None
    person = person or Person.objects.create_user(email, None, name=name)
    if not person.is_active and known.active:
        Person.objects.filter(pk=person.pk).update(is_active=True)
    member = Membership.objects.create(
        firm=firm,
        person=person,
        job=one_line(known.job, 80),
        manager=manager,
        codes=manager.codes if manager else [],
        active=known.active,
    )
    now = clock.now()
    Brought.objects.create(member=member, external=known.external[:200], made=now, changed=now)
    record(
        None,
        say("brought a person in"),
        f"member:{member.pk}",
        firm_id=firm.pk,
        after={"name": person.name, "by": WHO, "active": known.active},
    )
    if known.active and not person.has_usable_password() and not SignInBy.objects.filter(firm=firm).exists():
        # Without a provider to sign in by they choose a password.
        send_invitation(member, member)
    return member


def _row(member: Membership) -> Brought:
    """The provider's row of somebody, made where they were invited by hand."""
    now = clock.now()
    return Brought.objects.get_or_create(member=member, defaults={"made": now, "changed": now})[0]


@transaction.atomic
def change(firm: Firm, member_id: int, known: Known) -> Membership:
    """Bring somebody to what the provider says of them: name, address, work, manager, whether they are here.

    Name and address are those of a person in all firms: where somebody is of another as well they stay. Raises ``Taken``,
    ``Refusal``.
    """
    firm = Firm.objects.select_for_update(no_key=True).get(pk=firm.pk)
    member = (
        Membership.objects.select_for_update(of=("self",), no_key=True)
        .select_related("person", "firm", "manager")
        .get(pk=member_id, firm=firm)
    )
    email, name = _checked(known)
    row, before, after = _row(member), {}, {}
    alone = not member.person.memberships.exclude(firm=firm).exists()
    for field, value in (("email", email), ("name", name)):
        if getattr(member.person, field) != value and alone:
            before[field], after[field] = getattr(member.person, field), value
            if field == "email" and Person.objects.filter(email__iexact=value).exclude(pk=member.person_id).exists():
                raise Taken(say("{value} is somebody else's", value=value))
            setattr(member.person, field, value)
    job = one_line(known.job, 80)
    if member.job != job:
        before["job"], after["job"], member.job = member.job, job, job
    if known.manager != -1 and (known.manager or None) != member.manager_id:
        manager = _manager(firm, known.manager, member) if known.manager else None
        before["manager"], after["manager"] = member.manager_id, manager.person.name if manager else None
        member.manager = manager
    row.external, row.changed = known.external[:200], clock.now()
    row.save()
    if after:
        member.person.save()
        member.save()
        record(
            None,
            say("changed a person"),
            f"member:{member.pk}",
            firm_id=firm.pk,
            before=before,
            after=after | {"by": WHO},
        )
    if member.active != known.active:
        (let_back if known.active else let_go)(member.pk, firm, WHY)
        member.active = known.active
    elif "manager" in after:
        move_on(firm.pk)
    return member


@transaction.atomic
def take_out(firm: Firm, member_id: int) -> None:
    """Take somebody out: no access from now on, history stays, what was theirs waits for an administrator. Raises ``Refusal``."""
    member = Membership.objects.select_related("person", "firm").get(pk=member_id, firm=firm)
    row = _row(member)
    if member.active:
        let_go(member.pk, firm, WHY)
    row.deleted, row.changed = True, clock.now()
    row.save()


@transaction.atomic
def keep_group(firm: Firm, group: Group, name: str, external: str, members: list[int]) -> Group:
    """Keep a group as the provider has it; who comes and goes gets and loses its role. Raises ``Taken``, ``Refusal``."""
    firm = Firm.objects.select_for_update(no_key=True).get(pk=firm.pk)
    name = one_line(name, 200).strip()
    if not name:
        raise Refusal(say("a group has a displayName"))
    if Group.objects.filter(firm=firm, name=name).exclude(pk=group.pk).exists():
        raise Taken(say("a group is called {name} already", name=name))
    found = set(Membership.objects.filter(firm=firm, pk__in=members).values_list("pk", flat=True))
    if found != set(members):
        raise Refusal(say("a member of the group is nobody here"))
    new, now = group.pk is None, clock.now()
    group.firm, group.name, group.external, group.changed = firm, name, external[:200], now
    group.made = group.made or now
    group.save()
    before = set() if new else set(group.members.values_list("pk", flat=True))
    group.members.set(found)
    if new or before != found:
        record(
            None, say("brought a group") if new else say("changed a group"), f"firm:{firm.pk}", firm_id=firm.pk,
            after={"group": name, "in": len(found - before), "out": len(before - found), "by": WHO},
        )  # fmt: skip
        _give_roles(firm, before | found, {group.role} - {""})
    return group


@transaction.atomic
def drop_group(firm: Firm, group_id: int) -> None:
    """Drop a group: its role goes from whoever has it by no other. Raises ``Group.DoesNotExist``, ``Refusal``."""
    firm = Firm.objects.select_for_update(no_key=True).get(pk=firm.pk)
    group = Group.objects.get(pk=group_id, firm=firm)
    members, role = set(group.members.values_list("pk", flat=True)), group.role
    record(None, say("dropped a group"), f"firm:{firm.pk}", firm_id=firm.pk, before={"group": group.name, "by": WHO})
    group.delete()
    _give_roles(firm, members, {role} - {""})


@transaction.atomic
def set_group_role(by: Membership, group_id: int, role: str) -> Group:
    """Say which role a group gives; nothing for none. Raises ``NotAllowed``, ``Refusal``."""
    must(by, "firm")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)
    group = Group.objects.get(pk=group_id, firm=firm)
    if role not in ("", *ROLES):
        raise Refusal(say("Choose a role of the list."), "role")
    before, group.role = group.role, role
    group.save(update_fields=["role"])
    record(by, say("set the role of a group"), f"firm:{firm.pk}", before={group.name: before}, after={group.name: role})
    _give_roles(firm, set(group.members.values_list("pk", flat=True)), {before, role} - {""})
    return group


def _give_roles(firm: Firm, members: set[int], roles: set[str]) -> None:
    """Give and take roles of groups, as people are in them now. Inside the caller's transaction. Raises ``Refusal``."""
    if not roles:
        return
    given = {role: set(Group.objects.filter(firm=firm, role=role).values_list("members", flat=True)) for role in roles}
    for member in Membership.objects.filter(pk__in=members).select_related("person", "firm"):
        before = member.roles
        for role, whose in given.items():
            setattr(member, role, member.pk in whose)
        if not member.roles:
            # Everybody has a role: without any other they travel.
            member.traveller = True
        if member.roles != before:
            member.save()
            record(
                None,
                say("set a person's place"),
                f"member:{member.pk}",
                firm_id=firm.pk,
                before={"roles": before},
                after={"roles": member.roles, "by": WHO},
            )
    if "administrator" in roles and not Membership.objects.filter(firm=firm, active=True, administrator=True).exists():
        raise Refusal(say("{firm} would have no administrator", firm=firm.name))
    move_on(firm.pk)
