"""What a trip that was called off still commits of the budgets."""

from __future__ import annotations

from wainwright import clock
from wainwright.accounts.selectors import by_code
from wainwright.accounts.services import use_budgets
from wainwright.accounts.splits import shares_of
from wainwright.core.bearing import Borne, bear
from wainwright.trips.figures import b_key
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file


def commit_lost(trip: Trip) -> None:
    """Commit of a trip that was called off what nobody gives back: lost fares, and what was bought elsewhere."""
    file = load_file(trip.traveller, trip)
    hand = {b_key(b) for b in file.bookings if b.by_hand}
    costs = [
        Borne(e.key, e.category, e.amount) for e in file.figures.estimates if e.key.startswith("lost:") or e.key in hand
    ]
    if costs:
        amounts = by_code(bear(costs, trip.coding, shares_of(trip)))
        year = trip.firm.year_of(trip.starts or clock.today(trip.firm.zone))
        use_budgets(trip.firm, year, trip.subject, amounts, actual=False)
