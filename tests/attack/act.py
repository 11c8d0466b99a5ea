"""One act in a process of its own, to be killed: ``python -m tests.attack.act ACT NUMBER``."""

from __future__ import annotations

import sys

from tests.attack import place
from tests.attack.kills import WHY, _choice, account_of, paper, statement
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.claims.services import road as claims
from wainwright.expenses.services import receipts
from wainwright.reconciling.services import taking
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
    elif act == "send":
        claim = Claim.objects.get(pk=number)
        claims.send(made.maren, number, claim.version, made.maren.person.name)
    elif act == "upload":
        receipts.take_in(made.maren, f"paper-{number}.pdf", paper(number))
    elif act == "reconcile":
        taking.take_statement(made.priya, account_of(made).pk, f"s{number}.csv", statement(made, number))
    else:
        road.issue_tickets.call_local(number)


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
