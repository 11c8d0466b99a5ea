"""Holding what was chosen for a trip; cancelling and changing it; what was bought elsewhere.

Each hold stands for itself: what is held and what is not is always known, whatever breaks off.
"""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from django.db import transaction
from django.db.models import Q

from wainwright import clock
from wainwright.bookings import services as bookings
from wainwright.bookings.choices import Choice
from wainwright.bookings.models import CATEGORY, Booking
from wainwright.core.journey import Meal, Mode, Place, moment
from wainwright.core.money import Money, share_out
from wainwright.core.rules import Item, Level
from wainwright.core.said import as_figure, joined, kept, say
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.rulebook.models import Explanation
from wainwright.rulebook.selectors import Explained, rulebook
from wainwright.trail.services import record
from wainwright.trips.figures import b_key
from wainwright.trips.judging import findings_on_stay
from wainwright.trips.models import Leg, Night, OtherCost, Trip
from wainwright.trips.replacing import meant
from wainwright.trips.selectors import TripFile, load_file, trip_for
from wainwright.trips.services.base import changed, mine
from wainwright.trips.services.nights import rebuild_nights
from wainwright.trips.services.plan import place_leg
from wainwright.trips.under import legs_of, nights_with_bookings

log = logging.getLogger(__name__)
CHOICE = "choice"
LEAST_WORDS = 5


@dataclass(frozen=True)
class Wish:
    """How something is to be held: who pays with which card, what was said for it, in place of what, with a bag."""

    reason: str = ""
    words: str = ""
    paid_by: str = "firm"
    # The last four digits; empty: the card that the trip keeps.
    card: str = ""
    instead_of: int = 0
    bag: Money | None = None
    # Whether more is held in the same place: what was there is given up with the last of it.
    more: bool = False


def item_of_choice(choice: Choice, number: int = 0) -> Item:
    """Return a choice as rules see it, though it is not on the plan yet; of several each has its number."""
    return Item(
        f"{CHOICE}-{number}" if number else CHOICE, choice.label, CATEGORY[choice.kind], choice.departure.date(), choice.price, "firm",
        cheapest=None if choice.kind == "stay" else choice.cheapest, needs_evidence=False, cabin=choice.cabin,
        contract_passed=choice.contract_passed,
    )  # fmt: skip


def findings_on(file: TripFile) -> list[Explained]:
    """Return what the rules say of the choices that the file was loaded with."""
    return [each for each in file.findings if each.finding.target.partition("-")[0] == CHOICE]


def hold(member: Membership, trip_id: int, choice: Choice, wish: Wish | None = None) -> Booking:
    """Hold a choice; its legs or nights take the place of planned ones. Raises ``Refusal``; then nothing is held."""
    wish = wish or Wish()
    trip = trip_for(member, trip_id)
    if wish.card or wish.paid_by != "firm":
        must_be_payer(member, wish.paid_by, wish.card)
    with transaction.atomic():
        old = _instead(mine(member, trip_id), wish.instead_of)
    file = load_file(member, trip, [item_of_choice(choice)])
    judged = findings_on_stay(file, choice) if choice.stay else findings_on(file)
    explains = _reasons_needed(judged, wish)
    if not trip.bookings.filter(keys=list(choice.keys), state__in=["Asked", *Booking.STANDING]).exists():
        _must_fit(trip, choice, old)
    card = "" if wish.paid_by == "central" else wish.card or trip.profile.get("card", "")
    booking = bookings.keep_asked(member, trip.pk, choice, wish.paid_by, card, old)
    policy = rulebook(trip.firm).policy
    if booking.state == "Asked":
        booking = bookings.send_hold(
            booking, member.person.name, bookings.Terms(policy.hold_hours, policy.ticket_hours)
        )
    try:
        fresh = _put_on_trip(member, trip_id, booking, explains, wish, choice)
    except Refusal:
        bookings.give_up(booking, 0)
        raise
    if old is not None and old.stands and not wish.more:
        _give_up_old(member, trip_id, old)
    if fresh and explains:
        _tell_approver(member, trip_id, booking, explains, wish)
    return booking


def must_be_payer(member: Membership, paid_by: str, card: str) -> None:
    """Fail where neither the firm is billed nor one of a person's cards of the firm pays. Raises ``Refusal``."""
    if paid_by not in ("firm", "central"):
        raise Refusal(say("Choose the firm's card, or have it billed to the firm."), "paid_by")
    if paid_by == "firm" and card not in {each.last_four for each in member.cards.all() if each.firm_pays}:
        raise Refusal(say("Choose one of your cards of the firm."), "card")


def _instead(trip: Trip, booking_id: int) -> Booking | None:
    if not booking_id:
        return None
    old = Booking.objects.filter(trip=trip, pk=booking_id).first()
    if old is None or not old.stands or old.by_hand:
        raise Stale(say("What was to be changed is gone already."))
    return old


def _reasons_needed(judged: Sequence[Explained], wish: Wish) -> list[Explained]:
    stops = [each for each in judged if each.finding.level == Level.STOP]
    if stops:
        raise Refusal(stops[0].finding.text)
    explains = [each for each in judged if each.finding.level == Level.EXPLAIN and each.open]
    if explains and len(wish.words.strip()) < LEAST_WORDS:
        raise Refusal(
            say("{finding_text} Give a reason before it is held.", finding_text=explains[0].finding.text), "words"
        )
    if len(wish.words) > 500:
        raise Refusal(say("That is longer than 500 letters. Say it shorter."), "words")
    named = {reason for each in explains for reason in each.finding.reasons}
    if named and wish.reason not in named:
        raise Refusal(say("Choose one of the reasons on the list."), "reason")
    return explains


def _must_fit(trip: Trip, choice: Choice, old: Booking | None) -> None:
    """Refuse before anything is asked of the market what would not fit on the trip."""
    if choice.stay is not None:
        _free_nights(trip, choice.stay.first, choice.stay.nights, old)
        return
    for offer in choice.offers:
        for leg in _staying(trip, offer.origin.town, offer.target.town, offer.leaves.date(), old):
            leaves = moment(offer.leaves, offer.origin.zone)
            arrives = moment(offer.arrives, offer.target.zone)
            if leaves < leg.arrives_at and leg.leaves_at < arrives:
                raise Refusal(
                    say(
                        "It overlaps {leg}, {leaves} {leaves_2} to {arrives}. Change one of them.",
                        leg=leg,
                        leaves=day_text(leg.leaves),
                        leaves_2=as_figure(leg.leaves, "%H:%M"),
                        arrives=as_figure(leg.arrives, "%H:%M"),
                    )
                )


def _staying(trip: Trip, origin: str, target: str, day: date, old: Booking | None) -> list[Leg]:
    """The legs that stay when a way between two towns on a day is held in place of the planned one."""
    legs = [leg for leg in legs_of(trip) if leg.booking_id != (old.pk if old else -1)]
    out = {leg.pk for leg in meant([leg for leg in legs if leg.booking_id is None], origin, target, day)}
    return [leg for leg in legs if leg.pk not in out]


def _free_nights(trip: Trip, first: date, count: int, old: Booking | None) -> list[Night]:
    dates = [first + timedelta(days=n) for n in range(count)]
    nights = [night for night in nights_with_bookings(trip) if night.date in dates]
    if len(nights) != count:
        raise Refusal(say("The trip does not sleep there on all of these nights. Change the nights or the legs first."))
    for night in nights:
        if night.booking_id and night.booking_id != (old.pk if old else 0) and night.booking.stands:
            cost = Money.from_minor(night.cost_minor, trip.currency)
            raise Refusal(
                say(
                    "The night of {date} is there already: {booking}, {cost}. A night is paid once; change "
                    "or cancel that booking first.",
                    date=day_text(night.date),
                    booking=night.booking,
                    cost=cost,
                )
            )
    return nights


@transaction.atomic
def _put_on_trip(
    member: Membership, trip_id: int, booking: Booking, explains: Sequence[Explained], wish: Wish, choice: Choice | None
) -> bool:
    """Let a held booking stand on the trip; say whether it did not before. Safe to repeat."""
    trip = mine(member, trip_id)
    if not Booking.objects.filter(pk=booking.pk, placed=False).update(placed=True):
        return False
    if booking.instead_of_id:
        Leg.objects.filter(booking_id=booking.instead_of_id).delete()
        OtherCost.objects.filter(booking_id=booking.instead_of_id).delete()
        old_nights = Night.objects.filter(trip=trip, booking_id=booking.instead_of_id)
        supply_breakfasts(trip, booking.instead_of, list(old_nights), False)
        old_nights.update(booking=None)
    if booking.kind == "stay":
        _sleep_there(trip, booking)
    for hops in _ways_of(booking):
        origin, target = Place(**hops[0]["origin"]), Place(**hops[-1]["target"])
        leaves, arrives = (datetime.fromisoformat(t) for t in (hops[0]["leaves"], hops[-1]["arrives"]))
        planned = [leg for leg in legs_of(trip) if leg.booking_id is None]
        for leg in meant(planned, origin.town, target.town, leaves.date()):
            leg.delete()
        mode = max(hops, key=lambda h: datetime.fromisoformat(h["arrives"]) - datetime.fromisoformat(h["leaves"]))[
            "mode"
        ]
        place_leg(trip, Mode(mode), origin, target, leaves, arrives, paid_by=booking.paid_by, booking_id=booking.pk)
    rebuild_nights(trip)
    for each in explains:
        identity = each.finding.identity.replace(f"@{CHOICE}", f"@{b_key(booking)}")
        Explanation.objects.update_or_create(
            subject=trip.subject, identity=identity,
            defaults={"firm": trip.firm, "reason": wish.reason, "words": wish.words.strip(), "by": member, "time": clock.now()},
        )  # fmt: skip
    if booking.kind == "car" and len(wish.words.strip()) >= LEAST_WORDS:
        # What was said for it is the comment of the permission that it calls for: nobody is asked twice.
        Explanation.objects.get_or_create(
            subject=trip.subject, identity=f"permission-hire-car@{trip.subject}",
            defaults={"firm": trip.firm, "reason": wish.reason, "words": wish.words.strip(), "by": member, "time": clock.now()},
        )  # fmt: skip
    if wish.bag is not None and wish.bag.minor > 0:
        label = say("Bag, {carrier}", carrier=booking.carrier)[:80]
        OtherCost.objects.create(
            trip=trip,
            category="air",
            label=label,
            amount_minor=wish.bag.minor,
            paid_by=booking.paid_by,
            booking=booking,
        )
    after = {"booking": booking.pk, "price": booking.price_minor, "until": booking.held_until, "reason": wish.words}
    changed(member, trip, say("held: {booking_label}", booking_label=booking.label), None, after)
    return True


def _ways_of(booking: Booking) -> list[list[dict]]:
    ways: dict[str, list[dict]] = {}
    for hop in booking.hops:
        ways.setdefault(hop["key"], []).append(hop)
    return list(ways.values())


def _sleep_there(trip: Trip, booking: Booking) -> None:
    _, _, first, count, *_ = booking.keys[0].split("/")
    old = booking.instead_of
    nights = _free_nights(trip, date.fromisoformat(first), int(count), old)
    costs = share_out(booking.price, [1] * len(nights))
    for night, cost in zip(nights, costs, strict=True):
        night.name, night.cost_minor, night.paid_by = booking.carrier[:80], cost.minor, booking.paid_by
        night.supplied, night.booking = booking.price_minor == 0, booking
        night.save()
    supply_breakfasts(trip, booking, nights, True)


def supply_breakfasts(trip: Trip, booking: Booking, nights: Sequence[Night], there: bool) -> None:
    """A breakfast in the price of a room is supplied, on the morning after each of its nights; it goes with the room."""
    if booking.breakfast:
        marks = {f"{night.date + timedelta(days=1)}:{Meal.BREAKFAST.value}" for night in nights}
        trip.supplied = sorted(set(trip.supplied) | marks if there else set(trip.supplied) - marks)


def _give_up_old(member: Membership, trip_id: int, old: Booking) -> None:
    kept = old.costs_to_change.minor
    bookings.give_up(old, kept)
    with transaction.atomic():
        record(member, say("changed a booking"), f"trip:{trip_id}", before={"booking": old.pk, "price": old.price_minor},
               after={"not given back": kept})  # fmt: skip


def _tell_approver(
    member: Membership, trip_id: int, booking: Booking, explains: Sequence[Explained], wish: Wish
) -> None:
    """Tell whoever signs first of a choice outside the rules, with the reason and the cheaper ways then on offer."""
    trip = trip_for(member, trip_id)
    file = load_file(member, trip)
    first = Membership.objects.select_related("person", "firm").filter(
        pk=int(file.route.steps[0].signer) if file.route.steps else member.manager_id
    ).first()  # fmt: skip
    said = [kept(each.finding.text.replace(CHOICE, booking.label)) for each in explains]
    ways = [joined("", (row["way"], ", ", row["price"])) for row in booking.alternatives]
    body = joined("\n", [*said, say("Reason: {reason}. {wish_words}", reason=wish.reason, wish_words=wish.words.strip()) if wish.reason else say("Reason: {wish_words}", wish_words=wish.words.strip()),
                      "", say("Cheaper ways then on offer:") if ways else say("No cheaper way that fits was on offer."), *ways])  # fmt: skip
    evidence = {
        "findings": said, "reason": wish.reason, "words": wish.words.strip(), "ways": booking.alternatives,
        "told": first.person.name if first else "", "when": clock.now().isoformat(),
    }  # fmt: skip
    with transaction.atomic():
        Booking.objects.filter(pk=booking.pk).update(evidence=evidence, told=first)
        if first is not None:
            tell(
                first,
                say(
                    "{member} holds {booking_label} outside the rules",
                    member=member.person.name,
                    booking_label=booking.label,
                ),
                f"/trips/{trip.pk}/",
                body,
            )
        record(member, say("told the approver of a choice outside the rules"), trip.subject, after=evidence)


def finish_asked(now: datetime) -> int:
    """Finish what broke off: asked for without an answer, held and not on its trip, put in another's place that still stands.

    Found by what is missing, whatever state it was left in. Returns how many are decided now.
    """
    late = Booking.objects.filter(asked__lt=now - bookings.UNANSWERED, by_hand=False)
    missing = Q(state="Asked") | Q(state__in=["Held", "Confirmed"], placed=False)
    waiting = list(late.filter(missing).select_related("trip__firm", "booker__person", "booker__firm"))
    for booking in waiting:
        policy = rulebook(booking.trip.firm).policy
        try:
            held = booking
            if booking.state == "Asked":
                held = bookings.send_hold(
                    booking, booking.booker.person.name, bookings.Terms(policy.hold_hours, policy.ticket_hours)
                )  # fmt: skip
            _put_on_trip(booking.booker, booking.trip_id, held, (), Wish(), None)
        except Refusal:
            current = Booking.objects.get(pk=booking.pk)
            if current.stands and not current.placed:
                bookings.give_up(current, 0)
    twice = late.filter(state__in=Booking.STANDING, instead_of__state__in=Booking.STANDING)
    replaced = list(twice.select_related("instead_of", "booker__firm"))
    for booking in replaced:
        try:
            _give_up_old(booking.booker, booking.trip_id, booking.instead_of)
        except Refusal as refusal:
            log.warning("booking %s was changed for another and is not given up: %s", booking.instead_of_id, refusal)
    return len(waiting) + len(replaced)
