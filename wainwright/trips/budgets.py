"""What an authorised trip commits of the budgets, again whenever its cost changes."""

from __future__ import annotations

from wainwright import clock
from wainwright.accounts.services import use_budgets
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file

COMMITTED = ("Authorised", "Under way")


def recommit(trip: Trip) -> None:
    """Set what an authorised trip commits to what it comes to now. Inside the caller's transaction."""
    if trip.state in COMMITTED:
        file = load_file(trip.traveller, trip)
        use_budgets(trip.firm, (trip.starts or clock.today()).year, trip.subject, file.by_code, actual=False)
