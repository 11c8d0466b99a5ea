"""A claim drafts itself: what is known of a trip is put on it, what is not sure stays loose and is asked.

It is made when a trip is back, and filled again whenever a charge or a paper comes in while it is open.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import timedelta

from django.db import transaction
from django.db.models import QuerySet

from wainwright import clock
from wainwright.accounts.splits import parts_from
from wainwright.bookings.models import Booking
from wainwright.claims.comparing import planned_key
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services.closing import link
from wainwright.claims.services.compose import bare_claim, make_claim, mine, spans_of
from wainwright.core.belonging import may_belong_to
from wainwright.core.journey import Mode, Place
from wainwright.core.rules import Level
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.expenses.models import Charge, Expense
from wainwright.expenses.selectors import Row, tray
from wainwright.expenses.services import rides, taking
from wainwright.expenses.services.editing import follow_meals, set_split
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.rulebook.models import Explanation
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import by_itself, record
from wainwright.trips.models import Trip
from wainwright.trips.moving import move_of
from wainwright.trips.under import legs_of

# A booking is charged from the day before it was asked for until some days after leaving.
BEFORE, AFTER = timedelta(days=1), timedelta(days=5)


def draft_what_is_back() -> int:
    """Draft the claim of every trip that is back and has none; return how many."""
    waiting = Trip.objects.filter(
        state="Back", claims__isnull=True, also_claims__isnull=True, authorised__isnull=False, traveller__active=True
    )
    return sum(draft(trip_id) for trip_id in waiting.values_list("pk", flat=True)[:200])


@transaction.atomic
def draft(trip_id: int) -> bool:
    """Draft the claim of a trip that is back, and tell its traveller; nothing where it has one."""
    trip = (
        Trip.objects.select_for_update(of=("self",), no_key=True)
        .select_related("firm", "traveller__person", "traveller__firm")
        .get(pk=trip_id)
    )
    if trip.state != "Back" or trip.claims.exists() or trip.also_claims.exists():
        return False
    member = trip.traveller
    with by_itself():
        claim = make_claim(member, trip, None)
        fill(member, claim, first=True)
    file = load_file(member, claim)
    words = say(
        "{lines_count} lines, {total} {currency}. ",
        lines_count=len(file.figures.lines),
        total=file.figures.total,
        currency=claim.currency,
    )
    words += (
        say("{in_the_way} still asked of you.", in_the_way=file.in_the_way)
        if file.in_the_way
        else say("Nothing is asked of you but your signature.")
    )
    tell(member, say("The claim of {trip_title} is drafted", trip_title=trip.title), link(claim), words)
    return True


def follow(member_id: int) -> int:
    """Put what came in for a person on their open claims, where there is no doubt; return how many things went on."""
    with transaction.atomic():
        member = Membership.objects.select_related("person", "firm").get(pk=member_id)
        claims = Claim.objects.filter(claimant=member, trip__isnull=False, state__in=["Open", "Sent back"])
        if not claims.exists():
            return 0
        with by_itself():
            return sum(fill(member, mine(member, claim.pk)) for claim in claims.order_by("pk"))


@transaction.atomic
def claim_trip(member: Membership, trip_id: int) -> Claim:
    """Make the claim or the supplement of one's trip, and put on it what is known. A second call gives the same claim.

    Raises ``NotAllowed``, ``Stale``.
    """
    there = Claim.objects.live().of_trip(trip_id).filter(state__in=["Open", "Sent back"]).exists()
    claim = mine(member, bare_claim(member, trip_id).pk)
    fill(member, claim, first=not there)
    return claim


def fill(member: Membership, claim: Claim, first: bool = False) -> int:
    """Put on an open claim of a trip what is known and not on any claim yet; return how many costs. Inside a transaction.

    Rides and what was billed to the firm come of the plan the ``first`` time alone: what was taken off stays off.
    """
    return sum(fill_of(member, claim, trip, first) for trip in claim.trips)


def fill_of(member: Membership, claim: Claim, trip: Trip, first: bool = False) -> int:
    """The same for one of its trips."""
    new = [*_bookings(member, claim, trip, first), *_rows(member, claim, trip)]
    if first:
        new += _rides(member, claim, trip)
    if new:
        Expense.objects.filter(pk__in=[expense.pk for expense in new]).update(claim=claim)
        claim.version += 1
        claim.save(update_fields=["version"])
        record(member, say("put on the claim what is known"), claim.subject, after={"expenses": [e.pk for e in new]})
        follow_meals(claim.pk)
    _splits(member, claim, trip)
    _reasons(member, claim, trip)
    return len(new)


def _rides(member: Membership, claim: Claim, trip: Trip) -> Iterable[Expense]:
    """The rides of the plan in one's own vehicle that were not recorded yet."""
    if trip.state == "Called off":
        return
    known = [(day, origin["town"], target["town"]) for day, origin, target in _ridden(member.pk)]
    move = move_of(trip, rulebook(trip.firm))
    if move is not None and not move.drives:
        return
    for leg in legs_of(trip):
        if leg.mode != Mode.OWN_CAR or leg.driven_by:
            continue
        if (leg.leaves.date(), leg.origin["town"], leg.target["town"]) in known or leg.arrives_at > clock.now():
            continue
        ride = rides.Ride(
            leg.leaves.date(), Place(**leg.origin), Place(**leg.target), leg.vehicle, passengers=leg.passengers, km=leg.km,
            reason=say("As on the authorised plan"), profile=trip.profile,
        )  # fmt: skip
        made = _tried(lambda ride=ride: rides.type_ride(member, ride))
        if made is not None:
            yield made


@prepared
def _ridden(owner: int) -> QuerySet:
    """Days and places of somebody's rides."""
    rows = Expense.objects.filter(owner_id=owner, kind=Expense.Kind.MILEAGE, origin__isnull=False)
    return rows.values_list("date", "origin", "target")


def _tried(act) -> Expense | None:
    """Do something that may be refused: what is refused is not sure, and stays as it was."""
    try:
        with transaction.atomic():
            return act()
    except Refusal:
        return None


def _bookings(member: Membership, claim: Claim, trip: Trip, first: bool) -> Iterable[Expense]:
    """What was booked: billed to the firm it is known; on a card it is known once its charge is there."""
    for booking in _unspent(trip.pk):
        cost = booking.price if booking.state in ("Confirmed", "Ticketed") else booking.lost
        if not cost or cost.currency != claim.currency:
            continue
        same = Expense.objects.filter(
            owner=member, amount_minor=cost.minor, category=booking.category, booking__isnull=True,
            paid_by=booking.paid_by, date__range=_when(booking),
        )  # fmt: skip
        if same.count() == 1:
            same.update(booking=booking)
        elif same.exists():
            continue
        elif booking.paid_by == "firm":
            yield from _charged(member, booking)
        elif first and (booking.paid_by == "central" or booking.by_hand):
            made = Expense.objects.create(
                firm=claim.firm, owner=member, date=min(clock.day_of(booking.asked, claim.firm.zone), clock.today(claim.firm.zone)),
                merchant=booking.carrier[:120], description=booking.label[:200], category=booking.category,
                currency=claim.currency, amount_minor=cost.minor, paid_by=booking.paid_by, booking=booking,
                reference=booking.ticket_number[:60], created=clock.now(),
            )  # fmt: skip
            record(
                member, say("took a cost from a booking"), made.key, after={"booking": booking.pk, "amount": cost.minor}
            )
            yield made


@prepared
def _unspent(trip: int) -> QuerySet[Booking]:
    """What was booked for a trip and is no cost of anybody's yet."""
    return Booking.objects.filter(trip_id=trip, expenses__isnull=True)


def _when(booking: Booking):
    return booking.asked.date() - BEFORE, booking.departure.date() + AFTER


def _charged(member: Membership, booking: Booking) -> Iterable[Expense]:
    """The one loose charge that a booking was paid by: the same card, amount and time."""
    cost = booking.price_minor if booking.stands else booking.lost_minor
    found = Charge.objects.filter(
        owner=member, state="Loose", aside="", amount_minor=cost, currency=booking.currency, date__range=_when(booking)
    )
    if booking.card:
        found = found.filter(card__last_four=booking.card)
    if found.count() != 1:
        return
    charge = found.get()
    made = _tried(lambda: taking.take(member, None, charge.pk))
    if made is not None:
        made.booking, made.category = booking, booking.category
        made.description, made.reference = booking.label[:200], booking.ticket_number[:60]
        made.save()
        yield made


def _rows(member: Membership, claim: Claim, trip: Trip) -> Iterable[Expense]:
    """Papers and charges that fit each other without doubt, of days that are this trip's alone or of what was booked for it."""
    spans = spans_of(member, trip.pk)
    for row in tray(member).fitting:
        alone = may_belong_to(day_of(row), spans) == (str(trip.pk),)
        belongs = alone if row.trip_id is None else row.trip_id == trip.pk
        if belongs and f"row:{row.key}" not in claim.answered:
            made = _tried(lambda names=row.names: taking.take(member, *names))
            if made is not None:
                yield made


def day_of(row: Row):
    """The day of a row of the tray: of its paper, as taking it would have it, else of its charge."""
    if row.paper is not None and row.paper.day is not None:
        return row.paper.day
    return row.charge.date if row.charge is not None else row.paper.received.date()


def _splits(member: Membership, claim: Claim, trip: Trip) -> None:
    """The splits of the plan: of the whole and of categories for the claim, of a booking or a ride for what came of it."""
    if claim.shares or (claim.supplements_id is not None and not trip.shares):
        return
    legs = legs_of(trip)
    for row in trip.shares:
        parts = [{"share": part["share"], "codes": part["codes"]} for part in row["parts"]]
        if row["about"] == "all" or row["about"].startswith("category:"):
            claim.shares = [*claim.shares, {**row, "parts": parts}]
            continue
        for expense in claim.expenses.all():
            if f"line:{planned_key(expense, legs)}" == row["about"] and not expense.shares.exists():
                core = parts_from(parts, claim.currency)
                _tried(lambda expense=expense, core=core: set_split(member, expense.pk, None, core))
    if claim.shares:
        claim.save(update_fields=["shares"])


def _reasons(member: Membership, claim: Claim, trip: Trip) -> None:
    """Reasons that were given on the plan for the same thing count here too."""
    given = {row.identity: row for row in Explanation.objects.filter(subject=trip.subject)}
    if not given:
        return
    legs = legs_of(trip)
    keys = {expense.key: planned_key(expense, legs) for expense in claim.expenses.all()}
    for each in load_file(member, claim).findings:
        finding = each.finding
        if not each.open or finding.level != Level.EXPLAIN:
            continue
        rule, _, target = finding.identity.partition("@")
        row = given.get(finding.identity) or given.get(f"{rule}@{keys.get(target) or '-'}")
        if row is not None and (not finding.reasons or row.reason in finding.reasons):
            Explanation.objects.get_or_create(
                subject=claim.subject, identity=finding.identity,
                defaults={"firm": claim.firm, "reason": row.reason, "words": row.words, "by": row.by, "time": clock.now()},
            )  # fmt: skip
