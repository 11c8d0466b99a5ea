"""Whether a journey is where something waits when it begins: in time, and not gone before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True, slots=True)
class Moved:
    """One move between towns, in moments of the world's clock."""

    origin: str
    target: str
    leaves: datetime
    arrives: datetime


@dataclass(frozen=True, slots=True)
class Missed:
    """How something is missed: ``how`` is "late", "never" or "gone"; ``by`` is the move that comes late or leads away."""

    how: str
    where: str
    by: int | None = None
    under_way: bool = False


def missed(moves: Sequence[Moved], town: str, at: datetime) -> Missed | None:
    """Return how what begins in ``town`` at a moment is missed by moves in their order; nothing where one is there."""
    if not moves:
        return None
    wanted = town.casefold()
    done = [n for n, move in enumerate(moves) if move.arrives <= at]
    going = next((n for n, move in enumerate(moves) if move.leaves < at < move.arrives), None)
    where = moves[done[-1]].target if done else moves[0].origin
    if going is None and where.casefold() == wanted:
        return None
    first = next((n for n, move in enumerate(moves) if move.target.casefold() == wanted), None)
    if first is not None and moves[first].arrives > at:
        return Missed("late", where, first)
    if first is None:
        return Missed("never", where)
    return Missed("gone", moves[going].target if going is not None else where, going, going is not None)
