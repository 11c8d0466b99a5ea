"""Planning: legs, nights, meals, other costs. Whatever follows from them is worked out, never typed."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from django.db import transaction
from django.db.models import Max

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.core.allowance import NoRate, like_days, rate_for
from wainwright.core.allowance.supplied import with_meal
from wainwright.core.coding import Coding, check_coding
from wainwright.core.journey import Journey, Meal, Place
from wainwright.core.money import Money
from wainwright.core.rules import Finding
from wainwright.core.workings import day_text
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.people.models import Membership
from wainwright.rulebook import services as reasons
from wainwright.rulebook.selectors import Rulebook, rulebook
from wainwright.trail.services import record
from wainwright.trips.figures import journey_of
from wainwright.trips.models import Leg, Night, OtherCost, Trip, place_data

MOST_DAYS = 120
MOST_LEGS = 40


def mine(member: Membership, trip_id: int, version: int | None = None, editable: bool = True) -> Trip:
    """Lock and return the traveller's own trip, to be changed.

    Raises ``Trip.DoesNotExist`` for one they may not see, ``NotAllowed`` for another's, ``Stale``
    where ``version`` is behind or the plan can no longer be changed.
    """
    trip = (
        Trip.objects.select_for_update().visible_to(member).select_related("firm", "traveller__person").get(pk=trip_id)
    )
    if trip.traveller_id != member.pk:
        raise NotAllowed("Only the traveller changes this trip.")
    if version is not None and version != trip.version:
        raise Stale("The trip was changed on another page since you opened this one. Look at it again, then decide.")
    if editable and not trip.editable:
        raise Stale(f"The trip stands at {trip.state}: its plan cannot be changed now.")
    return trip


def checked_coding(member: Membership, coding: Coding) -> Coding:
    """Return the coding when it holds together today, else raise ``Refusal`` at the part that is wrong."""
    if not coding.account:
        faults = check_coding(coding, books(member.firm).codes, clock.today(member.firm.zone))
        if faults:
            raise Refusal(faults[0].text, faults[0].dimension)
    return coding


@transaction.atomic
def start_trip(member: Membership, title: str, purpose: str, coding: Coding) -> Trip:
    """Start a trip with its coding taken from the profile unless said otherwise. Raises ``Refusal``."""
    if not member.traveller:
        raise NotAllowed("Only travellers start trips.")
    if len(title.strip()) < 3:
        raise Refusal("Give the trip a title that others will know it by.", "title")
    if len(purpose.strip()) < 3:
        raise Refusal("Say in a few words what the trip is for.", "purpose")
    number = (Trip.objects.filter(firm=member.firm).aggregate(last=Max("number"))["last"] or 0) + 1
    trip = Trip(
        firm=member.firm, traveller=member, number=number, title=title.strip()[:120], purpose=purpose.strip()[:500],
        currency=member.firm.currency, created=clock.now(),
    )  # fmt: skip
    trip.take_coding(checked_coding(member, coding))
    trip.save()
    record(member, "started the trip", trip.subject, after={"title": trip.title, "coding": str(coding)})
    return trip


@transaction.atomic
def change_head(member: Membership, trip_id: int, title: str, purpose: str, coding: Coding) -> Trip:
    """Change title, purpose and coding."""
    trip = mine(member, trip_id)
    if len(title.strip()) < 3 or len(purpose.strip()) < 3:
        raise Refusal("A trip needs a title and a purpose.", "title")
    before = {"title": trip.title, "coding": str(trip.coding)}
    trip.title, trip.purpose = title.strip()[:120], purpose.strip()[:500]
    trip.take_coding(checked_coding(member, coding))
    _changed(member, trip, "changed the trip's head", before, {"title": trip.title, "coding": str(coding)})
    return trip


@transaction.atomic
def add_leg(
    member: Membership, trip_id: int, mode: str, origin: Place, target: Place, leaves: datetime, arrives: datetime,
    estimate: Decimal = Decimal(0), paid_by: str = "firm",
) -> Leg:  # fmt: skip
    """Add a leg with local times; nights follow by themselves. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    leg = place_leg(trip, mode, origin, target, leaves, arrives, estimate, paid_by)
    rebuild_nights(trip)
    _changed(member, trip, "added a leg", None, {"leg": str(leg), "leaves": leaves, "arrives": arrives})
    return leg


def place_leg(
    trip: Trip, mode: str, origin: Place, target: Place, leaves: datetime, arrives: datetime,
    estimate: Decimal = Decimal(0), paid_by: str = "firm", booking_id: int | None = None,
) -> Leg:  # fmt: skip
    """Put a leg on a trip after checking that it fits among the others. Inside the caller's transaction."""
    if not (2000 <= leaves.year <= 2100 and 2000 <= arrives.year <= 2100):
        raise Refusal("Check the year.", "leaves")
    leaves_at = leaves.replace(tzinfo=ZoneInfo(origin.zone))
    arrives_at = arrives.replace(tzinfo=ZoneInfo(target.zone))
    if arrives_at < leaves_at:
        raise Refusal("It arrives before it leaves. Times are local to each place; check the day as well.", "arrives")
    if arrives_at - leaves_at > timedelta(days=4):
        raise Refusal("A single move of more than four days is not likely. Check the dates.", "arrives")
    others = list(trip.legs.all())
    if len(others) >= MOST_LEGS:
        raise Refusal(f"A trip has at most {MOST_LEGS} legs. Make a second trip for the rest.", "leaves")
    for other in others:
        if leaves_at < other.arrives_at and other.leaves_at < arrives_at:
            raise Refusal(
                f"It overlaps {other}, {other.leaves:%a %d %b %H:%M} to {other.arrives:%H:%M}. Change one of them.",
                "leaves",
            )
    days = [leaves_at, arrives_at, *(o.leaves_at for o in others), *(o.arrives_at for o in others)]
    if (max(days) - min(days)).days > MOST_DAYS:
        raise Refusal(f"A trip lasts at most {MOST_DAYS} days. Check the year.", "leaves")
    return Leg.objects.create(
        trip=trip, mode=mode, origin=place_data(origin), target=place_data(target), leaves_at=leaves_at,
        arrives_at=arrives_at, estimate_minor=Money.rounded(estimate, trip.currency).minor, paid_by=paid_by,
        booking_id=booking_id,
    )  # fmt: skip


@transaction.atomic
def remove_leg(member: Membership, trip_id: int, leg_id: int) -> None:
    """Take a leg off; a flight that is held goes with its hold, all its legs together."""
    trip = mine(member, trip_id)
    leg = Leg.objects.filter(trip=trip, pk=leg_id).first()
    if leg is None:
        raise Stale("That leg is gone already.")
    if leg.booking_id:
        raise Refusal(f"{leg} belongs to a booking. Cancel the booking, and its legs go with it.")
    before = {"leg": str(leg)}
    leg.delete()
    rebuild_nights(trip)
    _changed(member, trip, "took a leg off", before, None)


def rebuild_nights(trip: Trip) -> None:
    """Make the nights follow the legs: one for every night not spent under way, kept as typed where the town is the same.

    A new night is expected to cost the ceiling of its place, so that a plan is right from the start.
    """
    legs = list(Leg.objects.filter(trip=trip))
    kept = {night.date: night for night in Night.objects.filter(trip=trip)}
    if not legs:
        Night.objects.filter(trip=trip).delete()
        trip.starts = trip.ends = None
        trip.supplied = []
        return
    journey = journey_of(legs, [], [])
    days = journey.days()
    trip.starts, trip.ends = days[0], days[-1]
    trip.supplied = [m for m in trip.supplied if days[0].isoformat() <= m.partition(":")[0] <= days[-1].isoformat()]
    book = rulebook(trip.firm)
    wanted: dict[date, Place] = {
        day: journey.last_place_on(day) for day in days[:-1] if journey.under_way_at_midnight(day) is None
    }
    for day, night in kept.items():
        if day not in wanted or night.place["town"] != wanted[day].town:
            night.delete()
    previous: Night | None = None
    for day, place in wanted.items():
        night = kept.get(day)
        if night is None or night.place["town"] != place.town:
            same = previous if previous is not None and previous.place["town"] == place.town else None
            night = Night.objects.create(
                trip=trip, date=day, place=place_data(place), name=same.name if same else "",
                cost_minor=same.cost_minor if same else _expected(book, place, day),
                paid_by=same.paid_by if same else "firm", supplied=same.supplied if same else False,
            )  # fmt: skip
        previous = night


def _expected(book: Rulebook, place: Place, day: date) -> int:
    try:
        ceiling = rate_for(book.rates, place, day).ceiling
    except NoRate:
        return 0
    return ceiling.minor if ceiling else 0


def _journey(trip: Trip) -> Journey:
    return journey_of(trip.legs.all(), trip.nights.all(), trip.supplied)


@transaction.atomic
def set_stay(
    member: Membership, trip_id: int, dates: list[date], name: str, cost: Decimal, paid_by: str, supplied: bool
) -> None:
    """Say for several nights at once where one sleeps, what a night costs, and who pays."""
    trip = mine(member, trip_id)
    nights = list(Night.objects.filter(trip=trip, date__in=dates))
    if not nights:
        raise Stale("Those nights are no longer on the trip.")
    if cost < 0:
        raise Refusal("A night does not cost less than nothing.", "cost")
    before = [{"night": str(n.date), "cost": n.cost_minor} for n in nights]
    minor = 0 if supplied else Money.rounded(cost, trip.currency).minor
    for night in nights:
        night.name, night.cost_minor, night.paid_by, night.supplied = name.strip()[:80], minor, paid_by, supplied
        night.save()
    _changed(member, trip, "changed nights", before, [{"night": str(n.date), "cost": minor} for n in nights])


@transaction.atomic
def mark_meal(member: Membership, trip_id: int, day: date, meal: Meal, all_alike: bool = False) -> tuple[str, bool]:
    """Mark a meal as supplied by others, or not; for all like days at once if wanted. Returns what was done, in words."""
    trip = mine_for_meals(member, trip_id)
    journey = _journey(trip)
    if day not in journey.days():
        raise Stale("That day is no longer on the trip.")
    supplied = (day, meal) not in journey.supplied
    days = like_days(journey, day) if all_alike else [day]
    marks = with_meal(journey, days, meal, supplied)
    before = trip.supplied
    trip.supplied = sorted(f"{each.isoformat()}:{which.value}" for each, which in marks)
    _changed(member, trip, "marked meals", before, trip.supplied)
    return f"{meal.value.capitalize()} on {day_text(day)}", supplied


def mine_for_meals(member: Membership, trip_id: int) -> Trip:
    """Meals may still be marked once the trip is back, since that is when they are known."""
    trip = mine(member, trip_id, editable=False)
    if not (trip.editable or trip.state in ("Authorised", "Under way", "Back")):
        raise Stale(f"The trip stands at {trip.state}: meals cannot be marked now.")
    claim = getattr(trip, "claim", None)
    if claim is not None and not claim.editable:
        raise Stale(f"Its claim stands at {claim.state}: meals cannot be marked now.")
    return trip


@transaction.atomic
def add_other(member: Membership, trip_id: int, category: str, label: str, amount: Decimal, paid_by: str) -> OtherCost:
    """Expect another cost; a night is never one, since nights stand on the trip already. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    known = rulebook(trip.firm).categories.get(category)
    if known is None:
        raise Refusal("Choose what the cost is for.", "category")
    if known.is_lodging:
        raise Refusal("Lodging stands under Nights already; typed here it would count twice.", "category")
    if amount <= 0:
        raise Refusal("Type an amount of more than nothing.", "amount")
    minor = Money.rounded(amount, trip.currency).minor
    other = OtherCost.objects.create(
        trip=trip, category=category, label=label.strip()[:80] or known.name, amount_minor=minor, paid_by=paid_by
    )
    _changed(member, trip, "added a cost", None, {"label": other.label, "amount": minor})
    return other


@transaction.atomic
def remove_other(member: Membership, trip_id: int, other_id: int) -> None:
    """Take an expected cost off."""
    trip = mine(member, trip_id)
    other = OtherCost.objects.filter(trip=trip, pk=other_id).first()
    if other is None:
        raise Stale("That cost is gone already.")
    before = {"label": other.label, "amount": other.amount_minor}
    other.delete()
    _changed(member, trip, "took a cost off", before, None)


@transaction.atomic
def ask_advance(member: Membership, trip_id: int, amount: Decimal, most: Money) -> None:
    """Ask for an advance of at most what is proposed; nothing is as good as none. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    wanted = Money.rounded(amount, trip.currency)
    if wanted.minor < 0 or wanted > most:
        raise Refusal(f"An advance lies between nothing and the {most} proposed.", "advance")
    before = trip.advance_minor
    trip.advance_minor = wanted.minor
    _changed(member, trip, "asked for an advance", before, wanted.minor)


@transaction.atomic
def explain(
    member: Membership, trip_id: int, findings: list[Finding], identities: list[str], reason: str, words: str
) -> None:
    """Give a reason to findings of the plan."""
    trip = mine(member, trip_id)
    reasons.explain(member, trip.subject, findings, identities, reason, words)


def _changed(member: Membership, trip: Trip, what: str, before: object, after: object) -> None:
    trip.version += 1
    trip.save()
    record(member, what, trip.subject, before=before, after=after)
