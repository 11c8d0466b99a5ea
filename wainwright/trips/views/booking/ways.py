"""Ways to get there: the sentence, the field, the list, and what a choice does to the trip."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.selectors import budget_effects, by_code
from wainwright.accounts.splits import shares_of
from wainwright.bookings.choices import Choice, Measured, carbon_of, short
from wainwright.bookings.models import CATEGORY, Booking
from wainwright.bookings.selectors import by_carrier, chosen, ways
from wainwright.core.bearing import Borne, bear
from wainwright.core.carbon import Carbon
from wainwright.core.fares import Asked
from wainwright.core.money import Money
from wainwright.core.rules import Level
from wainwright.core.said import as_figure, joined, say, say_many
from wainwright.drawing.field import Flight, draw_field
from wainwright.drawing.ribbon import minutes
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import whole
from wainwright.ports.market import Offer
from wainwright.trips.selectors import TripFile, load_file, trip_for
from wainwright.trips.services import basket
from wainwright.trips.services.ways import Wish, findings_on, hold, item_of_choice
from wainwright.trips.views.booking.days import days_around
from wainwright.trips.views.booking.paying import chosen_payer, payers
from wainwright.trips.views.booking.sentence import WHEN, Said, first_guess, from_address, in_place_of, understand
from wainwright.trips.views.seats import WISHES
from wainwright.trips.whole import Pricer, WholeCost, margins

ORDERS = {"whole": say("whole trip"), "price": say("price"), "leaves": say("leaving"), "arrives": say("arriving"), "time": say("time on the way"), "carbon": say("carbon")}  # fmt: skip
MODES = ("air", "rail", "ferry", "coach")
USUAL_REASONS = [
    say("Arrives in time for the work"),
    say("Cheaper as a whole"),
    say("Bags needed"),
    say("Safety or health"),
    say("Another reason"),
]


@dataclass(frozen=True)
class Narrow:
    """How the ways are narrowed; ``box`` is (low price, high price, leaves from, arrives until)."""

    stops: int | None
    carrier: str
    modes: tuple[str, ...]
    bag: bool
    refund: bool
    after: str
    before: str
    box: tuple[Decimal, Decimal, datetime, datetime] | None

    @property
    def any(self) -> bool:
        """Whether anything is narrowed."""
        return bool(
            self.stops is not None
            or self.carrier
            or self.modes
            or self.bag
            or self.refund
            or self.after
            or self.before
            or self.box
        )

    def lets_through(self, offer: Offer) -> bool:
        """Say whether an offer is shown."""
        if self.stops is not None and len(offer.hops) - 1 > self.stops:
            return False
        if (self.carrier and self.carrier != offer.carrier) or (self.modes and offer.mode.value not in self.modes):
            return False
        if (self.bag and not offer.bags) or (self.refund and offer.refund_fee is None):
            return False
        if (self.after and f"{offer.leaves:%H:%M}" < self.after) or (
            self.before and f"{offer.arrives:%H:%M}" > self.before
        ):
            return False
        if self.box is None:
            return True
        low, high, since, until = self.box
        return low <= offer.price.amount <= high and offer.leaves >= since and offer.arrives <= until


def _narrow(query) -> Narrow:
    stops = query.get("stops", "")
    modes = tuple(m for m in query.getlist("mode") if m in MODES)
    return Narrow(
        int(stops) if stops in ("0", "1", "2") else None, query.get("carrier", "")[:60], modes, "bag" in query, "refund" in query,
        query.get("after", "")[:5], query.get("before", "")[:5], _box(query.get("box", "")),
    )  # fmt: skip


def _box(text: str) -> tuple[Decimal, Decimal, datetime, datetime] | None:
    try:
        low, high, since, until = text.split(",")
        return Decimal(low), Decimal(high), datetime.fromisoformat(since), datetime.fromisoformat(until)
    except (ValueError, ArithmeticError):
        return None


@dataclass(frozen=True)
class WayRow:
    """One way of the list: its fare that fits best, and what the whole trip then costs."""

    each: Measured
    cost: WholeCost
    carbon: Carbon
    link: str
    here: bool
    via: str
    words: str
    lasts: str
    night: str
    differs: str


@require_GET
def find_ways(request, trip_id: int):
    """Ways for each part of the sentence, then what they do to the trip."""
    trip = trip_for(request.member, trip_id)
    if trip.traveller_id != request.member.pk:
        raise NotAllowed(say("Only the traveller books for this trip."))
    file = load_file(request.member, trip)
    today = clock.today(trip.firm.zone)
    asked = "to" in request.GET
    said = from_address(request.GET) if asked else first_guess(trip, file.legs)
    if asked:
        understand(said, today)
    context = {
        "trip": trip, "said": said, "whens": WHEN, "orders": ORDERS, "modes": MODES, "narrow": _narrow(request.GET),
        "order": _asked_order(request), "asked": asked, "instead": in_place_of(file, said, request.GET.get("instead")),
    }  # fmt: skip
    wrong = asked and (not said or any(one.wrong for one in said))
    if asked and not wrong:
        context |= _results(request, file, said, context["narrow"], context["instead"])
    return render(request, "bookings/ways.html", context, status=422 if wrong else 200)


def _picks(query, count: int) -> list[str]:
    return [query.get(f"pick{n}", "")[:160] for n in range(count)]


def _results(request, file: TripFile, said: list[Said], narrow: Narrow, instead: Booking | None) -> dict:
    trip = file.trip
    today = clock.today(trip.firm.zone)
    picks = _picks(request.GET, len(said))
    at = next((n for n, key in enumerate(picks) if not key), len(said) - 1)
    if (wanted := request.GET.get("part", "")) in {str(n) for n in range(len(said))}:
        at = int(wanted)
    try:
        days = [ways(one.part.origin, one.part.target, one.part.day, today, trip.currency, one.asked) for one in said]
        picked = [
            _picked(key, today, trip.currency, one.asked) if key else None for key, one in zip(picks, said, strict=True)
        ]
    except Refusal as refusal:
        return {"refused": refusal.message}
    pricer = Pricer(
        file, [one.part for one in said], narrow.bag or file.book.policy.bag_needed, instead.pk if instead else 0
    )
    assumed = [p.offers[0] if p else _cheapest(day) for p, day in zip(picked, days, strict=True)]
    rows = _rows(request, days[at], at, picks[at], pricer, assumed, narrow)
    found = {
        "at": at, "day": said[at].part.day, "here": said[at], "rows": rows, "picks": picks,
        "contracts": _asked_order(request) == "whole" and any(row.each.offer.contracted for row in rows),
        "shown": len(rows), "all": len({m.offer.way for m in days[at]}), "carriers": sorted({m.offer.carrier for m in days[at]}),
        "tolerance": Money.rounded(_tolerance(file), trip.currency),
    }  # fmt: skip
    found |= _field(rows, picks[at], said[at], file, found["tolerance"])
    found["around"] = days_around(request, trip.pk, said, today)
    if all(picked):
        found |= _effect(request, file, said, picks, pricer, instead)
    found["fares"] = [
        (joined("", (one.part.origin.town, " – ", one.part.target.town)), _fares(request, day, n, key))
        for n, (one, day, key) in enumerate(zip(said, days, picks, strict=True))
        if key
    ]
    return found


def _picked(key: str, today, currency: str, asked: Asked) -> Choice:
    return chosen([key], today, currency, [asked])


def _cheapest(day: list[Measured]) -> Offer | None:
    return next((m.offer for m in day if m.offer.cabin == "economy"), None)


def _rows(
    request,
    measured: list[Measured],
    at: int,
    current: str,
    pricer: Pricer,
    assumed: list[Offer | None],
    narrow: Narrow,
) -> list[WayRow]:
    """One row a way: of its fares that are let through, the one with which the whole trip costs least.

    Where nobody asked for another order, contracted fares come first, among the fares of a way as among ways (B2).
    """
    order = _asked_order(request)

    def stands(of: Measured, costs: WholeCost) -> tuple[bool, bool, Decimal]:
        return bool(costs.fault), order == "whole" and not of.offer.contracted, costs.amount.amount

    best: dict[str, tuple[Measured, WholeCost]] = {}
    for each in measured:
        offer = each.offer
        if not narrow.lets_through(offer) and offer.key != current:
            continue
        known = best.get(offer.way)
        if known is not None and known[0].offer.key == current:
            continue
        offers = [offer if n == at else other for n, other in enumerate(assumed)]
        cost = pricer.price([o for o in offers if o is not None])
        if known is None or offer.key == current or stands(each, cost) < stands(*known):
            best[offer.way] = (each, cost)
    rows = [_row(request, each, cost, at, current, pricer) for each, cost in best.values()]
    return sorted(rows, key=_order(order))


def _row(request, each: Measured, cost: WholeCost, at: int, current: str, pricer: Pricer) -> WayRow:
    offer = each.offer
    via = joined(", ", (place.town for place in offer.via))
    sleeps = any(hop.sleeper for hop in offer.hops)
    zones = [hop.leaves.replace(tzinfo=ZoneInfo(hop.origin.zone)) for hop in offer.hops[:1]]
    arrives = offer.arrives.replace(tzinfo=ZoneInfo(offer.target.zone))
    return WayRow(
        each, cost, carbon_of(offer), _link(request, at, offer.key), offer.key == current, say("via {via}", via=via) if via else say("direct"),
        short(offer), minutes(arrives - zones[0]), say("night on board") if sleeps else "", _differs(cost, pricer),
    )  # fmt: skip


def _differs(cost: WholeCost, pricer: Pricer) -> str:
    """What changes against the plan as it stands: nights more or fewer, allowance more or less."""
    now, words = pricer.file.figures, []
    if cost.fault or not pricer.file.legs:
        return "" if cost.fault else say_many("{count} night", "{count} nights", cost.nights)
    if nights := cost.nights - len(pricer.file.nights):
        words.append(
            say_many("{count} night more", "{count} nights more", nights)
            if nights > 0
            else say_many("{count} night fewer", "{count} nights fewer", -nights)
        )
    gain = cost.allowance - now.allowance.amount
    if gain.minor:
        words.append(
            say("allowance +{gain_amount}", gain_amount=abs(gain.amount))
            if gain.minor > 0
            else say("allowance −{gain_amount}", gain_amount=abs(gain.amount))
        )
    return joined(", ", words)


def _link(request, at: int, key: str) -> str:
    query = request.GET.copy()
    query[f"pick{at}"] = key
    query.pop("part", None)
    query.pop("more", None)
    return f"?{query.urlencode()}#chosen"


def _order(order: str) -> Callable[[WayRow], tuple]:
    def lasts(row: WayRow):
        offer = row.each.offer
        return offer.arrives.replace(tzinfo=ZoneInfo(offer.target.zone)) - offer.leaves.replace(
            tzinfo=ZoneInfo(offer.origin.zone)
        )

    orders: dict[str, Callable[[WayRow], object]] = {
        "price": lambda row: row.each.offer.price.amount, "leaves": lambda row: row.each.offer.leaves,
        "arrives": lambda row: row.each.offer.arrives, "time": lasts, "carbon": lambda row: row.carbon.kg,
        "whole": lambda row: row.cost.amount.amount,
    }  # fmt: skip
    return lambda row: (
        bool(row.cost.fault), order == "whole" and not row.each.offer.contracted, orders[order](row), row.each.offer.leaves, row.each.offer.key,
    )  # fmt: skip


def _asked_order(request) -> str:
    order = request.GET.get("order", "whole")
    return order if order in ORDERS else "whole"


def _fares(request, measured: list[Measured], at: int, current: str) -> list[dict]:
    """The fares of the way that is chosen, to change between."""
    way = current.rpartition("/")[0]
    return [
        {
            "offer": m.offer,
            "link": _link(request, at, m.offer.key),
            "here": m.offer.key == current,
            "words": short(m.offer).partition(": ")[2],
        }
        for m in measured
        if m.offer.way == way
    ]


def _field(rows: list[WayRow], current: str, said: Said, file: TripFile, tolerance: Money) -> dict:
    # The yardstick belongs to a choice: the cheapest that fits it. Without a choice there is no line to draw.
    here = next((row for row in rows if row.here), None)
    limit = here.each.yardstick.price + tolerance if here else None
    yardstick = here.each.yardstick.way if here else ""
    flights = [
        Flight(row.each.offer.way, say("{carrier}, {price}, {leaves} to {arrives}", carrier=row.each.offer.carrier, price=row.each.offer.price, leaves=as_figure(row.each.offer.leaves, "%H:%M"), arrives=as_figure(row.each.offer.arrives, "%H:%M")),
               [(h.leaves, h.arrives) for h in row.each.offer.hops], row.each.offer.price.amount, row.each.over > tolerance,
               row.each.offer.way == yardstick, row.here, row.each.offer.mode.value)
        for row in rows
    ]  # fmt: skip
    waits = [
        (datetime.fromisoformat(r["at"]), r["title"])
        for r in file.trip.engagements
        if r["town"] == said.part.target.town
    ]
    waits += [
        (leg.leaves, say("{mode} to {town}", mode=leg.mode, town=leg.target['town'])) for leg in file.legs
        if leg.origin["town"] == said.part.target.town and leg.booking_id is None and leg.leaves.date() == said.part.day
    ]  # fmt: skip
    return {
        "field": draw_field(flights, limit.amount if limit else None, waits),
        "links": {row.each.offer.way: row.link for row in rows},
    }


def _tolerance(file: TripFile) -> Decimal:
    today = clock.today(file.trip.firm.zone)
    for setting in file.book.rules_for(file.trip.traveller):
        if setting.kind == "not_cheapest" and setting.in_force(today):
            return setting.number("tolerance")
    return Decimal(0)


def _effect(
    request, file: TripFile, said: list[Said], picks: list[str], pricer: Pricer, instead: Booking | None
) -> dict:
    """What the choice does to the trip, before it is held."""
    trip = file.trip
    today = clock.today(trip.firm.zone)
    try:
        picked, bookings = by_carrier(picks, today, trip.currency, [one.asked for one in said])
    except Refusal as refusal:
        return {"refused": refusal.message}
    items = [item_of_choice(each, n) for n, each in enumerate(bookings)]
    judged = findings_on(load_file(request.member, trip, items))
    cost = pricer.price(picked.offers)
    effects = [] if cost.fault else _budgets(file, picked, cost, pricer)
    reasons = list(dict.fromkeys(r for each in judged for r in each.finding.reasons)) or USUAL_REASONS
    bag = sum((o.bag_fee.amount for o in picked.offers if pricer.bag and not o.bags), Decimal(0))
    return {
        "picked": picked, "bookings": bookings, "cost": cost, "judged": judged, "effects": effects, "reasons": reasons,
        "needs_reason": any(each.finding.level == Level.EXPLAIN for each in judged),
        "stopped": any(each.finding.level == Level.STOP for each in judged),
        "margins": margins(trip, file.legs, picked.offers), "before": file.figures, "bag": Money.rounded(bag, trip.currency),
        "nights_before": len(file.nights), "changes_cost": instead.costs_to_change if instead else None,
        "wishes": [(code, word) for code, word in WISHES.items() if code != "none"], **payers(trip, request.member),
    }  # fmt: skip


def _budgets(file: TripFile, picked: Choice, cost: WholeCost, pricer: Pricer) -> list:
    trip = file.trip
    costs = [Borne(e.key, e.category, e.amount) for e in pricer.rest]
    costs += [
        Borne("choice", CATEGORY[picked.kind], picked.price), Borne("nights", "lodging", cost.lodging),
        Borne("allowance", "allowance", cost.allowance),
    ]  # fmt: skip
    amounts = by_code(bear([c for c in costs if c.amount.minor], trip.coding, shares_of(trip)))
    year = trip.firm.year_of(trip.starts or picked.departure.date())
    return budget_effects(trip.firm, year, amounts, trip.subject)


@require_POST
def hold_ways(request, trip_id: int):
    """Hold what was chosen, once its conditions were read; what was typed comes back with what is wrong."""
    trip = trip_for(request.member, trip_id)
    said = understand(from_address(request.POST), clock.today(trip.firm.zone))
    keys = [key for key in _picks(request.POST, len(said)) if key]
    if not keys or any(one.wrong for one in said):
        raise Refusal(say("Choose a way for each part first."))
    _, parts = by_carrier(keys, clock.today(trip.firm.zone), trip.currency, [one.asked or Asked() for one in said])
    held: list[str] = []
    for number, picked in enumerate(parts):
        bag = sum((o.bag_fee.amount for o in picked.offers if "bag" in request.POST and not o.bags), Decimal(0))
        wish = Wish(
            request.POST.get("reason", ""), request.POST.get("words", ""), instead_of=whole(request.POST.get("instead")),
            bag=Money.rounded(bag, trip.currency), more=number + 1 < len(parts),
            **chosen_payer(request),
        )  # fmt: skip
        try:
            booking = hold(request.member, trip_id, picked, wish)
        except Refusal as refusal:
            if not held:
                raise
            # What is held stands; what is not is said, and can be chosen anew.
            messages.info(request, joined(" ", held))
            raise Refusal(
                say(
                    "{picked_label} with {carrier} is not held: {the_message}",
                    picked_label=picked.label,
                    carrier=picked.carrier,
                    the_message=refusal.message,
                )
            ) from refusal
        held.append(_held_words(booking, trip.firm.zone))
        if (wanted := WISHES.get(request.POST.get("wish", ""))) and booking.seat_choice != "none":
            try:
                basket.choose_seats(request.member, trip_id, booking.pk, [wanted.lower()])
            except Refusal as refusal:
                held.append(
                    say("{wanted} was not asked for: {the_message}", wanted=wanted, the_message=refusal.message)
                )
    messages.info(request, joined(" ", held))
    return redirect("trip", trip_id)


def _held_words(booking: Booking, zone: str) -> str:
    until = booking.held_until.astimezone(ZoneInfo(zone)) if booking.held_until else None
    words = say("{booking_label} is held under {reference}", booking_label=booking.label, reference=booking.reference)
    return words + (say(" until {until}.", until=as_figure(until, "%a %d %b %H:%M")) if until else ".")
