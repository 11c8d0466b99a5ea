"""Reads about trips."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property
from typing import Any

from django.db.models import F, QuerySet

from wainwright import clock
from wainwright.accounts.models import Payment
from wainwright.accounts.selectors import Books, books, budget_effects, by_code
from wainwright.accounts.splits import shares_of
from wainwright.bookings.models import Booking
from wainwright.core.advance import advance_standing
from wainwright.core.asking import Asks, Facts, asked
from wainwright.core.bearing import Borne, bear
from wainwright.core.budget import BudgetEffect
from wainwright.core.coding import Coding
from wainwright.core.journey import Mode
from wainwright.core.money import Money, add_up
from wainwright.core.permissions import Permission, permissions
from wainwright.core.routing import Route, work_out_route
from wainwright.core.rules import Item, Subject, run
from wainwright.core.said import joined, say
from wainwright.people.models import Membership
from wainwright.people.selectors import signers
from wainwright.prepared import prepared
from wainwright.rulebook.models import Explanation
from wainwright.rulebook.selectors import Explained, Rulebook, groups_of, mileage_year_of, reasons_to, rulebook
from wainwright.trips import driving
from wainwright.trips.facts import causes, plan_subject
from wainwright.trips.figures import TripFigures, figures
from wainwright.trips.frozen import Frozen, thaw
from wainwright.trips.models import Leg, Night, OtherCost, Paper, Trip
from wainwright.trips.moving import move_of
from wainwright.trips.own_findings import Seen, own_findings, route_findings
from wainwright.trips.under import bookings_of, legs_of, nights_of, others_of, papers_of
from wainwright.visible import visible_row

ALLOWANCE = "allowance"
# What of its advance a traveller holds, in SQL, as ``Trip.advance_out`` says it.
ADVANCE_OUT = F("advance_minor") - F("advance_unpaid_minor") - F("advance_back_minor")
# The large columns of a signed version, which few pages read.
WHOLE = ("signed__frozen", "signed__lines")
TRIPS_SHOWN = 25


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
    outstanding: Money
    reasons: dict[str, Explanation] = field(default_factory=dict)
    signed: Frozen | None = None
    more: Sequence[Item] = ()

    @cached_property
    def papers(self) -> list[Paper]:
        """The papers that it rests on."""
        return papers_of(self.trip)

    @cached_property
    def route(self) -> Route:
        """Who will be asked to sign; nobody once it is sent, since they are kept elsewhere then."""
        if self.signed or not (self.book.policy.trip_signoff and self.trip.editable):
            return Route(())
        people = signers(self.trip.firm_id, clock.today(self.trip.firm.zone))
        return work_out_route(
            str(self.trip.traveller_id), self.figures.total, self.by_code, people, self.books.owned, self.also_asked
        )  # fmt: skip

    @cached_property
    def also_asked(self) -> list[Asks]:
        """Whom the firm's rules of the route ask to sign it as well."""
        return asked(self.book.asks, self.route_facts) if self.book.asks else []

    @cached_property
    def route_facts(self) -> Facts:
        """What its route may depend on."""
        by_category = add_up((each.category, each.amount) for each in self.figures.estimates)
        countries = frozenset(night.place["country"] for night in self.nights) - {""}
        found = frozenset(each.finding.rule for each in self.judged)
        return Facts(
            "plan", self.figures.total, clock.today(self.trip.firm.zone), by_category, self.by_code, countries,
            groups_of(self.trip.traveller, self.book.names_countries), found,
        )  # fmt: skip

    @cached_property
    def permissions(self) -> list[Permission]:
        """The special permissions that it calls for; while it is signed off those that were certified."""
        if self.signed:
            return [each.permission for each in self.signed.permissions]
        return permissions(causes(self.legs, self.nights, self.bookings, self.figures, self.book))

    @cached_property
    def judged(self) -> list[Explained]:
        """What the rules say of the plan itself; while it is signed off what was certified, and nothing once it is authorised."""
        if self.signed:
            return [Explained(each.finding, each if each.words else None) for each in self.signed.findings]  # type: ignore[arg-type]
        trip, found = self.trip, []
        if trip.editable or trip.state == "Awaiting sign-off" or self.more:
            found = run(self.subject_on(clock.today(trip.firm.zone)), self.book.rules_for(trip.traveller))
        if trip.editable:
            seen = Seen(
                trip, self.book, self.books, self.legs, self.nights, self.bookings, self.papers, self.figures, self.permissions,
                self.reasons,
            )  # fmt: skip
            found = [*own_findings(seen), *found]
        return [Explained(finding, self.reasons.get(finding.identity)) for finding in found]

    def subject_on(self, day: date) -> Subject:
        """The plan as rules see it on a day."""
        trip = self.trip
        expires = trip.profile.get("card_expires")
        return plan_subject(
            trip, trip.firm, self.book, self.figures, day, date.fromisoformat(expires) if expires else None,
            frozenset(p.kind for p in self.papers), int(self.outstanding.minor > 0) + int(trip.advance_minor > 0),
            self.more, self.nights,
        )  # fmt: skip

    @cached_property
    def findings(self) -> list[Explained]:
        """What the rules say of it, and what is wrong with the road that it would go."""
        faults = [Explained(each, None) for each in route_findings(self.trip, self.route)]
        return [*faults, *self.judged]

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
        year = self.trip.firm.year_of(self.trip.starts or clock.today(self.trip.firm.zone))
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
        night.booking_id, night.lodging,
    )  # fmt: skip


def permission_identity(permission: Permission, trip: Trip) -> str:
    """The identity under which a comment on a permission is kept."""
    return f"permission-{permission.code}@{trip.subject}"


def borne_by(trip: Trip, done: TripFigures) -> list[tuple[Coding, Money]]:
    """Share the cost of a plan out over its codings; the amounts add up to its total."""
    costs = [Borne(e.key, e.category, e.amount) for e in done.estimates]
    costs.append(Borne(ALLOWANCE, ALLOWANCE, done.allowance.amount))
    return bear([c for c in costs if c.amount.minor], trip.coding, shares_of(trip))


def outstanding_advances(traveller: Membership, besides: Trip, currency: str) -> Money:
    """Return the advances of a person's other trips that were paid and not yet set against a claim."""
    return Money.from_minor(sum(_advances(traveller.pk, besides.pk)), currency)


def advance_with_bank(trip: Trip) -> bool:
    """Say whether the payment of a trip's advance is with the bank and not answered yet. One query at most."""
    if not trip.advance_to_pay:
        return False
    return Payment.objects.filter(subject=trip.advance_subject, state__in=Payment.OPEN).exists()


def advance_words(trip: Trip | None) -> str:
    """Say how the advance of a trip stands, the same on its page and its claim's; nothing where none was asked for."""
    if trip is None or not trip.advance_minor:
        return ""
    parts = _advance_parts(trip)
    if trip.advance_paid and not trip.advance_out and not trip.advance_to_pay:
        return parts
    return joined("; ", filter(None, (_advance_stands(trip), parts)))


def _advance_parts(trip: Trip) -> str:
    """What of a paid advance came back, and what it was raised by and is not paid yet, in words."""
    back, more = Money.from_minor(trip.advance_back_minor, trip.currency), trip.advance_to_pay
    words = [say("{back} of it came back", back=back) if back else ""]
    if trip.advance_paid and more:
        words.append(
            say("{more} more is with the bank", more=more)
            if advance_with_bank(trip)
            else say("{more} more is asked for, not paid yet", more=more)
        )
    return joined("; ", filter(None, words))


def _advance_stands(trip: Trip) -> str:
    if trip.advance_paid and (row := trip.advance_taken.select_related("claim").first()) is not None:
        return say("paid, and set against {claim_code}", claim_code=row.claim.code)
    claim = _advance_claim(trip)
    set_off = claim is not None and claim.statement is not None and claim.statement.advance_minor > 0
    code, state = (claim.code, claim.state) if claim is not None else ("", "")
    return advance_standing(trip.advance_paid, not trip.advance_paid and advance_with_bank(trip), code, state, set_off)


def _advance_claim(trip: Trip) -> Any:
    """The claim that an advance is set against, or would be: the one that holds it, else the first that counts."""
    live = trip.live_claims
    holds = (c for c in live if c.statement_id and c.statement is not None and c.statement.advance_minor > 0)
    return next(holds, live[0] if live else None)


def load_file(member: Membership, trip: Trip, more: Sequence[Item] = ()) -> TripFile:
    """Load a trip's file: five queries, up to eight with what is judged of it, whatever its length.

    The caller has checked who may see it. While it is being signed off, figures, findings and permissions are those that
    were certified. ``more`` are items to be judged with the plan though they are not on it yet.
    """
    book, ledger = rulebook(trip.firm), books(trip.firm)
    signed = trip.signed if trip.state == "Awaiting sign-off" and not more else None
    plan = thaw(signed.frozen) if signed else None
    legs, nights, others, bookings = legs_of(trip), nights_of(trip), others_of(trip), bookings_of(trip)
    reasons = {row.identity: row for row in reasons_to(trip.subject)}
    zero = Money.zero(trip.currency)
    if plan is not None:
        return TripFile(trip, book, ledger, legs, nights, others, bookings, plan.figures, zero, reasons, plan)
    # Once it is sent, what was advanced is kept elsewhere, as it was.
    out = outstanding_advances(trip.traveller, trip, trip.currency) if trip.editable else zero
    year = mileage_year_of(trip.firm, trip.starts or clock.today(trip.firm.zone))
    driven = {
        vehicle: driving.so_far(trip.traveller_id, *year, vehicle)
        for vehicle in {leg.vehicle for leg in legs if leg.mode == Mode.OWN_CAR}
    }
    done = figures(trip, book, legs, nights, others, bookings, frozenset(reasons), driven, out, move_of(trip, book))
    return TripFile(trip, book, ledger, legs, nights, others, bookings, done, out, reasons, more=more)


@prepared
def _advances(traveller: int, besides: int) -> QuerySet:
    rows = Trip.objects.filter(traveller_id=traveller, advance_paid=True, advance_settled=False).exclude(pk=besides)
    return rows.order_by().values_list(ADVANCE_OUT, flat=True)


def trips_of(member: Membership) -> QuerySet[Trip]:
    """Return a person's own trips, the latest first."""
    return _own(member.pk)


@prepared
def newest_of(traveller: int) -> QuerySet[Trip]:
    """The first page of them, and one more: put together once."""
    return _own(traveller)[: TRIPS_SHOWN + 1]


def _own(traveller: int) -> QuerySet[Trip]:
    return (
        Trip.objects.filter(traveller_id=traveller)
        .select_related("traveller__person", "signed")
        .defer(*WHOLE)
        .prefetch_related("claims", "also_claims")
        .order_by("-starts", "-id")
    )


@visible_row
def _whole(who: Any) -> QuerySet[Trip]:
    """A trip with its traveller and what was signed, without its large columns."""
    return Trip.objects.visible_to(who).select_related("traveller__person", "signed").defer(*WHOLE)


@visible_row
def _bare(who: Any) -> QuerySet[Trip]:
    return Trip.objects.visible_to(who).select_related("traveller__person")


def trip_for(member: Membership, trip_id: int, bare: bool = False) -> Trip:
    """Return a trip that ``member`` may see, with its traveller. Raises ``Trip.DoesNotExist``.

    A ``bare`` one comes without its claim and what was signed: they are read where somebody asks for them.
    """
    found = _bare(member, trip_id) if bare else _whole(member, trip_id)
    if found is None:
        raise Trip.DoesNotExist
    # The firm is the member's own, and so is most often the traveller: neither is read again.
    found.firm = member.firm
    if found.traveller_id == member.pk:
        found.traveller = member
    found.traveller.firm = member.firm
    return found
