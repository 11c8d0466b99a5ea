"""What must be two people, and how people prove who they are: the firm's own words for it, set by its administrators."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import date

from django.db import transaction

from wainwright import clock
from wainwright.core.money import Money
from wainwright.core.roles import ROLES
from wainwright.core.said import say
from wainwright.core.workings import day_text
from wainwright.errors import Refusal
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version
from wainwright.people.second_factor import has_second_factor, without_second_factor
from wainwright.rulebook import ahead
from wainwright.rulebook.models import Policy
from wainwright.trail.services import record


@dataclass(frozen=True)
class Safeguards:
    """Above which sum somebody else pays than who cleared; which roles need a second factor; how one certifies.

    A pay run above ``release_above`` is released by a second person. Of claims up to a risk of ``harmless_to`` finance looks at ``look_share`` per cent, and always ``look_above`` an amount. Days
    are those to decide, between reminders (0: none), and late until it goes on to the next above (0: never).
    """

    second_payer: Money | None
    factor_roles: tuple[str, ...]
    certify_by: str
    look_share: int = 100
    look_above: Money | None = None
    harmless_to: int = 0
    decide_days: int = 5
    remind_days: int = 2
    goes_on_days: int = 5
    release_above: Money | None = None
    factor_from: date | None = None
    factor_grace: int = 0


# What of them stands in the policy, and how what has a day of its own is called.
FIELDS = (
    "second_payer_minor", "release_above_minor", "look_above_minor", "certify_by", "look_share", "harmless_to", "decide_days", "remind_days", "goes_on_days",
)  # fmt: skip
FACTOR = ("second factor", "second factor from", "days of grace")


def subject(firm_id: int) -> str:
    """Return the name of the safeguards in the trail."""
    return f"firm:{firm_id}"


def safeguards_of(firm: Firm) -> Safeguards:
    """Return a firm's safeguards. One query."""
    policy = Policy.objects.get(firm=firm)

    def money(minor: int | None) -> Money | None:
        return None if minor is None else Money.from_minor(minor, firm.currency)

    return Safeguards(
        money(policy.second_payer_minor), tuple(firm.factor_roles), policy.certify_by, policy.look_share,
        money(policy.look_above_minor), policy.harmless_to, policy.decide_days, policy.remind_days, policy.goes_on_days,
        money(policy.release_above_minor), firm.factor_from, firm.factor_grace,
    )  # fmt: skip


def check_safeguards(member: Membership, wanted: Safeguards) -> list[str]:
    """Look at safeguards that somebody would set; return the roles that need a second factor. Raises ``NotAllowed``, ``Refusal``."""
    must(member, "safeguards")
    if wanted.second_payer is not None and wanted.second_payer.minor < 0:
        raise Refusal(say("An amount below zero means nothing here. Leave it empty for: never."), "second_payer")
    if wanted.release_above is not None and wanted.release_above.minor < 0:
        raise Refusal(say("An amount below zero means nothing here. Leave it empty for: never."), "release_above")
    roles = [role for role in ROLES if role in wanted.factor_roles]
    today = clock.today(member.firm.zone)
    at_once = not wanted.factor_grace and (wanted.factor_from is None or wanted.factor_from <= today)
    if at_once and not set(roles).isdisjoint(member.roles) and not has_second_factor(member.person):
        raise Refusal(
            say("You hold such a role yourself: set up your own authenticator first, or you lock yourself out."),
            "roles",
        )
    if wanted.certify_by not in ("name", "code"):
        raise Refusal(say("Say how a trip is certified."), "certify_by")
    if wanted.look_above is not None and wanted.look_above.minor < 0:
        raise Refusal(say("An amount below zero means nothing here. Leave it empty for: no such amount."), "look_above")
    for name, least, most in (
        ("look_share", 0, 100), ("harmless_to", 0, 100), ("decide_days", 1, 60), ("remind_days", 0, 30), ("goes_on_days", 0, 60), ("factor_grace", 0, 90),
    ):  # fmt: skip
        if not least <= getattr(wanted, name) <= most:
            raise Refusal(say("Between {least} and {most}, please.", least=least, most=most), name)
    return roles


@transaction.atomic
def set_safeguards(member: Membership, wanted: Safeguards, since: date | None = None) -> None:
    """Set a firm's safeguards. Only its administrators. From a later day, what is otherwise is kept until then; who needs a
    second factor has a day of its own and is set at once. Raises ``NotAllowed``, ``Refusal``.
    """
    roles = check_safeguards(member, wanted)
    firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
    before = safeguards_of(firm)
    later = ahead.begins_later(firm, since)
    factor_too = _ask_factor(firm, roles, wanted)
    policy = Policy.objects.select_for_update(no_key=True).get(firm=firm)
    policy.second_payer_minor = None if wanted.second_payer is None else wanted.second_payer.minor
    policy.release_above_minor = None if wanted.release_above is None else wanted.release_above.minor
    policy.look_above_minor = None if wanted.look_above is None else wanted.look_above.minor
    policy.certify_by, policy.look_share, policy.harmless_to = wanted.certify_by, wanted.look_share, wanted.harmless_to
    policy.decide_days, policy.remind_days = wanted.decide_days, wanted.remind_days
    policy.goes_on_days = wanted.goes_on_days
    after = _text(wanted)
    if later and since is not None:
        said = {name: [f"{was}", f"{after[name]}"] for name, was in _text(before).items() if was != after[name]}
        factor = {name: said.pop(name) for name in FACTOR if name in said}
        if factor:
            record(
                member,
                say("set the safeguards"),
                subject(firm.pk),
                before={n: b for n, (b, _) in factor.items()},
                after={n: a for n, (_, a) in factor.items()},
            )
        if said or not factor_too:
            ahead.keep(member, firm, since, subject(firm.pk), Policy.objects.get(firm=firm), policy, FIELDS, said)
        return
    if wanted.look_share < 100 and (wanted.look_share != before.look_share or not policy.look_seed):
        # A new seed for a new share: nobody who sets it can know what it will draw.
        policy.look_seed = secrets.token_hex(16)
        after["its seed, as a fingerprint"] = hashlib.sha256(policy.look_seed.encode()).hexdigest()
    policy.save()
    record(member, say("set the safeguards"), subject(firm.pk), before=_text(before), after=after)


def _ask_factor(firm: Firm, roles: list[str], wanted: Safeguards) -> bool:
    """Keep who needs a second factor, from when, and say whether that is new; whoever it concerns and has none is told.

    Inside the caller's transaction.
    """
    same = (firm.factor_roles, firm.factor_from, firm.factor_grace) == (roles, wanted.factor_from, wanted.factor_grace)
    firm.factor_roles, firm.factor_from, firm.factor_grace = roles, wanted.factor_from, wanted.factor_grace
    firm.rules_version = new_version()
    firm.save(update_fields=["factor_roles", "factor_from", "factor_grace", "rules_version"])
    if same:
        return False
    # The days of grace begin anew with what is asked anew.
    members = Membership.objects.filter(firm=firm, active=True)
    members.update(factor_due=None)
    if not roles:
        return True
    since = (
        say("from {factor_from}", factor_from=day_text(wanted.factor_from, year=True))
        if wanted.factor_from
        else say("from now on")
    )
    grace = (
        say(" Each has {factor_grace} days from their first sign-in then.", factor_grace=wanted.factor_grace)
        if wanted.factor_grace
        else ""
    )
    words = say("{firm} asks a second factor of you {since}", firm=firm.name, since=since)
    for member in without_second_factor(members.select_related("person", "firm")):
        if member.needs_factor:
            tell(member, words, "/accounts/2fa/", say("Set up an authenticator on your phone.{grace}", grace=grace))
    return True


def _text(safeguards: Safeguards) -> dict[str, object]:
    most = safeguards.second_payer
    return {
        "another pays above": str(most) if most is not None else "never",
        "a second person releases above": str(safeguards.release_above) if safeguards.release_above is not None else "never", "second factor": list(safeguards.factor_roles),
        "second factor from": str(safeguards.factor_from) if safeguards.factor_from else say("at once"), "days of grace": safeguards.factor_grace,
        "certified by": safeguards.certify_by, "finance looks at": say("{look_share} % up to a risk of {harmless_to}", look_share=safeguards.look_share, harmless_to=safeguards.harmless_to),
        "and always above": str(safeguards.look_above) if safeguards.look_above is not None else say("no amount"),
        "days": say("{decide_days} to decide, reminded every {remind_days}, on after {goes_on_days}", decide_days=safeguards.decide_days, remind_days=safeguards.remind_days, goes_on_days=safeguards.goes_on_days),
    }  # fmt: skip
