"""One journey that is being planned in full: ferry, night train, hire car, supplied quarters, a split, a fee from elsewhere."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal

from demo import papers
from wainwright import clock
from wainwright.accounts.selectors import books, read_coding
from wainwright.bookings.choices import Choice
from wainwright.bookings.selectors import chosen, chosen_stay, stays, ways
from wainwright.bookings.services import ByHand
from wainwright.core.journey import Meal
from wainwright.core.money import Money
from wainwright.core.splits import SplitPart
from wainwright.formats.places import place, town
from wainwright.people.models import Membership
from wainwright.trips.models import Trip
from wainwright.trips.services import details, itinerary, nights, plan
from wainwright.trips.services.basket import by_hand, choose_seats
from wainwright.trips.services.ways import Wish, hold

WISH = Wish("Arrives in time for the work", "Lands before the tide that has to be measured.")


def _early(one: str, other: str, day: date, today: date) -> Choice:
    """An affordable flight that lands the same day in the afternoon."""
    found = [
        w for w in ways(place(one), place(other), day, today, "EUR")
        if w.offer.mode == "air" and w.offer.cabin == "economy" and w.offer.bags and w.offer.arrives.date() == day
        and 8 <= w.offer.leaves.hour <= 13
    ]  # fmt: skip
    return chosen([found[0].offer.key], today, "EUR")


def tell(member: Membership, today: date) -> Trip:
    """Plan it for a Monday six weeks ahead; nothing of it is sent yet."""
    monday = today + timedelta(days=42 - today.weekday())
    coding = member.coding
    trip = plan.start_trip(
        member,
        "Northern gauges, Bergen, Florø and Oslo",
        "Recalibration, and the yearly meeting of gauge keepers",
        coding,
    )
    pk = trip.pk
    out = hold(member, pk, _early("ORK", "BGO", monday, today), WISH)
    if out.seat_choice == "map":
        choose_seats(member, pk, out.pk, [])
    itinerary.add_typed_legs(member, pk, "ferry florø tue 7:30")
    itinerary.add_typed_legs(member, pk, "coach bergen thu 13:40")
    itinerary.add_typed_legs(member, pk, "night train oslo thu 22:59")
    hold(member, pk, _early("OSL", "ORK", monday + timedelta(days=5), today), WISH)
    floro = town("Florø", "NO")
    details.add_engagement(
        member, pk, "Low water at the outer gauge", floro, datetime.combine(monday + timedelta(days=1), time(13, 30))
    )
    details.add_engagement(
        member, pk, "Gauge keepers' meeting", town("Oslo", "NO"), datetime.combine(monday + timedelta(days=4), time(9))
    )
    nights.mark_meal(member, pk, monday + timedelta(days=4), Meal.LUNCH)
    rooms = [s for s in stays(town("Bergen", "NO"), monday, 1, today, "EUR") if s.rooms_left]
    fitting = [s for s in rooms if (s.a_night + s.city_tax).amount <= 150] or rooms
    hold(member, pk, chosen_stay(fitting[0].key, today, "EUR"), Wish("Needed for the work", "Nearest to the quay."))
    ledger = books(member.firm)
    parts = [SplitPart(read_coding(code, ledger), Decimal(share)) for code, share in (("3120", 60), ("3140", 40))]
    details.split_plan(member, pk, "category:lodging", "Lodging", parts)
    details.add_paper(member, pk, "invitation", "invitation.png", papers.clean_png(papers.Printed(("GAUGE KEEPERS", "Oslo", ("Yearly meeting", "09:00")))))  # fmt: skip
    at = clock.in_zone(datetime.combine(monday, time()), member.firm.zone)
    by_hand(
        member,
        pk,
        ByHand("fee", "Agent's fee, night train", "Quay Travel", "QT-20417", Money.of("12.00", "EUR"), "central", at),
    )
    return Trip.objects.get(pk=pk)
