"""Holding a firm while what it lays down is changed, and letting everybody look its rulebook up anew."""

from __future__ import annotations

from datetime import timedelta

from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version

# So far ahead something may begin, or end.
FARTHEST = timedelta(days=732)


def locked(by: Membership) -> Firm:
    """The firm, held until the act is done, of whoever may lay rules down. Raises ``NotAllowed``."""
    must(by, "rules")
    return Firm.objects.select_for_update().get(pk=by.firm_id)


def renew(firm: Firm) -> None:
    """Let everybody look the rulebook up anew."""
    firm.rules_version = new_version()
    firm.save(update_fields=["rules_version"])
