"""What each coding of a plan bears, with owners and budgets."""

from __future__ import annotations

from wainwright.signoff.summaries import ByCoding, by_coding
from wainwright.trips.selectors import TripFile


def plan_by_coding(file: TripFile) -> list[ByCoding]:
    """Return a row for each coding of a plan, the most first. Two queries."""
    borne = {coding: (amount, 0) for coding, amount in file.borne}
    return by_coding(file.trip.firm, file.books, borne, file.budgets, file.trip.coding)
