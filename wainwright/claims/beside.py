"""What stands beside a claim: the other claims of its trip, and what its claimant owes back on earlier ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db.models import Q, QuerySet, Sum

from wainwright.claims.models import Claim
from wainwright.core.money import Money, total
from wainwright.core.settlement import take_off

_HELD = Sum("recovered__amount_minor", filter=~Q(recovered__claim__state__in=Claim.OVER), default=0)
_OPEN = ("Open", "Sent back")
_OWED = Q(state="Posted", statement__due_minor__lt=0)


@dataclass(frozen=True)
class Owes:
    """A posted claim below zero, and what of it is still owed back."""

    claim: Claim
    left: Money


@dataclass(frozen=True)
class Beside:
    """What the other claims of the same trip hold, so that nothing is claimed or taken off twice.

    ``allowance`` is what they claimed of the daily allowance, ``flat`` of flat sums, and ``codes`` which they are; ``advance`` is
    what is left of the advance to be set against this one. Where another open claim is the earlier, both stand there: ``elsewhere``.
    ``owed`` is what the claimant owes back on earlier claims and lets be taken from the next; ``open`` their other open claims.
    """

    allowance: Money
    advance: Money
    codes: tuple[str, ...] = ()
    elsewhere: str = ""
    owed: tuple[Owes, ...] = ()
    open: tuple[Claim, ...] = ()
    flat: Money = None  # type: ignore[assignment]  # nothing, in the claim's currency

    def __post_init__(self) -> None:
        if self.flat is None:
            object.__setattr__(self, "flat", Money.zero(self.advance.currency))

    def taken_from(self, due: Money) -> Money:
        """What a claim that comes to ``due`` pays of what is owed back."""
        return total(take_off(due, [each.left for each in self.owed]), due.currency)


def beside(claim: Claim) -> Beside:
    """Return what stands beside an open claim. One query; the trip has its claims afterwards."""
    own = Q(claimant=claim.claimant_id, currency=claim.currency) & (Q(pays_back="next") & _OWED | Q(state__in=_OPEN))
    wanted = own | Q(trip=claim.trip_id) if claim.trip_id else own
    rows = list(Claim.objects.live().filter(wanted).annotate(held=_HELD).select_related("statement").order_by("pk"))
    owed = _left([row for row in rows if row.pk != claim.pk and row.pays_back == "next"])
    open_ = tuple(row for row in rows if row.pk != claim.pk and row.editable and row.claimant_id == claim.claimant_id)
    nothing, trip = Money.zero(claim.currency), claim.trip
    if trip is None:
        return Beside(nothing, nothing, owed=owed, open=open_)
    trip.live_claims = [row for row in rows if row.trip_id == trip.pk]
    others = [other for other in trip.live_claims if other.pk != claim.pk]
    sent = [other for other in others if not other.editable and other.statement is not None]
    claimed = total((Money.from_minor(o.statement.allowance_minor, claim.currency) for o in sent), claim.currency)
    flat = total((Money.from_minor(o.statement.flat_minor, claim.currency) for o in sent), claim.currency)
    taken = total((Money.from_minor(o.statement.advance_minor, claim.currency) for o in sent), claim.currency)
    paid = trip.advance if trip.advance_paid else nothing
    codes = tuple(o.code for o in sent if o.statement.allowance_minor or o.statement.flat_minor)
    earlier = next((other.code for other in others if other.editable and other.pk < claim.pk), "")
    return Beside(claimed, max(nothing, paid - taken), codes, earlier, owed, open_, flat)


def owes(claims: QuerySet[Claim]) -> tuple[Owes, ...]:
    """Return what is still owed back of some claims, the oldest first: without what sent claims take off already. One query."""
    return _left(list(claims.filter(_OWED).annotate(held=_HELD).select_related("statement").order_by("pk")))


def _left(rows: Sequence[Claim]) -> tuple[Owes, ...]:
    found = []
    for row in rows:
        below = -row.statement.due_minor if row.statement is not None and row.state == "Posted" else 0
        if below - row.held > 0:
            found.append(Owes(row, Money.from_minor(below - row.held, row.currency)))
    return tuple(found)
