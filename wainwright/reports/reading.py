"""From the sources to lines of the read model: what a trip's plan, a sent claim, a loose cost come to, coding by coding."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from wainwright import clock
from wainwright.accounts.services import keep_codings
from wainwright.accounts.splits import shares_of
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim, StatementCoding
from wainwright.core.bearing import Borne, bear_each
from wainwright.core.coding import Coding
from wainwright.core.matching import plain_merchant
from wainwright.core.money import Money, add_up
from wainwright.core.said import say
from wainwright.core.splits import spread
from wainwright.expenses.models import Expense
from wainwright.people.models import Firm
from wainwright.reports.models import Head, SpendLine, Stage
from wainwright.trips.frozen import Frozen, thaw
from wainwright.trips.models import Night, Trip, TripVersion

STAGE_OF_CLAIM = {
    "In sign-off": Stage.CLAIMED, "In finance check": Stage.APPROVED, "Cleared": Stage.APPROVED,
    "Posting refused": Stage.APPROVED, "Posted": Stage.POSTED, "Settled": Stage.PAID,
}  # fmt: skip
ALLOWANCE = "allowance"


@dataclass(frozen=True)
class Line:
    """A line before it is kept: everything of it but its coding's row."""

    row: SpendLine
    coding: Coding


def plain(merchant: str) -> str:
    """A merchant's name as the read model groups by it: without card noise, where anything is left of it."""
    return (plain_merchant(merchant) or merchant.casefold())[:120]


class Nights:
    """Where travellers were on which night, so that a cost without a country of its own is of a place. One query."""

    def __init__(self, trips: Iterable[int]) -> None:
        self._by: dict[tuple[int, date], tuple[str, str]] = {}
        for trip, day, place in Night.objects.filter(trip__in=set(trips)).values_list("trip_id", "date", "place"):
            self._by[trip, day] = (place["country"], place["town"])

    def as_signed(self, trip: int, frozen: Frozen) -> None:
        """Take a trip's nights as its plan was signed, whatever was changed on it since."""
        for night in frozen.figures.journey.nights:
            self._by[trip, night.date] = (night.place.country, night.place.town)

    def at(self, trip: int | None, day: date) -> tuple[str, str]:
        """The country and town of a trip's night: that of the day, else that of the day before, else nothing."""
        if trip is None:
            return "", ""
        return self._by.get((trip, day)) or self._by.get((trip, day - timedelta(days=1))) or ("", "")


def of_trips(firm: Firm, ids: Sequence[int]) -> Iterator[tuple[int, Line]]:
    """What the plans of some trips come to, with the trip that each line is of. Three queries."""
    trips = list(Trip.objects.filter(firm=firm, pk__in=ids).select_related("signed"))
    stood = {trip.pk: trip.standing["trip"]["signed_id"] for trip in trips if trip.standing}
    versions = TripVersion.objects.in_bulk([pk for pk in stood.values() if pk])
    nights = Nights([trip.pk for trip in trips if trip.signed is not None and not trip.signed.frozen])
    for trip in trips:
        stage, version = _plan_of(trip, versions.get(stood.get(trip.pk, 0)))
        if version is None or stage is None:
            continue
        frozen = thaw(version.frozen)
        if frozen:
            nights.as_signed(trip.pk, frozen)
        rows = _of_plan(trip, frozen) if frozen else _of_old_plan(trip, version)
        for key, category, label, day, paid_by, coding, amount in rows:
            on = day or trip.starts or version.time.date()
            country, town = nights.at(trip.pk, on)
            row = SpendLine(
                firm=firm, stage=stage, day=on, member_id=trip.traveller_id, category=category,
                country=country or firm.country, town=town, currency=trip.currency, paid_by=paid_by, trip=trip, key=key[:60], label=label[:200],
                net_minor=amount.minor,
            )  # fmt: skip
            yield trip.pk, Line(row, coding)


def _plan_of(trip: Trip, stood: TripVersion | None) -> tuple[Stage | None, TripVersion | None]:
    """At which stage a plan stands, and which version of it: what was authorised stands while it is opened again."""
    if trip.standing:
        return Stage.COMMITTED, stood
    if trip.state in ("Authorised", "Under way", "Back"):
        return Stage.COMMITTED, trip.signed
    return (Stage.PLANNED, trip.signed) if trip.state == "Awaiting sign-off" else (None, None)


Planned = tuple[str, str, str, date | None, str, Coding, Money]


def _of_plan(trip: Trip, frozen: Frozen) -> Iterator[Planned]:
    """A plan as it was signed, cost by cost and coding by coding; the codings bear what they bore when it was signed."""
    about = {each.key: each for each in frozen.figures.estimates}
    costs = [Borne(each.key, each.category, each.amount) for each in frozen.figures.estimates]
    costs.append(Borne(ALLOWANCE, ALLOWANCE, frozen.figures.allowance.amount))
    costs = [each for each in costs if each.amount.minor]
    pieces = bear_each(costs, trip.coding, shares_of(trip))
    signed = {coding: amount for coding, amount in frozen.borne if amount.minor}
    now = {coding: amount for coding, amount in add_up((c, a) for _, c, a in pieces).items() if amount.minor}
    if now != signed and signed:
        # Its split was changed since it was signed: each cost is borne as the whole was.
        shared = spread([each.amount for each in costs], [amount.minor for amount in signed.values()])
        pieces = [
            (cost, coding, amount)
            for cost, row in zip(costs, shared, strict=True)
            for coding, amount in zip(signed, row, strict=True)
        ]
    for cost, coding, amount in pieces:
        if not amount.minor:
            continue
        each = about.get(cost.key)
        if each is None:
            yield cost.key, cost.category, say("Daily allowance"), frozen.starts, "self", coding, amount
        else:
            yield cost.key, cost.category, each.label, each.day, each.paid_by, coding, amount


def _of_old_plan(trip: Trip, version: TripVersion) -> Iterator[Planned]:
    """A plan of before plans were frozen whole: by category, on the trip's coding."""
    rows = {**version.by_category, **({ALLOWANCE: version.allowance_minor} if version.allowance_minor else {})}
    for category, minor in rows.items():
        yield category, category, trip.title, trip.starts, "self", trip.coding, Money.from_minor(minor, trip.currency)


def of_claims(firm: Firm, ids: Sequence[int]) -> Iterator[tuple[int, Line]]:
    """What some sent claims come to as their statements say, with the claim that each line is of. Three queries."""
    current = Claim.objects.filter(firm=firm, pk__in=ids, state__in=STAGE_OF_CLAIM).values("statement_id")
    rows = StatementCoding.objects.filter(line__statement__in=current, personal=False, over=False, refused=False)
    claim = "line__statement__claim"
    found = list(
        rows.order_by("line_id", "order").values(
            *(
                "line__key",
                "line__kind",
                "line__day",
                "line__merchant",
                "line__label",
                "line__category",
                "line__paid_by",
            ),
            *(
                "line__original_currency",
                "category",
                "account",
                "codes",
                "net_minor",
                "recoverable_minor",
                "tax_minor",
                "kept_id",
            ),
            *(f"{claim}_id", f"{claim}__state", f"{claim}__claimant_id", f"{claim}__trip_id", f"{claim}__currency"),
        )
    )
    nights = Nights(row[f"{claim}__trip_id"] for row in found if row[f"{claim}__trip_id"])
    keys = [int(key) for row in found for what, _, key in [row["line__key"].partition(":")] if what == "expense" and key.isdigit()]  # fmt: skip
    countries = dict(Expense.objects.filter(pk__in=keys).exclude(country="").values_list("pk", "country"))
    for row in found:
        if not row["net_minor"] and not row["recoverable_minor"]:
            continue
        what, _, number = row["line__key"].partition(":")
        country, town = nights.at(row[f"{claim}__trip_id"], row["line__day"])
        own = countries.get(int(number), "") if what == "expense" and number.isdigit() else ""
        if own and own != country:
            town = ""
        line = SpendLine(
            firm=firm, stage=STAGE_OF_CLAIM[row[f"{claim}__state"]], day=row["line__day"], member_id=row[f"{claim}__claimant_id"],
            category=row["category"] or row["line__category"] or row["line__kind"], account=row["account"], merchant=plain(row["line__merchant"]),
            country=own or country or firm.country, town=town, currency=row["line__original_currency"] or row[f"{claim}__currency"],
            paid_by=row["line__paid_by"], trip_id=row[f"{claim}__trip_id"], claim_id=row[f"{claim}_id"], key=row["line__key"],
            label=row["line__label"], net_minor=row["net_minor"], tax_minor=row["recoverable_minor"], all_tax_minor=row["tax_minor"], kept_id=row["kept_id"],
        )  # fmt: skip
        yield row[f"{claim}_id"], Line(line, Coding.of(row["codes"]))


def of_expenses(firm: Firm, ids: Sequence[int]) -> Iterator[tuple[int, Line]]:
    """What some costs that were not sent come to, with the cost that each line is of; tax is in it until they are sent. Four queries."""
    rows = Expense.objects.filter(firm=firm, pk__in=ids, currency=firm.currency).select_related("claim", "owner")
    found = list(rows.prefetch_related("parts", "shares"))
    nights = Nights(each.claim.trip_id for each in found if each.claim is not None and each.claim.trip_id)
    for expense in found:
        trip = expense.claim.trip_id if expense.claim is not None else None
        country, town = nights.at(trip, expense.date)
        if expense.country and expense.country != country:
            country, town = expense.country, ""
        default = expense.coding.filled_from((expense.claim or expense.owner).coding)
        for category, label, coding, amount in _pieces(expense, default):
            line = SpendLine(
                firm=firm, stage=Stage.RECORDED, day=expense.date, member_id=expense.owner_id, category=category, merchant=plain(expense.merchant), country=country or firm.country, town=town,
                currency=expense.original_currency or expense.currency, paid_by=expense.paid_by, trip_id=trip,
                claim_id=expense.claim_id, key=expense.key, label=label[:200], net_minor=amount.minor,
            )  # fmt: skip
            yield expense.pk, Line(line, coding)


def of_bookings(firm: Firm, ids: Sequence[int]) -> Iterator[tuple[int, Line]]:
    """What was billed to the firm for bookings that neither a plan nor a claim stands for, with the booking of each line.

    It is committed until the ledger was told of it, then posted. Three queries.
    """
    rows = Booking.objects.filter(firm=firm, pk__in=ids).select_related("trip").prefetch_related("billed")
    found = list(rows)
    nights = Nights(booking.trip_id for booking in found)
    for booking in found:
        trip = booking.trip
        cost = booking.price if booking.stands else booking.lost
        told = sum(each.amount_minor for each in booking.billed.all())
        day = clock.day_of(booking.departure, firm.zone)
        country, town = nights.at(trip.pk, day)
        for _, coding, amount in bear_each([Borne("", booking.category, cost)], trip.coding, shares_of(trip)):
            if not amount.minor:
                continue
            row = SpendLine(
                firm=firm, stage=Stage.POSTED if told == cost.minor else Stage.COMMITTED, day=day, member_id=trip.traveller_id,
                category=booking.category, merchant=plain(booking.carrier), country=country or firm.country, town=town,
                currency=booking.currency, paid_by=booking.paid_by, trip=trip, key=f"booking:{booking.pk}", label=booking.label, net_minor=amount.minor,
            )  # fmt: skip
            yield booking.pk, Line(row, coding)


def _pieces(expense: Expense, default: Coding) -> Iterator[tuple[str, str, Coding, Money]]:
    """A cost by its parts and its split, without what is personal."""
    if expense.personal:
        return
    kind = "" if expense.kind == Expense.Kind.COST else expense.kind
    parts = [
        (part.category, part.label, part.coding.filled_from(default), Money.from_minor(part.amount_minor, expense.currency))
        for part in expense.parts.all()
        if not part.personal
    ] or ([] if expense.parts.all() else [(kind or expense.category, expense.label, default, expense.amount)])  # fmt: skip
    shares = [share.as_core(default) for share in expense.shares.all()]
    if not shares:
        yield from ((*part[:3], part[3]) for part in parts if part[3].minor)
        return
    rows = spread([part[3] for part in parts], [share.weight for share in shares])
    for (category, label, _, _), row in zip(parts, rows, strict=True):
        for share, amount in zip(shares, row, strict=True):
            if amount.minor:
                yield category, label, share.coding, amount


READERS = {
    Head.Kind.BOOKING: of_bookings,
    Head.Kind.TRIP: of_trips,
    Head.Kind.CLAIM: of_claims,
    Head.Kind.EXPENSE: of_expenses,
}


def keep(firm: Firm, heads: Mapping[int, Head], lines: Iterable[tuple[int, Line]]) -> int:
    """Keep lines under their heads; how many there are. Inside the caller's transaction."""
    found = list(lines)
    kept = keep_codings(firm, (line.coding for _, line in found if line.row.kept_id is None))
    for thing, line in found:
        line.row.head = heads[thing]
        if line.row.kept_id is None:
            line.row.kept = kept.get(line.coding.with_account(""))
    SpendLine.objects.bulk_create([line.row for _, line in found], batch_size=500)
    return len(found)
