"""Somebody leaves, and comes back: what is theirs is listed, handed over in one act, and nothing of it hangs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from allauth.usersessions.models import UserSession
from django.db import transaction
from django.db.models import QuerySet

from wainwright import clock
from wainwright.accounts.models import Code, Connection
from wainwright.api.models import ApiToken, Webhook
from wainwright.bench.moving import move_on
from wainwright.claims.services.closing import withdraw
from wainwright.core.said import joined, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.news.services import tell
from wainwright.people.acting import acting_for
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version
from wainwright.staff.services import end_cover, end_delegate, no_circle
from wainwright.staff.theirs import NAMED, NOT_BEGUN, cards, charges, delegations, held, unsent, waits_for_heirs
from wainwright.trail.services import by_itself, record
from wainwright.trips.models import Trip
from wainwright.trips.services import road


@dataclass(frozen=True)
class Heirs:
    """To whom what is somebody's goes, by number (nothing: nobody was named), and that what only they could send is given up."""

    manager: int = 0
    owner: int = 0
    finance: int = 0
    charges: int = 0
    give_up: bool = False


def retire(by: Membership, who_id: int, heirs: Heirs, why: str = "") -> tuple[Membership, list[str]]:
    """Retire a person: no access from now on, what is theirs handed over, history kept. Returns what could not be done of it, in words.

    Raises ``NotAllowed``; ``Refusal`` where something of theirs would hang, naming the field that is missing; ``Stale``.
    """
    must(by, "people")
    with transaction.atomic():
        # Two administrators who retire each other at once: the second finds that they are one no more.
        Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)
        if not Membership.objects.filter(pk=by.pk, active=True, administrator=True).exists():
            raise NotAllowed(say("You are no administrator any more."))
        who = _member(by.firm_id, who_id)
        if who.pk == by.pk:
            raise Refusal(say("Another administrator retires you: nobody locks themselves out."))
        gone = not who.active
        if gone and not waits_for_heirs(who):
            raise Stale(say("{who} is retired already.", who=who.person.name))
        ahead = list(Trip.objects.filter(traveller=who, state__in=NOT_BEGUN).values_list("pk", flat=True))
        done = _hand_over(by, who, heirs)
        if not gone:
            _end_access(who)
        record(
            by, say("handed over what was left of a person") if gone else say("retired a person"), f"member:{who.pk}", before={"roles": who.roles, "why": why.strip()[:200]}, after=done
        )  # fmt: skip
        move_on(by.firm_id)
    left = [words for pk in ahead if (words := _call_off(by, who, pk))]
    return who, left


@transaction.atomic
def let_go(who_id: int, firm: Firm, why: str) -> Membership:
    """End somebody's access at once because the firm's identity provider says so; what needs heirs waits for an administrator.

    Raises ``Refusal`` for the last administrator, ``Stale`` where they are gone.
    """
    Firm.objects.select_for_update(no_key=True).get(pk=firm.pk)
    who = _member(firm.pk, who_id)
    if not who.active:
        raise Stale(say("{who} is retired already.", who=who.person.name))
    admins = list(
        Membership.objects.filter(firm=firm, active=True, administrator=True)
        .select_related("person", "firm")
        .exclude(pk=who.pk)
    )
    if not admins:
        raise Refusal(
            say(
                "{who} is the last administrator of {firm}: give somebody else the role first.",
                who=who.person.name,
                firm=firm.name,
            )
        )
    closed = cards(who).update(closed=clock.today(firm.zone))
    with by_itself():
        _end_arrangements(admins[0], who)
    _end_access(who)
    record(
        None,
        say("retired a person"),
        f"member:{who.pk}",
        firm_id=firm.pk,
        before={"roles": who.roles, "why": why},
        after={"cards": closed},
    )
    if waits_for_heirs(who):
        for admin in admins:
            tell(
                admin,
                say("{who} left: what was theirs waits to be handed over", who=who.person.name),
                f"/people/{who.pk}/leave/",
                why,
            )
    move_on(firm.pk)
    return who


@transaction.atomic
def let_back(who_id: int, firm: Firm, why: str) -> Membership:
    """Bring somebody back because the firm's identity provider says so, with the roles they had. Raises ``Stale``."""
    who = _member(firm.pk, who_id)
    if who.active:
        raise Stale(say("{who} is here.", who=who.person.name))
    _let_in(who, who.manager if who.manager is not None and who.manager.active else None)
    record(
        None, say("brought a person back"), f"member:{who.pk}", firm_id=firm.pk, after={"roles": who.roles, "why": why}
    )
    return who


def _let_in(who: Membership, manager: Membership | None) -> None:
    """Give access again, under a manager. Inside the caller's transaction."""
    who.active, who.manager = True, manager
    who.save(update_fields=["active", "manager"])
    who.person.is_active = True
    who.person.save(update_fields=["is_active"])


def _member(firm_id: int, who_id: int) -> Membership:
    rows = Membership.objects.select_for_update(of=("self",), no_key=True).select_related(
        "person", "firm", "manager__person"
    )
    return rows.get(pk=who_id, firm_id=firm_id)


def _heir(by: Membership, who: Membership, number: int, field: str, words: str, role: str = "") -> Membership:
    rows = (
        Membership.objects.filter(firm_id=by.firm_id, active=True).select_related("person", "firm").exclude(pk=who.pk)
    )
    heir = rows.filter(pk=number).first()
    if heir is None:
        raise Refusal(words, field)
    if role and not getattr(heir, role):
        raise Refusal(
            say(
                "{heir} is no {role}. Choose another.",
                heir=heir.person.name,
                role=say("finance reviewer") if role == "finance" else role,
            ),
            field,
        )
    return heir


@dataclass(frozen=True)
class _Chosen:
    """The heirs as people: whoever was needed and may have it."""

    manager: Membership | None = None
    owner: Membership | None = None
    finance: Membership | None = None
    charges: Membership | None = None


def _chosen(by: Membership, who: Membership, heirs: Heirs) -> _Chosen:
    """Return who inherits what there is something of. Raises ``Refusal`` where nobody fitting was named."""
    name, manager, owner, finance, accounts = who.person.name, None, None, None, None
    if who.reports.filter(active=True).exists():
        number = heirs.manager or who.manager_id or 0
        manager = _heir(by, who, number, "manager", say("Say to whom those report who reported to {name}.", name=name))
    if Code.objects.filter(owner=who).exists():
        owner = _heir(by, who, heirs.owner, "owner", say("Say who owns the codings of {name}.", name=name), "approver")
    if held(who):
        words = say("Say who of finance holds the ledger's connection, so that it goes on.")
        finance = _heir(by, who, heirs.finance, "finance", words, "finance")
    if charges(who).exists():
        words = say("Say who accounts for the charges that lie loose on {name}.", name=name)
        accounts = _heir(by, who, heirs.charges, "charges", words, "traveller")
    return _Chosen(manager, owner, finance, accounts)


def _hand_over(by: Membership, who: Membership, heirs: Heirs) -> dict[str, Any]:
    """Hand over what is somebody's. Inside the caller's transaction; raises ``Refusal``."""
    others = Membership.objects.filter(firm_id=by.firm_id, finance=True, active=True).exclude(pk=who.pk)
    if who.active and who.finance and not others.exists():
        raise Refusal(
            say("Nobody else is in finance: nothing could be checked or paid. Give somebody that role first.")
        )
    to = _chosen(by, who, heirs)
    done: dict[str, Any] = {"claims given up": _give_up(by, who, heirs.give_up), "reports": _lead(who, to.manager)}
    if to.owner is not None:
        done["codings"] = Code.objects.filter(owner=who).update(owner=to.owner)
        Firm.objects.filter(pk=by.firm_id).update(rules_version=new_version())
    if to.finance is not None:
        Connection.objects.filter(holder=who).update(holder=to.finance)
        ApiToken.objects.filter(made_by=who).update(made_by=to.finance)
        Webhook.objects.filter(made_by=who).update(made_by=to.finance)
    if to.charges is not None:
        done["charges"] = _account_for(charges(who), to.charges)
    done["cards"] = cards(who).update(closed=clock.today(who.firm.zone))
    _end_arrangements(by, who)
    return done | _tell_heirs(who, to)


def _give_up(by: Membership, who: Membership, said: bool) -> int:
    """Withdraw what only they could send, where that was said; return how many. Raises ``Refusal`` where it was not."""
    open_ = list(unsent(who))
    if open_ and not said:
        names = joined(", ", (claim.code for claim in open_[:NAMED]))
        raise Refusal(
            say(
                "{names}: only {who} could send them. Let them be sent first, or say that they are given up.",
                names=names,
                who=who.person.name,
            ),
            "give_up",
        )
    for claim in open_:
        withdraw(_acting(by, who), claim.pk, claim.version)
    return len(open_)


def _acting(by: Membership, who: Membership) -> Membership:
    """The person as somebody whom ``by`` works for: the trail says whose hand it was."""
    return acting_for(by, Membership.objects.select_related("person", "firm").get(pk=who.pk))


def _lead(who: Membership, manager: Membership | None) -> int:
    """Give those whom they led their new manager; return how many."""
    reports = list(who.reports.filter(active=True).select_related("person", "manager"))
    for report in reports:
        # The heir cannot report to themselves: they take the place above.
        report.manager = who.manager if manager is not None and report.pk == manager.pk else manager
        no_circle(report, report.manager)
        report.save(update_fields=["manager"])
        tell(
            report,
            say("You report to {manager} now", manager=report.manager.person.name if report.manager else "nobody"),
            "/profile/",
        )
    return len(reports)


def _end_arrangements(by: Membership, who: Membership) -> None:
    """End whom they cover, who prepares for them and for whom they do; the others are told."""
    covers = who.covering.filter(until__gte=clock.today(who.firm.zone)).select_related("member__person", "member__firm")
    for cover in list(covers):
        words = say("{who} does not cover you any more: name another", who=who.person.name)
        tell(cover.member, words, f"/people/{cover.member_id}/")
        end_cover(by, cover.pk)
    for row in list(delegations(who)):
        end_delegate(_acting(by, who), row.pk)


def _tell_heirs(who: Membership, to: _Chosen) -> dict[str, str]:
    """Tell whoever got something; return who got what, for the trail."""
    name, said = who.person.name, {}
    for heir, what, words, link in (
        (to.manager, "manager", say("Those who reported to {name} report to you", name=name), f"/people/{to.manager.pk}/" if to.manager else ""),
        (to.owner, "owner", say("You own the codings of {name}", name=name), "/reports/budgets/"),
        (to.finance, "finance", say("You hold the connection to the ledger, after {name}", name=name), "/ledger/masters/"), (to.charges, say("charges to"), say("Charges of {name} lie in your tray", name=name), "/tray/"),
    ):  # fmt: skip
        if heir is not None:
            tell(heir, words, link)
            said[what] = heir.person.name
    return said


def _account_for(loose: QuerySet[Charge], heir: Membership) -> int:
    """Give charges, and the costs and papers that were made of them, to somebody who accounts for them. Inside the caller's transaction."""
    keys, costs = list(loose.values_list("pk", flat=True)), list(loose.values_list("expense", flat=True))
    Expense.objects.filter(pk__in=costs).update(owner=heir)
    Receipt.objects.filter(expense__in=costs).update(owner=heir)
    return Charge.objects.filter(pk__in=keys).update(owner=heir)


def _end_access(who: Membership) -> None:
    """No access from now on: in this firm, and to anything where it was the last. Inside the caller's transaction."""
    who.active = False
    who.save(update_fields=["active"])
    if not who.person.memberships.filter(active=True).exists():
        who.person.is_active = False
        if not who.person.has_usable_password():
            # An invitation that was not taken up opens nothing any more.
            who.person.set_unusable_password()
        who.person.save(update_fields=["is_active", "password"])
        for session in UserSession.objects.filter(user=who.person):
            session.end()


def _call_off(by: Membership, who: Membership, trip_id: int) -> str:
    """Call a trip off that somebody who left will not make; return why it could not be, in words."""
    acting = _acting(by, who)
    try:
        if Trip.objects.filter(pk=trip_id, state="Awaiting sign-off").exists():
            road.take_back(acting, trip_id)
        road.call_off(acting, trip_id)
    except Refusal as refusal:
        return refusal.message
    return ""


@transaction.atomic
def bring_back(by: Membership, who_id: int, manager_id: int = 0) -> Membership:
    """Bring a retired person back, with the roles they had; cards stay closed, what was handed over stays there.

    Raises ``NotAllowed``, ``Stale``; ``Refusal`` where nobody could sign for them.
    """
    must(by, "people")
    who = _member(by.firm_id, who_id)
    if who.active:
        raise Stale(say("{who} is here.", who=who.person.name))
    manager = (
        Membership.objects.filter(pk=manager_id or who.manager_id or 0, firm_id=by.firm_id, active=True)
        .exclude(pk=who.pk)
        .first()
    )
    if manager is None and who.traveller and not who.signs_own:
        raise Refusal(
            say("Say to whom {who} reports: the manager of before is not here any more.", who=who.person.name),
            "manager",
        )
    if manager is not None:
        no_circle(who, manager)
    _let_in(who, manager)
    record(
        by,
        say("brought a person back"),
        f"member:{who.pk}",
        after={"roles": who.roles, "manager": manager.person.name if manager else ""},
    )
    tell(
        who,
        say("{by} brought you back to {who}", by=by.person.name, who=who.firm.name),
        "/profile/",
        say("You are: {list}.", list=joined(", ", who.roles)),
    )
    return who
