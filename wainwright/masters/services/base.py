"""Who keeps masters."""

from __future__ import annotations

from wainwright.errors import NotAllowed
from wainwright.people.models import Membership


def must_be_finance(member: Membership) -> None:
    """Raise ``NotAllowed`` for anybody but finance."""
    if not member.finance:
        raise NotAllowed("Only finance keeps the ledger's masters.")
