"""What must be two people, and how people prove who they are: the firm's own words for it, set by its administrators."""

from __future__ import annotations

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
    """Above which sum somebody else pays than who cleared; which roles need a second factor; how one certifies."""

    second_payer: Money | None
    factor_roles: tuple[str, ...]
    certify_by: str


def safeguards_of(firm: Firm) -> Safeguards:
    """Return a firm's safeguards. One query."""
    policy = Policy.objects.get(firm=firm)
    most = policy.second_payer_minor
    return Safeguards(
        None if most is None else Money.from_minor(most, firm.currency), tuple(firm.factor_roles), policy.certify_by
    )


@transaction.atomic
def set_safeguards(member: Membership, wanted: Safeguards) -> None:
    """Set a firm's safeguards. Only its administrators. Raises ``NotAllowed``, ``Refusal``."""
    if not member.administrator:
        raise NotAllowed("Only an administrator sets the safeguards of the firm.")
    if wanted.second_payer is not None and wanted.second_payer.minor < 0:
        raise Refusal("An amount below zero means nothing here. Leave it empty for: never.", "second_payer")
    roles = [role for role in ROLES if role in wanted.factor_roles]
    if not set(roles).isdisjoint(member.roles) and not has_authenticator(member.person):
        raise Refusal(
            "You hold such a role yourself: set up your own authenticator first, or you lock yourself out.", "roles"
        )
    if wanted.certify_by not in ("name", "code"):
        raise Refusal("Say how a trip is certified.", "certify_by")
    firm = Firm.objects.select_for_update().get(pk=member.firm_id)
    before = safeguards_of(firm)
    firm.factor_roles, firm.rules_version = roles, new_version()
    firm.save(update_fields=["factor_roles", "rules_version"])
    minor = None if wanted.second_payer is None else wanted.second_payer.minor
    Policy.objects.filter(firm=firm).update(second_payer_minor=minor, certify_by=wanted.certify_by)
    record(member, "set the safeguards", f"firm:{firm.pk}", before=_text(before), after=_text(safeguards_of(firm)))


def _text(safeguards: Safeguards) -> dict[str, object]:
    most = safeguards.second_payer
    return {
        "another pays above": str(most) if most is not None else "never", "second factor": list(safeguards.factor_roles),
        "certified by": safeguards.certify_by,
    }  # fmt: skip
