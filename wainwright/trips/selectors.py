"""Reads about trips."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import cached_property

from django.db.models import QuerySet, Sum

from wainwright import clock
from wainwright.accounts.models import Payment
from wainwright.accounts.selectors import Books, books, budget_effects, by_code
from wainwright.bookings.models import Booking
from wainwright.core.advance import advance_standing
from wainwright.core.bearing import Borne, bear
from wainwright.core.budget import BudgetEffect
from wainwright.core.coding import Coding
from wainwright.core.journey import Mode
from wainwright.core.money import Money
from wainwright.core.permissions import Permission, permissions
from wainwright.core.routing import Route, work_out_route
from wainwright.core.rules import Item, run
from wainwright.core.splits import SplitPart
from wainwright.people.models import Membership
from wainwright.people.selectors import signers
from wainwright.rulebook.models import Explanation
from wainwright.rulebook.selectors import Explained, Rulebook, mileage_year_of, rulebook
from wainwright.trips import driving
from wainwright.trips.facts import causes, plan_subject
from wainwright.trips.figures import TripFigures, figures
from wainwright.trips.frozen import Frozen, thaw
from wainwright.trips.models import Leg, Night, OtherCost, Paper, Trip
from wainwright.trips.own_findings import Seen, own_findings

ALLOWANCE = "allowance"
# The large columns of a signed version, which few pages read.
WHOLE = ("signed__frozen", "signed__lines")


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
    papers: list[Paper]
    figures: TripFigures
    findings: list[Explained]
    permissions: list[Permission]
    route: Route
    outstanding: Money
    reasons: dict[str, Explanation] = field(default_factory=dict)
    signed: Frozen | None = None

    @cached_property
    def in_the_way(self) -> int:
        """How many findings still stand in the way."""
        return sum(each.open for each in self.findings)

    @property
    def categories(self) -> list[tuple[str, Money]]:
        """What is expected by category, under the names of the day on which it was certified."""
        return list(self.signed.categories) if self.signed else self.figures.by_category(self.book.names)

    @cached_property
    def borne(self) -> list[tuple[Coding, Money]]:
        """What each coding bears."""
        return borne_by(self.trip, self.figures)

    @property
    def by_code(self) -> dict[tuple[str, str], Money]:
        """What each coding part of the trip bears."""
        return by_code(self.borne)

    @cached_property
    def budgets(self) -> list[BudgetEffect]:
        """The budgets that the trip touches, before and after."""
        year = (self.trip.starts or clock.today(self.trip.firm.zone)).year
        return budget_effects(self.trip.firm, year, self.by_code, self.trip.subject)

    @property
    def live(self) -> list[Booking]:
        """The bookings that stand or are being asked for."""
        return [b for b in self.bookings if b.stands or b.state == "Asked"]

    def comment_on(self, permission: Permission) -> str:
        """What was said for a permission: its own comment, or the reason given to the same cause."""
        own = self.reasons.get(permission_identity(permission, self.trip))
        if own is not None:
            return own.words
        about = {cause.about for cause in permission.causes}
        return next((r.words for i, r in self.reasons.items() if i.partition("@")[2] in about), "")

    @property
    def stays(self) -> list[list[Night]]:
        """Nights alike, one after the other, as stays."""
        found: list[list[Night]] = []
        for night in self.nights:
            last = found[-1][-1] if found else None
            if last is not None and _alike(last) == _alike(night):
                found[-1].append(night)
            else:
                found.append([night])
        return found


def _alike(night: Night) -> tuple:
    return (
        night.place["town"], night.name, night.cost_minor, night.supplied, night.paid_by, night.lifted, bool(night.full),
        night.booking_id,
    )  # fmt: skip


def permission_identity(permission: Permission, trip: Trip) -> str:
    """The identity under which a comment on a permission is kept."""
    return f"permission-{permission.code}@{trip.subject}"


def shares_of(trip: Trip) -> dict[str, list[SplitPart]]:
    """Return the splits of a plan, by what they are about."""
    return {
        row["about"]: [
            SplitPart(Coding.of(part["codes"]), Decimal(part["share"])) for part in row["parts"]
        ]
        for row in trip.shares
    }  # fmt: skip


def borne_by(trip: Trip, done: TripFigures) -> list[tuple[Coding, Money]]:
    """Share the cost of a plan out over its codings; the amounts add up to its total."""
    costs = [Borne(e.key, e.category, e.amount) for e in done.estimates]
    costs.append(Borne(ALLOWANCE, ALLOWANCE, done.allowance.amount))
    return bear([c for c in costs if c.amount.minor], trip.coding, shares_of(trip))


def outstanding_advances(traveller: Membership, besides: Trip, currency: str) -> Money:
    """Return the advances of a person's other trips that were paid and not yet set against a claim."""
    rows = Trip.objects.filter(traveller=traveller, advance_paid=True, advance_settled=False)
    return Money.from_minor(rows.exclude(pk=besides.pk).aggregate(s=Sum("advance_minor", default=0))["s"], currency)


def advance_with_bank(trip: Trip) -> bool:
    """Say whether the payment of a trip's advance is with the bank and not answered yet. One query at most."""
    if not trip.advance_minor or trip.advance_paid:
        return False
    return Payment.objects.filter(subject=trip.advance_subject, state__in=Payment.OPEN).exists()


def advance_words(trip: Trip | None) -> str:
    """Say how the advance of a trip stands, the same on its page and its claim's; nothing where none was asked for."""
    if trip is None or not trip.advance_minor:
        return ""
    claim = getattr(trip, "claim", None)
    set_off = claim is not None and claim.statement is not None and claim.statement.advance_minor > 0
    code, state = (claim.code, claim.state) if claim is not None else ("", "")
    return advance_standing(trip.advance_paid, advance_with_bank(trip), code, state, set_off)


def load_file(member: Membership, trip: Trip, more: Sequence[Item] = ()) -> TripFile:
    """Load a trip's file: six queries, eight while it is planned, whatever its length. The caller has checked who may see it.

    While it is being signed off, figures, findings and permissions are those that were certified.
    ``more`` are items to be judged with the plan though they are not on it yet.
    """
    book, ledger = rulebook(trip.firm), books(trip.firm)
    signed = trip.signed if trip.state == "Awaiting sign-off" and not more else None
    plan = thaw(signed.frozen) if signed else None
    legs, nights, others = list(trip.legs.all()), list(trip.nights.all()), list(trip.others.all())
    bookings, papers = list(trip.bookings.all()), list(trip.papers.all())
    reasons = {row.identity: row for row in Explanation.objects.filter(subject=trip.subject)}
    if plan is not None:
        found_then = [Explained(each.finding, each if each.words else None) for each in plan.findings]  # type: ignore[arg-type]
        asked_for = [each.permission for each in plan.permissions]
        return TripFile(
            trip, book, ledger, legs, nights, others, bookings, papers, plan.figures, found_then, asked_for, Route(()),
            Money.zero(trip.currency), reasons, plan,
        )  # fmt: skip
    today = clock.today(trip.firm.zone)
    # Once it is sent, who signs and what was advanced are kept elsewhere, as they were.
    out = outstanding_advances(trip.traveller, trip, trip.currency) if trip.editable else Money.zero(trip.currency)
    year = mileage_year_of(trip.firm, trip.starts or today)
    driven = {
        vehicle: driving.so_far(trip.traveller_id, *year, vehicle)
        for vehicle in {leg.vehicle for leg in legs if leg.mode == Mode.OWN_CAR}
    }
    done = figures(trip, book, legs, nights, others, bookings, frozenset(reasons), driven, out)
    amounts = by_code(borne_by(trip, done))
    if book.policy.trip_signoff and trip.editable:
        people = signers(trip.firm_id, today)
        route = work_out_route(str(trip.traveller_id), done.total, amounts, people, ledger.owned)
    else:
        route = Route(())
    called_for = permissions(causes(legs, nights, bookings, done, book))
    expires = trip.profile.get("card_expires")
    subject = plan_subject(
        trip, trip.firm, book, done, today, date.fromisoformat(expires) if expires else None,
        frozenset(p.kind for p in papers), int(out.minor > 0) + int(trip.advance_minor > 0), more, nights,
    )  # fmt: skip
    judged = trip.editable or trip.state == "Awaiting sign-off"
    found = run(subject, book.settings) if judged or more else []
    if trip.editable:
        seen = Seen(trip, book, ledger, legs, nights, bookings, papers, done, route, called_for, reasons)
        found = [*own_findings(seen), *found]
    explained = [Explained(finding, reasons.get(finding.identity)) for finding in found]
    return TripFile(
        trip, book, ledger, legs, nights, others, bookings, papers, done, explained, called_for, route, out, reasons
    )


def trips_of(member: Membership) -> QuerySet[Trip]:
    """Return a person's own trips, the latest first."""
    return (
        Trip.objects.filter(traveller=member)
        .select_related("traveller__person", "claim", "signed")
        .order_by("-starts", "-id")
    )


def trip_for(member: Membership, trip_id: int) -> Trip:
    """Return a trip that ``member`` may see. Raises ``Trip.DoesNotExist``."""
    return (
        Trip.objects.visible_to(member)
        .select_related("firm", "traveller__person", "traveller__firm", "claim__statement", "signed")
        .defer(*WHOLE)
        .get(pk=trip_id)
    )
