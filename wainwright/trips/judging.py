"""What the rules say of a room before it is held."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from wainwright import clock
from wainwright.bookings.choices import Choice
from wainwright.core.allowance import NoRate, allowed_night
from wainwright.core.journey import Night as CoreNight
from wainwright.core.journey import Place
from wainwright.core.rules import run
from wainwright.rulebook.selectors import Explained, exchange_of
from wainwright.trips.facts import plan_subject
from wainwright.trips.figures import quarters_in
from wainwright.trips.selectors import TripFile


def findings_on_stay(file: TripFile, choice: Choice) -> list[Explained]:
    """Return what the rules say of the nights of a room, as if they were on the plan."""
    stay, trip, book = choice.stay, file.trip, file.book
    if stay is None:
        return []
    rows = {night.date: night for night in file.nights}
    table = exchange_of(book, stay.first, stay.first + timedelta(days=stay.nights))
    nights, keys = [], {}
    supplied = quarters_in(book, stay.place.town, stay.place.country)
    for n in range(stay.nights):
        day = stay.first + timedelta(days=n)
        row = rows.get(day)
        place = Place(**row.place) if row else stay.place
        try:
            nights.append(
                allowed_night(
                    CoreNight(day, place, stay.name[:80], stay.supplied, row.lodging if row else ""), stay.a_night + stay.city_tax, book.schemes, book.rates,
                    lifted=bool(row and row.lifted), table=table,
                )
            )  # fmt: skip
        except NoRate:
            return []
        if supplied is not None and not stay.supplied and not (row and row.full):
            keys[f"night:{day.isoformat()}"] = supplied["name"]
    subject = plan_subject(trip, trip.firm, book, file.figures, clock.today(trip.firm.zone), None)
    subject = replace(subject, items=(), nights=tuple(nights), quarters=keys)
    found = [f for f in run(subject, book.rules_for(trip.traveller)) if f.target.startswith("night:")]
    return [Explained(f, file.reasons.get(f.identity)) for f in found]
