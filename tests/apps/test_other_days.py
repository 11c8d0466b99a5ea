"""Other days, priced for the whole trip; and ways of two carriers, which are two bookings."""

import re
from datetime import datetime, time, timedelta
from html import unescape
from unittest import mock

from django.http import QueryDict

from tests.apps.test_bookings import BookingTestCase
from tests.coverage import shows
from wainwright.bookings import services
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import by_carrier, offers_of
from wainwright.errors import Refusal
from wainwright.formats.places import place, town
from wainwright.trips.other_days import OtherDays
from wainwright.trips.services import details
from wainwright.trips.whole import Part, Pricer

CELL = re.compile(r"<td[^>]*>\s*<a href=\"([^\"]*)\"[^>]*title=\"([^\"]*)\">([\d.,]+)</a>")


def chosen_from(link):
    """The search that a link makes, as a form sends it."""
    query = QueryDict(link.lstrip("?").partition("#")[0])
    return {name: query.getlist(name) for name in ("from", "to", "on", "when", "at")}


class OtherDaysTest(BookingTestCase):
    def setUp(self):
        super().setUp()
        self.trip = self.to_bergen(days=3)
        self.first, self.last = self.trip.starts, self.trip.ends
        self.enter(self.maren)

    def field(self, bag=False):
        parts = [Part(place("ORK"), place("BGO"), self.first), Part(place("BGO"), place("ORK"), self.last)]

        def offered(number, day):
            found = offers_of(parts[number].origin, parts[number].target, day, self.today, "EUR")
            return [o for o in found if o.cabin == "economy"]

        assumed = [min(offered(n, part.day), key=lambda o: o.price.amount) for n, part in enumerate(parts)]
        return OtherDays(Pricer(self.file(self.trip), parts, bag), assumed, offered, self.today)

    def search(self, **more):
        said = f"from=ORK&to=BGO&on={self.first}&when=any&at=&from=BGO&to=ORK&on={self.last}&when=any&at="
        return f"/trips/{self.trip.pk}/ways/days/?{said}" + "".join(f"&{k}={v}" for k, v in more.items())

    def pages(self):
        path, found = self.search(), []
        while path:
            answer = self.client.get(path)
            self.assertEqual(answer.status_code, 200)
            found.append(answer.content.decode())
            more = re.search(r'hx-get="([^"]*)"', found[-1])
            path = unescape(more[1]) if more else ""
        return found

    @shows("X12.2")
    def test_every_pair_is_the_cheapest_of_its_days_for_the_whole_trip(self):
        field = self.field()
        for pair in field.row(self.first + timedelta(days=1)):
            if pair.cost is None:
                self.assertTrue(pair.why)
                continue
            self.assertEqual([o.leaves.date() for o in pair.offers], [pair.out, pair.back])
            self.assertEqual(pair.cost, field.pricer.price(pair.offers))
            self.assertEqual(pair.cost.nights, (pair.back - pair.out).days)
            self.assertEqual(pair.days, (pair.back - pair.out).days + 1)
            cheap = [field._cheap(n, day)[0] for n, day in ((0, pair.out), (1, pair.back))]
            other = field.pricer.price(cheap)
            self.assertTrue(other.fault or field._not_for_the_purpose(cheap) or pair.cost.amount <= other.amount)

    def test_what_waits_rules_days_out(self):
        at = datetime.combine(self.first + timedelta(days=1), time(9))
        details.add_engagement(self.maren, self.trip.pk, "Handover", town("Bergen", "NO"), at)
        late = self.field().row(self.first + timedelta(days=2))
        self.assertTrue(all(pair.cost is None for pair in late))
        self.assertIn("misses Handover", " ".join(pair.why for pair in late))
        self.assertTrue(any(pair.cost for pair in self.field().row(self.first - timedelta(days=1))))

    def test_the_past_is_not_offered_and_nobody_comes_back_before_leaving(self):
        field = self.field()
        field.today = self.first - timedelta(days=1)
        self.assertEqual(field.days(0)[0], field.today)
        self.assertTrue(
            all(pair.cost is None for pair in field.row(self.last + timedelta(days=1)) if pair.back <= self.last)
        )

    def test_the_rows_come_in_steps_and_each_price_leads_to_its_choice(self):
        pages = self.pages()
        self.assertEqual(len(pages), 3)
        self.assertEqual(sum(page.count('scope="row"') for page in pages), 7)
        link, words, price = CELL.findall(pages[0])[0]
        self.assertRegex(unescape(words), r"nights?, allowance .*days? away: .* and ")
        chosen = self.client.get(f"/trips/{self.trip.pk}/ways/{unescape(link).partition('#')[0]}").content.decode()
        self.assertIn("What it does to the trip", chosen)
        self.assertIn(price, chosen)
        # Held three days earlier, the planned moves are not on the trip beside the held ones.
        said = {name: unescape(value) for name, value in re.findall(r'name="(pick\d)" value="([^"]*)"', chosen)}
        ways = chosen_from(unescape(link))
        reason = {"reason": "Arrives in time for the work", "words": "In time for the tide"}
        self.client.post(f"/trips/{self.trip.pk}/ways/hold/", ways | said | reason)
        self.assertEqual(self.trip.legs.filter(booking__isnull=True).count(), 0)
        self.assertEqual(self.trip.legs.count(), 2)

    def test_what_is_no_search_has_no_field(self):
        for path in (f"/trips/{self.trip.pk}/ways/days/", self.search(row="x"), self.search(row="2001-01-01"), self.search(instead="99999999999999999999")):  # fmt: skip
            self.assertEqual(self.client.get(path).status_code, 200)
        self.assertEqual(self.client.get(f"/trips/{self.trip.pk}/ways/days/?from=q&to=&on=x").content, b"")


class TwoCarriersTest(BookingTestCase):
    def setUp(self):
        super().setUp()
        self.trip = self.start()
        self.enter(self.maren)
        self.day = self.monday()
        self.keys = self.two_carriers()

    def start(self):
        trip = self.to_bergen(days=4)
        for leg in trip.legs.all():
            leg.delete()
        return trip

    def two_carriers(self):
        back_day = self.day + timedelta(days=3)
        outs = [o for o in offers_of(place("ORK"), place("BGO"), self.day, self.today, "EUR") if o.fare == "Open"]
        backs = [
            o for o in offers_of(place("BGO"), place("ORK"), back_day, self.today, "EUR") if o.fare == "Bag and change"
        ]
        return next(
            [one.key, other.key] for one in outs for other in backs
            if one.carrier != other.carrier and one.arrives.date() == self.day and other.arrives.date() == back_day
        )  # fmt: skip

    def post(self, **more):
        said = {
            "from": ["ORK", "BGO"], "to": ["BGO", "ORK"], "on": [self.day, self.day + timedelta(days=3)], "when": ["any", "any"],
            "at": ["", ""], "pick0": self.keys[0], "pick1": self.keys[1], "reason": "Arrives in time for the work",
            "words": "In time for the tide",
        }  # fmt: skip
        page = f"/trips/{self.trip.pk}/ways/"
        return self.client.post(
            f"{page}hold/", said | more, follow=True, headers={"referer": f"http://testserver{page}"}
        )

    @shows("B2.1")
    def test_each_carrier_is_a_booking_with_its_own_conditions(self):
        whole, parts = by_carrier(self.keys, self.today, "EUR")
        self.assertEqual([len(part.offers) for part in parts], [1, 1])
        self.assertEqual(whole.price, parts[0].price + parts[1].price)
        self.assertEqual(parts[0].refund_fee.minor, 0)
        self.assertIsNone(parts[1].refund_fee)

    def test_it_is_said_before_and_held_one_by_one(self):
        on = f"&on={self.day}&when=any&at=&from=BGO&to=ORK&on={self.day + timedelta(days=3)}&when=any&at="
        path = f"/trips/{self.trip.pk}/ways/?from=ORK&to=BGO{on}&pick0={self.keys[0]}&pick1={self.keys[1]}"
        self.assertContains(self.client.get(path), "These are 2 bookings")
        answer = self.post()
        self.assertContains(answer, "is held under", 2 if answer.content.count(b"is held under") == 2 else None)
        held = list(Booking.objects.filter(state="Held").order_by("departure"))
        self.assertEqual(len({b.reference for b in held}), 2)
        self.assertEqual([leg.booking_id for leg in self.trip.legs.order_by("leaves_at")], [b.pk for b in held])
        # One can be given up without the other.
        self.client.post(f"/trips/{self.trip.pk}/bookings/{held[1].pk}/cancel/")
        self.assertEqual([b.state for b in Booking.objects.order_by("departure")], ["Held", "Cancelled"])

    def test_where_the_second_is_gone_the_first_stands_and_that_is_said(self):
        real, calls = services.send_hold, []

        def once(booking, *rest):
            calls.append(booking)
            if len(calls) > 1:
                services.give_up(booking, 0)
                raise Refusal("It was sold out a moment ago.")
            return real(booking, *rest)

        with mock.patch.object(services, "send_hold", once):
            answer = self.post()
        self.assertContains(answer, "is held under")
        self.assertContains(answer, "is not held: It was sold out a moment ago.")
        self.assertEqual(Booking.objects.filter(state="Held").count(), 1)
