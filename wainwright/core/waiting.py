"""What asks for an act, and in which order: by what it costs to let it wait."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

# What holds others or money up goes before everything else; then what is late; then what is near; then the rest.
HOLDS, LATE, NEAR, CAN_WAIT = 0, 1, 2, 3


@dataclass(frozen=True, slots=True)
class Ask:
    """One thing that asks for an act.

    ``what`` says it, ``detail`` says more; ``count`` of how many it is (0 where it is one), ``amount`` what it comes to in
    the firm's currency, ``since`` from which day it waits; ``link`` leads to where it is done and ``act`` names that;
    ``worked_out_at`` is where an amount is asked for that takes a while.
    """

    what: str
    link: str
    act: str
    level: int = CAN_WAIT
    count: int = 0
    amount: Decimal | None = None
    since: date | None = None
    detail: str = ""
    worked_out_at: str = ""

    def age(self, today: date) -> int:
        """For how many days it waits; below nothing where its day is to come."""
        return (today - self.since).days if self.since is not None else 0

    def cost(self, today: date) -> Decimal:
        """What it costs to wait, for putting in order alone: its amount for each day, at least one of each."""
        return max(abs(self.amount or Decimal(0)), Decimal(1)) * max(self.age(today), 1)


def in_turn(asks: Iterable[Ask], today: date) -> list[Ask]:
    """Put asks in the order of what it costs to wait; what is alike stays in the order in which it came."""
    return sorted(asks, key=lambda ask: (ask.level, -ask.cost(today)))
