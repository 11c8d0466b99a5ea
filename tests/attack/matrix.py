"""Every address × everybody × the ways of asking × whose thing: nobody reads or changes what is not theirs, nothing breaks."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import dataclass, field
from itertools import groupby

from django.test import Client

from tests.attack.place import Made
from tests.attack.things import Address, addresses, digest, things_of

WAYS = ("get", "post", "put", "delete")
# Who has nothing to do with Maren's things: a colleague, people of the other firm, somebody who is not signed in.
OUTSIDERS = ("aiko", "liv", "torvald", "nobody")
EVERYBODY = ("maren", "tobias", "ottilie", "priya", "callum", "benedikt", *OUTSIDERS)
# Whose number stands in the address.
WHOSE = ("maren", "nothing", "huge")
BROKEN, FOUND = 500, 200
# Addresses that everybody may open, whatever number stands in them, as they show or do what is one's own.
FREE = {"up", "subscribed", "switch-firm", "codes", "codes-of", "places"}
# The demo's own door and clock do not exist outside the demo.
NOT_ASKED = {"demo-sign-in", "move-clock", "stand-ins", "account_logout"}


@dataclass
class Outcome:
    """How many cells were tried, and what was found."""

    tried: int = 0
    faults: list[str] = field(default_factory=list)
    statuses: Counter = field(default_factory=Counter)


def clients(made: Made) -> dict[str, Client]:
    """Everybody, signed in."""
    found = {}
    for who in EVERYBODY:
        found[who] = Client(raise_request_exception=False)
        if who != "nobody":
            found[who].force_login(getattr(made, who).person)
            session = found[who].session
            session["firm"] = getattr(made, who).firm_id
            session.save()
    return found


def attack(made: Made, seed: int, most: int) -> Outcome:
    """Try up to ``most`` cells, drawn by ``seed`` where there are more."""
    outcome, who_is = Outcome(), clients(made)
    values = {"maren": things_of(made.maren)}
    values["nothing"] = {name: 0 if isinstance(value, int) else value for name, value in values["maren"].items()}
    values["huge"] = {name: 10**19 if isinstance(value, int) else value for name, value in values["maren"].items()}
    cells = [
        (address, whose, way, who)
        for address in addresses()
        if address.name not in NOT_ASKED
        for whose in (WHOSE if address.wants else WHOSE[:1])
        for way in WAYS
        for who in EVERYBODY
    ]
    if most < len(cells):
        cells = sorted(random.Random(seed).sample(cells, most), key=lambda cell: cells.index(cell))
    # First whoever may do nothing to them, so that what is compared is what was there.
    outside = [cell for cell in cells if _outside(cell[0], cell)]
    before = digest()
    for address, row in groupby(outside, key=lambda cell: cell[0]):
        for cell in row:
            _ask(cell, who_is, values, outcome)
        after = digest()
        if after != before:
            outcome.faults.append(f"{address.name}: somebody changed what is not theirs")
        before = after
    for cell in cells:
        if not _outside(cell[0], cell):
            _ask(cell, who_is, values, outcome)
    return outcome


def _outside(address: Address, cell) -> bool:
    """Whether a cell is somebody asking for a thing of Maren's who has nothing to do with it, or an auditor who acts."""
    _, whose, way, who = cell
    return (
        whose == "maren"
        and bool(address.wants)
        and address.name not in FREE
        and (who in OUTSIDERS or (who == "benedikt" and way != "get"))
    )


def _ask(cell, who_is: dict[str, Client], values, outcome: Outcome) -> None:
    address, whose, way, who = cell
    path = address.pattern % values[whose]
    data = (
        {"version": "1", "comment": "mine now", "name": "Maren Oyelaran", "text": "x", "to": "1"}
        if way == "post"
        else None
    )
    response = getattr(who_is[who], way)(path, data) if data else getattr(who_is[who], way)(path)
    for closer in response._resource_closers if response.streaming else ():
        closer()
    outcome.tried += 1
    outcome.statuses[response.status_code] += 1
    where = f"{way} {path} by {who}"
    if response.status_code >= BROKEN:
        outcome.faults.append(f"{where}: {response.status_code}")
    elif response.status_code == FOUND and _outside(address, cell) and who in OUTSIDERS and not _says_nothing(address):
        outcome.faults.append(f"{where}: opened")
    elif (
        who == "nobody"
        and response.status_code == FOUND
        and not address.pattern.startswith("/accounts/")
        and address.name not in FREE
    ):
        outcome.faults.append(f"{where}: opened without signing in")


def _says_nothing(address: Address) -> bool:
    """Addresses of the sign-in package with a number of their own, which open for whoever holds the key in a mail."""
    return address.pattern.startswith("/accounts/")
