"""Every way priced for the whole trip: fare, bag, nights and allowance that it changes, the way to and from the terminals."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal

from wainwright import clock
from wainwright.core.allowance import NoRate, daily_allowance
from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Journey, Mode, Place
from wainwright.core.journey import Leg as CoreLeg
from wainwright.core.journey import Night as CoreNight
from wainwright.core.money import Money, total
from wainwright.core.said import as_figure, capital, joined, said_by, say, say_many
from wainwright.core.workings import Step, Workings, plain
from wainwright.formats.places import town
from wainwright.ports.market import Offer
from wainwright.rulebook.selectors import exchange_of
from wainwright.trips.figures import grants_of, quarters_in
from wainwright.trips.models import Leg, Trip
from wainwright.trips.replacing import meant
from wainwright.trips.selectors import TripFile
from wainwright.trips.services.nights import expected_night

WINDING = Decimal("1.3")


@dataclass(frozen=True)
class Part:
    """One part of a sentence: from where to where on which day."""

    origin: Place
    target: Place
    day: date


@dataclass(frozen=True)
class WholeCost:
    """What the whole trip comes to with some ways, step by step; ``fault`` says why they cannot be taken together."""

    amount: Money
    planned: Money
    nights: int
    allowance: Money
    lodging: Money
    workings: Workings
    fault: str = ""


@dataclass
class Pricer:
    """Prices ways for one trip. ``parts`` are what is being chosen, ``instead`` a booking that would be given up."""

    file: TripFile
    parts: Sequence[Part]
    bag: bool = False
    instead: int = 0
    _nights: dict[tuple, tuple] = field(default_factory=dict)

    def __post_init__(self) -> None:
        planned = [leg for leg in self.file.legs if leg.booking_id is None]
        out = {leg.pk for leg in self.file.legs if leg.booking_id and leg.booking_id == self.instead}
        for part in self.parts:
            out |= {leg.pk for leg in meant(planned, part.origin.town, part.target.town, part.day)}
        self.kept = [leg for leg in self.file.legs if leg.pk not in out]
        gone = {f"leg:{pk}" for pk in out} | {f"booking:{self.instead}"}
        self.rest = [
            e for e in self.file.figures.estimates if e.key not in gone and not e.key.startswith("night:")
        ]  # fmt: skip
        trip, book = self.file.trip, self.file.book
        self.currency, self.grants = trip.currency, grants_of(trip, book)
        # One table for all ways: of what is ahead the last rate known counts.
        today = clock.today(trip.firm.zone)
        self.table = exchange_of(book, trip.starts or today, max(trip.ends or today, today))
        self.rest_sum = total((e.amount for e in self.rest), self.currency)

    def price(self, offers: Sequence[Offer]) -> WholeCost:
        """Return what the whole trip comes to with these ways."""
        zero = Money.zero(self.currency)
        try:
            journey, nights, allowance = self._journey(offers)
        except NoRate as error:
            return WholeCost(
                zero, zero, 0, zero, zero, Workings(say("The whole trip")), say("There is {error}.", error=error)
            )
        except ValueError as error:
            words = joined("", (capital(said_by(error)), "."))
            return WholeCost(zero, zero, 0, zero, zero, Workings(say("The whole trip")), words)
        steps, fares, extra = [], zero, zero
        for offer in offers:
            fares = fares + offer.price
            steps.append(
                Step(
                    joined("", (offer.carrier, " ", as_figure(offer.leaves, "%a %H:%M"), ", ", offer.fare)),
                    str(offer.price),
                )
            )
            if self.bag and not offer.bags:
                extra = extra + offer.bag_fee
                steps.append(Step(say("A bag, which this fare does not have"), str(offer.bag_fee)))
        bags = extra
        for offer in offers:
            for terminal in (offer.origin, offer.target):
                cost, words = self._transfer(terminal)
                extra = extra + cost
                steps.append(Step(words, str(cost)))
        lodging = total((cost for _, cost in nights), self.currency)
        steps.append(Step(say_many("{count} night", "{count} nights", len(nights)), str(lodging)))
        steps.append(
            Step(say("Daily allowance, {things_count} days", things_count=len(journey.days())), str(allowance))
        )
        if self.rest_sum.minor:
            steps.append(Step(say("Everything else on the plan"), str(self.rest_sum)))
        planned = fares + bags + lodging + allowance + self.rest_sum
        whole = planned + extra - bags
        steps.append(Step(say("The whole trip"), str(whole)))
        return WholeCost(whole, planned, len(nights), allowance, lodging, Workings(say("The whole trip"), tuple(steps)))

    def moves(self, offers: Sequence[Offer]) -> tuple[CoreLeg, ...]:
        """Return the journey's moves with these ways, in order. Raises ``ValueError`` where they cannot be taken together."""
        return self._journey(offers)[0].legs

    def days_away(self, offers: Sequence[Offer]) -> int:
        """Return how many days the journey takes in with these ways."""
        return len(self._journey(offers)[0].days())

    def _transfer(self, terminal: Place) -> tuple[Money, str]:
        policy = self.file.book.policy
        centre = town(terminal.town, terminal.country)
        km = Decimal(0) if centre is None else Decimal(str(round(great_circle_km(terminal, centre), 1))) * WINDING
        km = km.quantize(Decimal(1))
        amount = max(policy.transfer_least, km * policy.transfer_km)
        words = say(
            "{terminal} and the town, {km} km × {transfer_km}, at least {transfer_least}",
            terminal=terminal.name,
            km=plain(km),
            transfer_km=policy.transfer_km,
            transfer_least=policy.transfer_least,
        )
        return Money.rounded(amount, self.currency), words

    def _journey(self, offers: Sequence[Offer]) -> tuple[Journey, list[tuple[CoreNight, Money]], Money]:
        """The journey with these ways, its nights with what they cost, and its allowance; the same hours are worked out once."""
        key = tuple((o.origin.code, o.target.code, o.leaves, o.arrives) for o in offers)
        if key not in self._nights:
            legs = [CoreLeg(leg.start, leg.end, Mode(leg.mode), leg.leaves, leg.arrives) for leg in self.kept]
            legs += [CoreLeg(o.origin, o.target, o.mode, o.leaves, o.arrives) for o in offers]
            legs.sort(key=lambda leg: leg.leaves_utc)
            bare = Journey(tuple(legs))
            nights = self._nights_of(bare)
            days = set(bare.days())
            marks = frozenset(m for m in self.file.figures.journey.supplied if m[0] in days)
            journey = Journey(bare.legs, tuple(night for night, _ in nights), marks)
            book = self.file.book
            earned = daily_allowance(journey, book.schemes, book.rates, self.currency, self.grants, self.table)
            self._nights[key] = (journey, nights, earned.amount)
        return self._nights[key]

    def _nights_of(self, journey: Journey) -> list[tuple[CoreNight, Money]]:
        """The nights that follow, at what they cost on the plan, else like the night before, else what is expected."""
        known = {n.date: n for n in self.file.nights}
        found: list[tuple[CoreNight, Money]] = []
        for day in journey.days()[:-1]:
            place = journey.bed_on(day, self.file.book.policy.bed_hour)
            if place is None:
                continue
            row = known.get(day)
            if row is not None and row.place["town"] == place.town:
                cost, supplied = Money.from_minor(row.cost_minor, self.currency), row.supplied
            elif found and found[-1][0].place.town == place.town:
                cost, supplied = found[-1][1], found[-1][0].supplied
            else:
                supplied = quarters_in(self.file.book, place.town, place.country) is not None
                minor = 0 if supplied else expected_night(self.file.book, place, day)
                cost = Money.from_minor(minor, self.currency)
            found.append((CoreNight(day, place, "", supplied), cost))
        return found


@dataclass(frozen=True)
class Margin:
    """How long before something that waits one arrives; ``late`` where it is after."""

    title: str
    words: str
    late: bool


def margins(trip: Trip, legs: Sequence[Leg], offers: Sequence[Offer]) -> list[Margin]:
    """Return how each way's arrival stands against what waits in its town: engagements, and the next leg from there."""
    found = []
    for offer in offers:
        later = [leg for leg in legs if leg.booking_id is None and leg.leaves.date() >= offer.leaves.date()]
        found += waiting_for(trip, later, offer.target.town, offer.arrives)
    return found


def waiting_for(trip: Trip, legs: Sequence[Leg], town: str, arrives: datetime) -> list[Margin]:
    """Return how an arrival in a town stands against what waits there within two days: engagements, and legs that leave it."""
    waiting = [
        (row["title"], datetime.fromisoformat(row["at"]))
        for row in trip.engagements
        if row["town"].casefold() == town.casefold()
    ]
    waiting += [
        (say("{mode} to {town}", mode=leg.mode, town=leg.target["town"]), leg.leaves)
        for leg in legs
        if leg.origin["town"] == town
    ]
    found = []
    for title, at in waiting:
        if abs((at.date() - arrives.date()).days) > 2:
            continue
        spare = at - arrives
        hours = f"{abs(spare) // timedelta(hours=1)} h {abs(spare) % timedelta(hours=1) // timedelta(minutes=1):02d}"
        late = spare < timedelta()
        found.append(
            Margin(
                title,
                (
                    say("{hours} after {title}, {at}", hours=hours, title=title, at=as_figure(at, "%a %H:%M"))
                    if late
                    else say("{hours} before {title}, {at}", hours=hours, title=title, at=as_figure(at, "%a %H:%M"))
                ),
                late,
            )
        )
    return found
