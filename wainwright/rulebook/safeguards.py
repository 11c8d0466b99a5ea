"""What must be two people, and how people prove who they are: the firm's own words for it, set by its administrators."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass

from django.db import transaction

from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal
from wainwright.people.models import ROLES, Firm, Membership, new_version
from wainwright.people.second_factor import has_authenticator
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


def safeguards_of(firm: Firm) -> Safeguards:
    """Return a firm's safeguards. One query."""
    policy = Policy.objects.get(firm=firm)

    def money(minor: int | None) -> Money | None:
        return None if minor is None else Money.from_minor(minor, firm.currency)

    return Safeguards(
        money(policy.second_payer_minor), tuple(firm.factor_roles), policy.certify_by, policy.look_share,
        money(policy.look_above_minor), policy.harmless_to, policy.decide_days, policy.remind_days, policy.goes_on_days,
        money(policy.release_above_minor),
    )  # fmt: skip


@transaction.atomic
def set_safeguards(member: Membership, wanted: Safeguards) -> None:
    """Set a firm's safeguards. Only its administrators. Raises ``NotAllowed``, ``Refusal``."""
    if not member.administrator:
        raise NotAllowed("Only an administrator sets the safeguards of the firm.")
    if wanted.second_payer is not None and wanted.second_payer.minor < 0:
        raise Refusal("An amount below zero means nothing here. Leave it empty for: never.", "second_payer")
    if wanted.release_above is not None and wanted.release_above.minor < 0:
        raise Refusal("An amount below zero means nothing here. Leave it empty for: never.", "release_above")
    roles = [role for role in ROLES if role in wanted.factor_roles]
    if not set(roles).isdisjoint(member.roles) and not has_authenticator(member.person):
        raise Refusal(
            "You hold such a role yourself: set up your own authenticator first, or you lock yourself out.", "roles"
        )
    if wanted.certify_by not in ("name", "code"):
        raise Refusal("Say how a trip is certified.", "certify_by")
    if wanted.look_above is not None and wanted.look_above.minor < 0:
        raise Refusal("An amount below zero means nothing here. Leave it empty for: no such amount.", "look_above")
    for name, least, most in (
        ("look_share", 0, 100), ("harmless_to", 0, 100), ("decide_days", 1, 60), ("remind_days", 0, 30), ("goes_on_days", 0, 60),
    ):  # fmt: skip
        if not least <= getattr(wanted, name) <= most:
            raise Refusal(f"Between {least} and {most}, please.", name)
    firm = Firm.objects.select_for_update().get(pk=member.firm_id)
    before = safeguards_of(firm)
    firm.factor_roles, firm.rules_version = roles, new_version()
    firm.save(update_fields=["factor_roles", "rules_version"])
    policy = Policy.objects.select_for_update().get(firm=firm)
    policy.second_payer_minor = None if wanted.second_payer is None else wanted.second_payer.minor
    policy.release_above_minor = None if wanted.release_above is None else wanted.release_above.minor
    policy.look_above_minor = None if wanted.look_above is None else wanted.look_above.minor
    policy.certify_by, policy.look_share, policy.harmless_to = wanted.certify_by, wanted.look_share, wanted.harmless_to
    policy.decide_days, policy.remind_days = wanted.decide_days, wanted.remind_days
    policy.goes_on_days = wanted.goes_on_days
    after = _text(wanted)
    if wanted.look_share < 100 and (wanted.look_share != before.look_share or not policy.look_seed):
        # A new seed for a new share: nobody who sets it can know what it will draw.
        policy.look_seed = secrets.token_hex(16)
        after["its seed, as a fingerprint"] = hashlib.sha256(policy.look_seed.encode()).hexdigest()
    policy.save()
    record(member, "set the safeguards", f"firm:{firm.pk}", before=_text(before), after=after)


def _text(safeguards: Safeguards) -> dict[str, object]:
    most = safeguards.second_payer
    return {
        "another pays above": str(most) if most is not None else "never",
        "a second person releases above": str(safeguards.release_above) if safeguards.release_above is not None else "never", "second factor": list(safeguards.factor_roles),
        "certified by": safeguards.certify_by, "finance looks at": f"{safeguards.look_share} % up to a risk of {safeguards.harmless_to}",
        "and always above": str(safeguards.look_above) if safeguards.look_above is not None else "no amount",
        "days": f"{safeguards.decide_days} to decide, reminded every {safeguards.remind_days}, on after {safeguards.goes_on_days}",
    }  # fmt: skip
