"""Who keeps masters."""

from __future__ import annotations

from wainwright.people.may import must
from wainwright.people.models import Membership


def must_be_finance(member: Membership) -> None:
    """Raise ``NotAllowed`` for anybody but finance."""
    must(member, "masters")
