"""Which planned move a way takes the place of."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from wainwright.trips.models import Leg

# How many days earlier or later a way may go than the move that it is meant for.
REACH = 3


def meant(legs: Sequence[Leg], origin: str, target: str, day: date) -> list[Leg]:
    """Return the moves between two towns for which a way on ``day`` is meant.

    Those of about that day; where there is none, the nearest within three days, since one leaves earlier or later then.
    """
    same = [leg for leg in legs if (leg.origin["town"], leg.target["town"]) == (origin, target)]
    about = [leg for leg in same if abs((leg.leaves.date() - day).days) <= 1]
    if about:
        return about
    around = [leg for leg in same if abs((leg.leaves.date() - day).days) <= REACH]
    return sorted(around, key=lambda leg: abs((leg.leaves.date() - day).days))[:1]
