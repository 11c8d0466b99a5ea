"""Asking the table of roles for a person; see ``core.roles``."""

from __future__ import annotations

from wainwright.core.roles import ACTS
from wainwright.errors import NotAllowed
from wainwright.people.models import Membership


def must(member: Membership, key: str) -> None:
    """Raise ``NotAllowed`` unless one of a person's roles opens an act, with what the table says of it."""
    if not member.may[key]:
        raise NotAllowed(ACTS[key].refusal)
