"""Reads about trips."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from django.db.models import QuerySet

from wainwright import clock
from wainwright.accounts.selectors import Books, books, budget_effects
from wainwright.bookings.models import Booking
from wainwright.core.budget import BudgetEffect
from wainwright.core.coding import check_coding
from wainwright.core.money import Money
from wainwright.core.routing import Route, work_out_route
from wainwright.core.rules import Cure, Finding, Level, run
from wainwright.people.models import Membership
from wainwright.people.selectors import signers
from wainwright.rulebook.selectors import Explained, Rulebook, rulebook, with_reasons
from wainwright.trips.figures import TripFigures, figures, plan_subject
from wainwright.trips.models import Leg, Night, OtherCost, Trip


@dataclass(frozen=True)
class TripFile:
    """A trip with everything that follows from it."""

    trip: Trip
    book: Rulebook
    books: Books
    legs: list[Leg]
    nights: list[Night]
    others: list[OtherCost]
    bookings: list[Booking]
    figures: TripFigures
    findings: list[Explained]
    route: Route

    @cached_property
    def in_the_way(self) -> int:
        """How many findings still stand in the way."""
        return sum(each.open for each in self.findings)

    @property
    def by_code(self) -> dict[tuple[str, str], Money]:
        """What each coding part of the trip bears."""
        return codes_of(self.trip, self.figures.total)

    @cached_property
    def budgets(self) -> list[BudgetEffect]:
        """The budgets that the trip touches, before and after."""
        year = (self.trip.starts or clock.today()).year
        return budget_effects(self.trip.firm, year, self.by_code, self.trip.subject)

    @property
    def stays(self) -> list[list[Night]]:
        """Nights alike, one after the other, as stays."""
        found: list[list[Night]] = []
        for night in self.nights:
            last = found[-1][-1] if found else None
            alike = last is not None and (last.place["town"], last.name, last.cost_minor, last.supplied, last.paid_by) == (
                night.place["town"], night.name, night.cost_minor, night.supplied, night.paid_by
            )  # fmt: skip
            if alike:
                found[-1].append(night)
            else:
                found.append([night])
        return found


def codes_of(trip: Trip, amount: Money) -> dict[tuple[str, str], Money]:
    """Return what each coding part bears of a plan that has one coding."""
    return dict.fromkeys(trip.coding.parts().items(), amount)


def load_file(member: Membership, trip: Trip) -> TripFile:
    """Load a trip's file: eight queries, whatever its length. The caller has checked who may see it."""
    book, ledger = rulebook(trip.firm), books(trip.firm)
    legs, nights, others = list(trip.legs.all()), list(trip.nights.all()), list(trip.others.all())
    bookings = list(trip.bookings.all())
    done = figures(trip, book, legs, nights, others, bookings)
    today = clock.today(trip.firm.zone)
    card = trip.traveller.cards.order_by("-firm_pays", "id").first() if trip.editable else None
    subject = plan_subject(trip, trip.firm, book, done, today, card.expires if card else None)
    people = signers(trip.firm_id, today)
    route = work_out_route(str(trip.traveller_id), done.total, codes_of(trip, done.total), people, ledger.owned)
    found = run(subject, book.settings) if trip.editable or trip.state == "Awaiting sign-off" else []
    found = [*_own_findings(trip, done, route, ledger), *found] if trip.editable else found
    return TripFile(trip, book, ledger, legs, nights, others, bookings, done, with_reasons(trip.subject, found), route)


def _own_findings(trip: Trip, done: TripFigures, route: Route, ledger: Books) -> list[Finding]:
    """Stops that are no rule of the firm's but stand in the way all the same: no legs, no rate, no route, bad coding."""

    def stop(code: str, text: str, cure: str, target: str) -> Finding:
        return Finding(f"{code}@{trip.subject}", code, Level.STOP, text, "", Cure(cure, target), target)

    found = []
    if not done.journey.legs:
        found.append(stop("no-legs", "The trip has no legs yet.", "Say where you go", "legs"))
    if done.fault:
        found.append(stop("no-rate", done.fault, "Look at the legs", "legs"))
    if trip.starts:
        found += [
            stop(f"coding-{f.code}", f.text, "Change the coding", "head")
            for f in check_coding(trip.coding, ledger.codes, trip.starts)
        ]
    found += [stop("route", fault, "See the route", "route") for fault in route.faults]
    return found


def trips_of(member: Membership) -> QuerySet[Trip]:
    """Return a person's own trips, the latest first."""
    return Trip.objects.filter(traveller=member).select_related("traveller__person").order_by("-starts", "-id")


def trip_for(member: Membership, trip_id: int) -> Trip:
    """Return a trip that ``member`` may see. Raises ``Trip.DoesNotExist``."""
    return (
        Trip.objects.visible_to(member).select_related("firm", "traveller__person", "traveller__firm").get(pk=trip_id)
    )
