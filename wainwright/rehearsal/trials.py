"""What is typed and not in force, run over what is there: limits of authority by whom they ask, mileage rates by what rides earn."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.claims.models import Claim
from wainwright.core.mileage import MileageRate, mileage, mileage_year, rate_on
from wainwright.core.money import Money
from wainwright.core.routing import Route, Signer, work_out_route
from wainwright.core.said import say
from wainwright.core.workings import plain
from wainwright.expenses.models import Expense
from wainwright.expenses.services.rides import COUNTS
from wainwright.people.models import Membership
from wainwright.people.selectors import signers
from wainwright.rehearsal.models import Heard, Rehearsal
from wainwright.rehearsal.subjects import asked_of, borne_by, claims_of, plan_files, trips_of
from wainwright.rulebook.mileage import MileageTyped, add_rate, typed_bands
from wainwright.rulebook.models import MileageRateRow
from wainwright.rulebook.selectors import groups_of, mileage_rate_of, rulebook
from wainwright.staff.limits import set_limits
from wainwright.trips.models import Trip

ALWAYS = date(1970, 1, 1)


def limits_trial(limits: Mapping[int, Money | None], words: str) -> dict[str, Any]:
    """Return limits of authority as a rehearsal keeps them: minor units by person, nothing for any sum."""
    kept = {str(pk): None if limit is None else limit.minor for pk, limit in limits.items()}
    return {"sort": "limit", "words": words, "limits": kept}


def mileage_trial(rows: Sequence[MileageRateRow], words: str) -> dict[str, Any]:
    """Return mileage rates as a rehearsal keeps them."""
    rates = [
        {"vehicle": row.vehicle, "unit": row.unit, "bands": row.bands, "passenger": str(row.passenger)} for row in rows
    ]
    return {"sort": "mileage", "words": words, "rates": rates}


@transaction.atomic
def put_in_force(by: Membership, row: Rehearsal, since: date) -> None:
    """Put what was rehearsed in force from a day on, all of it or nothing. Raises ``NotAllowed``, ``Faults``, ``Refusal``."""
    trial = row.trial or {}
    if trial.get("sort") == "limit":
        currency = row.firm.currency
        typed = {
            int(pk): "any" if minor is None else f"{Money.from_minor(minor, currency).amount}"
            for pk, minor in trial["limits"].items()
        }
        set_limits(by, typed, since)
        return
    for each in trial.get("rates", ()):
        kept = MileageRateRow(bands=each["bands"], unit=each["unit"])
        add_rate(by, MileageTyped(each["vehicle"], each["unit"], since, typed_bands(kept), each["passenger"]))


class LimitHearing:
    """Limits of authority: who would have been asked as well, or not, of what was sent.

    Who leads whom, who covers and who owns what are those of today, on both sides.
    """

    def __init__(self, row: Rehearsal, trial: Mapping[str, Any]) -> None:
        firm = row.firm
        self.row, self.owned = row, books(firm).owned
        self.now = signers(firm.pk, clock.today(firm.zone))
        limits = {
            pk: None if minor is None else Money.from_minor(minor, firm.currency)
            for pk, minor in trial["limits"].items()
        }
        self.then = {key: replace(one, limit=limits[key]) if key in limits else one for key, one in self.now.items()}

    def claims(self) -> QuerySet[Claim]:
        """The claims that were sent in the span."""
        return claims_of(self.row.firm, self.row.since, self.row.until).exclude(statement=None)

    def trips(self) -> QuerySet[Trip]:
        """The trips of the span that were sent."""
        return trips_of(self.row.firm, self.row.since, self.row.until).exclude(sent=None)

    def of_claims(self, ids: Sequence[int]) -> Iterator[Heard]:
        """What changes for some claims, by what was certified of them. Four queries for all of them."""
        firm = self.row.firm
        rows = Claim.objects.filter(pk__in=ids).select_related("claimant__person", "statement")
        claims = list(rows.defer("statement__workings"))
        _, by_code = borne_by({claim.statement_id: claim.pk for claim in claims}, firm.currency)
        asked = asked_of("claim", ids)
        for claim in claims:
            claim.firm = claim.claimant.firm = firm
            day = clock.day_of(claim.sent or claim.created, firm.zone)
            thing = ("claim", claim.pk, claim.editable, day)
            yield from self._compare(claim.claimant, claim.total, by_code[claim.pk], thing, asked[claim.pk])

    def of_trips(self, ids: Sequence[int]) -> Iterator[Heard | None]:
        """What changes for some plans."""
        asked = asked_of("trip", ids)
        for trip, file, day in plan_files(Trip.objects.filter(pk__in=ids), self.row.firm):
            if file is None:
                yield None
                continue
            thing = ("trip", trip.pk, trip.editable, trip.starts or day)
            yield from self._compare(trip.traveller, file.figures.total, file.by_code, thing, asked[trip.pk])

    def _compare(
        self, person: Membership, amount: Money, by_code: Mapping[tuple[str, str], Money], thing: tuple[str, int, bool, date], asked: set[int]
    ) -> Iterator[Heard]:  # fmt: skip
        if self.row.groups and groups_of(person).isdisjoint(self.row.groups):
            return
        was, will = (self._route(people, person, amount, by_code) for people in (self.now, self.then))
        before, after = ({int(step.signer): step for step in route.steps} for route in (was, will))
        kind, number, is_open, day = thing

        def heard(change: str, text: str) -> Heard:
            return Heard(
                rehearsal=self.row, change=change, kind=kind, thing=number, open=is_open, person=person, day=day, text=text[:400], amount_minor=amount.minor,
            )  # fmt: skip

        for key in after.keys() - before.keys() - asked:
            yield heard(
                Heard.Change.NEW, say("{name} would sign as well: {why}", name=after[key].name, why=after[key].why)
            )
        for key in (before.keys() - after.keys()) & asked:
            yield heard(Heard.Change.GONE, say("{name} would not be asked", name=before[key].name))
        for fault in set(will.faults) - set(was.faults):
            yield heard(Heard.Change.OTHER, fault)

    def _route(
        self, people: Mapping[str, Signer], person: Membership, amount: Money, by_code: Mapping[tuple[str, str], Money]
    ) -> Route:
        return work_out_route(str(person.pk), amount, by_code, people, self.owned)


class MileageHearing:
    """Mileage rates: what rides on claims would have earned, as if the rates had always held; each by its place in the year's bands.

    Both sides are reckoned with the rides of a year in the order of their days, so that what differs is the rate alone.
    """

    def __init__(self, row: Rehearsal, trial: Mapping[str, Any]) -> None:
        firm = row.firm
        self.row, self.book = row, rulebook(firm)
        tried = [
            mileage_rate_of(
                MileageRateRow(
                    vehicle=each["vehicle"], unit=each["unit"], since=ALWAYS, bands=each["bands"], passenger=Decimal(each["passenger"])
                ),
                firm.currency,
            )
            for each in trial["rates"]
        ]  # fmt: skip
        # Of several of one kind the last is what holds in the end.
        self.tried = {rate.vehicle: rate for rate in tried}

    def claims(self) -> QuerySet[Claim]:
        """The claims of the span with rides by such vehicles."""
        rides = Expense.objects.filter(
            firm=self.row.firm, kind=Expense.Kind.MILEAGE, vehicle__in=self.tried, claim__isnull=False
        )
        return claims_of(self.row.firm, self.row.since, self.row.until).filter(pk__in=rides.values("claim"))

    def trips(self) -> QuerySet[Trip]:
        """None: what a ride earns is reckoned on the claim."""
        return Trip.objects.none()

    def of_trips(self, ids: Sequence[int]) -> Iterator[Heard | None]:
        """Nothing."""
        yield from ()

    def of_claims(self, ids: Sequence[int]) -> Iterator[Heard]:
        """What rides of some claims would have earned more, or less. Three queries for all of them."""
        claims = list(Claim.objects.filter(pk__in=ids).select_related("claimant__person"))
        currency, so_far = self.row.firm.currency, self._so_far({claim.claimant_id for claim in claims})
        rides: dict[int, list[Expense]] = defaultdict(list)
        for ride in Expense.objects.filter(claim__in=ids, kind=Expense.Kind.MILEAGE, vehicle__in=self.tried):
            rides[ride.claim_id or 0].append(ride)
        for claim in claims:
            claim.claimant.firm = self.row.firm
            if self.row.groups and groups_of(claim.claimant).isdisjoint(self.row.groups):
                continue
            zero = Money.zero(currency)
            was, would, km = zero, zero, Decimal(0)
            for ride in rides[claim.pk]:
                was += self._earns(ride, self._in_force(ride), so_far.get(ride.pk, Decimal(0)))
                would += self._earns(ride, self.tried[ride.vehicle], so_far.get(ride.pk, Decimal(0)))
                km += ride.km or 0
            if was == would:
                continue
            day = clock.day_of(claim.sent or claim.created, self.row.firm.zone)
            yield Heard(
                rehearsal=self.row, change=Heard.Change.NEW if would > was else Heard.Change.GONE, kind="claim", thing=claim.pk, open=claim.editable,
                person=claim.claimant, category="mileage", day=day, text=say("{km} km earn {was} and would earn {would}", km=plain(round(km, 1)), was=was, would=would), amount_minor=abs((would - was).minor),
            )  # fmt: skip

    def _in_force(self, ride: Expense) -> MileageRate | None:
        try:
            return rate_on(self.book.mileage, ride.vehicle, ride.date)
        except LookupError:
            return None

    def _earns(self, ride: Expense, rate: MileageRate | None, so_far: Decimal) -> Money:
        if rate is None:
            return Money.zero(self.row.firm.currency)
        return mileage(ride.km or Decimal(0), rate, so_far, ride.passengers or 0).amount

    def _so_far(self, people: set[int]) -> dict[int, Decimal]:
        """How far each ride's person had driven before it, with that kind of vehicle, in its mileage year. One query."""
        policy, found = self.book.policy, {}
        rows = Expense.objects.filter(owner__in=people, kind=Expense.Kind.MILEAGE, vehicle__in=self.tried)
        counted = rows.filter(COUNTS).order_by("date", "pk")
        driven: dict[tuple[int, str, date], Decimal] = defaultdict(Decimal)
        for pk, owner, vehicle, day, km in counted.values_list("pk", "owner", "vehicle", "date", "km"):
            key = (owner, vehicle, mileage_year(day, policy.mileage_month, policy.mileage_day)[0])
            found[pk] = driven[key]
            driven[key] += km or 0
        return found
