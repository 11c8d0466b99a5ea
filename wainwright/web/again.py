"""Two acts that stand in each other's way: the database undoes one of them whole, and it is done once more.

On PostgreSQL two acts may each wait for what the other holds, or count the same number. On SQLite one writes at a time.
"""

from __future__ import annotations

from django.db import IntegrityError, OperationalError

TRIES = 3
# SQLSTATE: serialization failure, deadlock detected, lock not available.
_WAITED = frozenset({"40001", "40P01", "55P03"})
_DOUBLE = "23505"


def in_the_way(error: BaseException) -> bool:
    """Say whether an act was undone because of another at the same moment, so that it may be tried again as it was."""
    state = getattr(error.__cause__, "sqlstate", None)
    if isinstance(error, OperationalError):
        return state in _WAITED
    # A number counted twice; what must not happen twice is looked for before, and is found by the second try.
    return isinstance(error, IntegrityError) and state == _DOUBLE
