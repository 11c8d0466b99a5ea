"""One act in a process of its own, to be killed: ``python -m tests.attack.act ACT NUMBER``."""

from __future__ import annotations

import sys

from tests.attack import place
from tests.attack.kills import WHY, _choice
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.trips.services import road
from wainwright.trips.services.ways import hold


def main(act: str, number: int) -> None:
    """Say that it begins, and do it."""
    made = place.meet()
    choice = _choice(made, number) if act == "hold" else None
    print("begins", flush=True)
    if act == "post":
        books.post(made.priya, number, Claim.objects.get(pk=number).version)
    elif act == "pay":
        books.pay(made.priya, [number], made.today)
    elif act == "hold":
        hold(made.maren, number, choice, WHY)
    else:
        road.issue_tickets.call_local(number)


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
