"""What stands beside a claim: the other claims of its trip, and what its claimant owes back on earlier ones."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from django.db.models import Exists, OuterRef, Q, QuerySet, Subquery, Sum

from wainwright.claims.models import AdvanceTaken, Claim, Statement, StatementLine
from wainwright.claims.paying import free_advances
from wainwright.core.money import Money, total
from wainwright.core.settlement import take_off
from wainwright.prepared import prepared
from wainwright.trips.models import Trip

_HELD = Sum("recovered__amount_minor", filter=~Q(recovered__claim__state__in=Claim.OVER), default=0)
_TAKEN = Subquery(
    AdvanceTaken.objects.filter(claim=OuterRef("pk"))
    .order_by()
    .values("claim")
    .annotate(s=Sum("amount_minor"))
    .values("s")
)
_OPEN = ("Open", "Sent back")
_OWED = Q(state="Posted", statement__due_minor__lt=0)


@dataclass(frozen=True)
class Owes:
    """A posted claim below zero, and what of it is still owed back."""

    claim: Claim
    left: Money


@dataclass(frozen=True)
class Had:
    """What the other claims of one trip hold of it, so that nothing is claimed or taken off twice.

    ``allowance`` is what they claimed of the daily allowance, ``flat`` of flat sums, and ``codes`` which they are; ``advance`` is
    what is left of the trip's advance. Where another open claim is the earlier, all of it stands there: ``elsewhere``.
    ``along``: a claim of another trip took it along. ``taxed`` is what of that allowance is above what is free of tax.
    """

    allowance: Money
    flat: Money
    advance: Money
    codes: tuple[str, ...] = ()
    elsewhere: str = ""
    along: bool = False
    taxed: Money | None = None


@dataclass(frozen=True)
class Beside:
    """What stands beside an open claim: what others had of each of its ``trips``, by number, and what is ``taken`` of
    advances that no other claim takes.

    ``owed`` is what the claimant owes back on earlier claims and lets be taken from the next; ``open`` their other open claims.
    ``free`` says that a paid advance of theirs is taken by no claim.
    """

    trips: Mapping[int, Had]
    taken: Money
    owed: tuple[Owes, ...] = ()
    open: tuple[Claim, ...] = ()
    free: bool = False

    @property
    def advance(self) -> Money:
        """The advances that are set against the claim: its trips' own, where no earlier claim has them, and those taken."""
        own = (had.advance for had in self.trips.values() if not had.elsewhere)
        return total(own, self.taken.currency) + self.taken

    def of(self, trip: Trip | None) -> Had:
        """What others had of one of its trips."""
        nothing = Money.zero(self.taken.currency)
        return self.trips.get(trip.pk if trip is not None else 0, Had(nothing, nothing, nothing))

    def taken_from(self, due: Money) -> Money:
        """What a claim that comes to ``due`` pays of what is owed back."""
        return total(take_off(due, [each.left for each in self.owed]), due.currency)


def beside(claim: Claim) -> Beside:
    """Return what stands beside an open claim. Two queries, of its trips and of its claimant's claims; another where an advance was paid."""
    trips = claim.trips
    found = _around(claim.claimant_id, claim.currency, *(trip.pk for trip in trips))
    owed = _left([row for row in found if row.pk != claim.pk and row.pays_back == "next"])
    open_ = tuple(row for row in found if row.pk != claim.pk and row.editable and row.claimant_id == claim.claimant_id)
    own_row = next((row for row in found if row.pk == claim.pk), None)
    taken = (own_row.taken if own_row is not None else 0) or 0
    return Beside(
        {trip.pk: _had(claim, trip, number, found) for number, trip in enumerate(trips)}, Money.from_minor(taken, claim.currency), owed, open_,
        bool(own_row is not None and own_row.free),
    )  # fmt: skip


@prepared
def _around(claimant: int, currency: str, *trips: int) -> QuerySet[Claim]:
    """The claims that count of somebody, open or owing back, and of some trips: ``also_0`` says that one takes the first of these along.

    Worded once for each number of trips, since every act on a claim and every page of one asks for it.
    """
    wanted = Q(claimant_id=claimant, currency=currency) & (Q(pays_back="next") & _OWED | Q(state__in=_OPEN))
    links = Claim.also.through.objects.filter(claim_id=OuterRef("pk"))
    has = {}
    for number, trip in enumerate(trips):
        has[f"also_{number}"] = Exists(links.filter(trip_id=trip))
        along = Claim.also.through.objects.filter(trip_id=trip).values("claim_id")
        wanted |= Q(trip_id=trip) | Q(pk__in=along)
    has["free"] = Exists(free_advances(claimant, currency))
    rows = Claim.objects.live().filter(wanted).annotate(held=_HELD, taken=_TAKEN, **has)
    return rows.select_related("statement").order_by("pk")


def _had(claim: Claim, trip: Trip, number: int, rows: Sequence[Claim]) -> Had:
    """What the other claims of a trip, one of so many of the claim, hold; the trip has its claims afterwards."""
    trip.live_claims = [row for row in rows if row.trip_id == trip.pk or getattr(row, f"also_{number}")]
    others = [other for other in trip.live_claims if other.pk != claim.pk]
    sent = [other for other in others if not other.editable and other.statement is not None]
    mine = [other for other in sent if other.trip_id == trip.pk]

    def money(minors: Iterable[int]) -> Money:
        return Money.from_minor(sum(minors), claim.currency)

    allowance = money(allowance_of_trip(other.statement, other.trip_id == trip.pk, trip.pk) for other in sent)
    flat = money(other.statement.flat_minor for other in mine)
    gone = money(other.statement.advance_minor - (other.taken or 0) for other in mine)
    # A further trip's advance is set against the claim by a row of its own, as any other that no claim takes.
    here = trip.pk == claim.trip_id and trip.advance_paid
    here = here and not AdvanceTaken.objects.filter(trip=trip).exclude(claim=claim).exists()
    paid = trip.advance_out if here else Money.zero(claim.currency)
    codes = tuple(o.code for o in sent if o.statement.allowance_minor or o.statement.flat_minor)
    earlier = next((other.code for other in others if other.editable and other.pk < claim.pk), "")
    along = len(sent) > len(mine)
    return Had(
        allowance, flat, max(Money.zero(claim.currency), paid - gone), codes, earlier, along, _taxed(claim, trip, sent)
    )


def _taxed(claim: Claim, trip: Trip, sent: Sequence[Claim]) -> Money | None:
    """What of a trip's allowance its other claims hold above what is free of tax; asked only where they hold any of it."""
    held = [other.statement_id for other in sent if other.statement is not None and other.statement.allowance_minor]
    if not held:
        return None
    own = Q(statement__claim__trip=trip, key="allowance")
    lines = StatementLine.objects.filter(own | Q(key=f"allowance:{trip.pk}"), statement__in=held)
    return Money.from_minor(lines.aggregate(taxed=Sum("taxed_minor", default=0))["taxed"], claim.currency)


def allowance_of_trip(statement: Statement, main: bool, trip_id: int) -> int:
    """What of a statement's daily allowance is one trip's, in minor units: the ``main`` one's is what the others leave."""
    along = {int(pk): minor for pk, minor in statement.also_minor.items()}
    return statement.allowance_minor - sum(along.values()) if main else along.get(trip_id, 0)


def owes(claims: QuerySet[Claim]) -> tuple[Owes, ...]:
    """Return what is still owed back of some claims, the oldest first: without what sent claims take off already. One query."""
    return _left(list(_owing(claims)))


def owed_by(member: int) -> tuple[Owes, ...]:
    """Return what one person still owes back, the oldest first. One query."""
    return _left(_owed_by(member))


@prepared
def _owed_by(member: int) -> QuerySet[Claim]:
    return _owing(Claim.objects.filter(claimant_id=member))


def _owing(claims: QuerySet[Claim]) -> QuerySet[Claim]:
    return claims.filter(_OWED).annotate(held=_HELD).select_related("statement").order_by("pk")


def _left(rows: Sequence[Claim]) -> tuple[Owes, ...]:
    found = []
    for row in rows:
        below = -row.statement.due_minor if row.statement is not None and row.state == "Posted" else 0
        if below - row.held > 0:
            found.append(Owes(row, Money.from_minor(below - row.held, row.currency)))
    return tuple(found)
