"""The desk: what asks for an act of somebody, whatever their roles, in the order of what it costs to wait."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from wainwright.core.waiting import Ask, in_turn
from wainwright.reports.reader import Reader
from wainwright.web.desk.administrator import asks_of_administrator
from wainwright.web.desk.deciding import asks_of_approver, asks_of_owner
from wainwright.web.desk.finance import asks_of_finance
from wainwright.web.desk.traveller import asks_of_traveller

# The act of ``core.roles`` that opens each, or nothing where it is for everybody.
ROLES: tuple[tuple[str, Callable[[Reader], Iterator[Ask]]], ...] = (
    ("travel", asks_of_traveller), ("decide", asks_of_approver), ("", asks_of_owner), ("post", asks_of_finance), ("people", asks_of_administrator),
)  # fmt: skip


def asks(reader: Reader) -> list[Ask]:
    """Return everything that asks for an act of a person. Whoever prepares for them is asked what a traveller is, and nothing else."""
    prepared = reader.member.prepared_by is not None
    found = [
        ask
        for act, of in ROLES
        if (act == "travel" or not prepared) and (not act or reader.member.may[act])
        for ask in of(reader)
    ]
    return in_turn(found, reader.today)
