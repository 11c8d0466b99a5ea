"""What a rule may know of a plan or a claim."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Literal

from wainwright.core.allowance.lodging import NightAllowed
from wainwright.core.money import Money
from wainwright.core.said import say

# The kinds of papers that a trip can rest on, and the fields of a cost that may be asked for.
PAPERS = ("agenda", "invitation", "price comparison", "booking", "other paper")
FIELDS = (
    ("merchant", say("merchant")), ("description", say("what for")), ("guests", say("who was there")), ("reference", say("reference")),
    ("customer", say("customer")), ("country", say("country")),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Item:
    """One planned cost or one expense, in the firm's currency.

    ``cabin`` is the class of a way, ``contract_passed`` says that a contracted fare fitted and was not
    taken. ``ride`` names the two towns of a ride and ``by`` its mode; ``ticket`` is the cheapest other way
    beside a drive of ``one_way_km``.

    ``key`` is stable ("expense:12"). ``shows`` is what its evidence shows. ``planned`` is what the
    authorised plan foresaw for its category, ``cheapest`` the yardstick of a way that was chosen. ``names`` are the
    merchant's other names: as its papers and its charge have it.
    """

    key: str
    label: str
    category: str
    day: date
    amount: Money
    paid_by: Literal["self", "firm", "central"] = "self"
    has_receipt: bool = False
    declared_lost: bool = False
    merchant: str = ""
    filled: frozenset[str] = frozenset()
    nights: tuple[date, ...] = ()
    heads: int = 1
    shows: Money | None = None
    planned: Money | None = None
    cheapest: Money | None = None
    receipts: tuple[str, ...] = ()
    charge: str = ""
    claimed_rate: Decimal | None = None
    table_rate: Decimal | None = None
    rate_stale: bool = False
    tax_odd: bool = False
    needs_evidence: bool = True
    off_trip: bool = False
    cabin: str = ""
    contract_passed: bool = False
    ride: tuple[str, ...] = ()
    by: str = ""
    one_way_km: Decimal | None = None
    ticket: Money | None = None
    names: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Known:
    """A cost recorded elsewhere, to be told apart from the ones at hand.

    ``names`` are the merchant's other names: as its papers and its charge have it.
    """

    key: str
    label: str
    where: str
    merchant: str
    day: date
    amount: Money
    receipts: tuple[str, ...] = ()
    names: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Subject:
    """A plan or a claim as rules see it. ``holidays`` names the public holidays among its days, ``quarters``
    the supplied quarters by the keys of nights spent elsewhere in the same town.
     ``names`` gives the words for category codes."""

    key: str
    kind: Literal["plan", "claim"]
    today: date
    currency: str
    items: tuple[Item, ...] = ()
    nights: tuple[NightAllowed, ...] = ()
    known: tuple[Known, ...] = ()
    starts: date | None = None
    ends: date | None = None
    trip_state: str = ""
    abroad: bool = False
    meals_supplied: bool = False
    due: date | None = None
    papers: frozenset[str] = frozenset()
    card_expires: date | None = None
    advances_out: int = 0
    planned_total: Money | None = None
    holidays: Mapping[date, str] = field(default_factory=dict)
    quarters: Mapping[str, str] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)

    def name(self, category: str) -> str:
        """The category's name in words."""
        return self.names.get(category, category)
