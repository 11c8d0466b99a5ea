"""Searching: the sentence, what narrows it, and every way priced for the whole trip."""

from datetime import datetime, timedelta
from decimal import Decimal
from unittest import mock
from zoneinfo import ZoneInfo

from django.urls import reverse

from tests.apps.test_bookings import BookingTestCase
from tests.coverage import shows
from wainwright.bookings.choices import carbon_of
from wainwright.bookings.market import NoAnswer
from wainwright.bookings.models import Booking
from wainwright.core.money import Money
from wainwright.formats.places import place, town
from wainwright.ports.market import MarketError, SeatPlan
from wainwright.trips.services import details
from wainwright.trips.services.ways import Wish, hold
from wainwright.trips.whole import Part, Pricer, margins


class SentenceTest(BookingTestCase):
    def said(self, *parts, more=""):
        words = [f"from={one}&to={other}&on={on}&when={when}&at={at}" for one, other, on, when, at in parts]
        return self.client.get(f"/trips/{self.trip.pk}/ways/?{'&'.join(words)}{more}")

    def setUp(self):
        super().setUp()
        self.trip = self.start()
        self.day = self.monday()
        self.enter(self.maren)

    @shows("B1.1")
    def test_everything_known_is_filled_in(self):
        page = self.client.get(reverse("ways", args=[self.trip.pk]))
        self.assertContains(page, 'value="Cork airport (ORK)"')
        other = self.to_bergen()
        day = other.starts
        details.add_engagement(
            self.maren,
            other.pk,
            "Kick-off",
            town("Bergen", "NO"),
            datetime.combine(day, datetime.min.time()).replace(hour=15),
        )
        said = self.client.get(reverse("ways", args=[other.pk])).context["said"]
        self.assertEqual([(s.origin[-4:-1], s.target[-4:-1], s.on, s.when, s.at) for s in said],
                         [("ORK", "BGO", str(day), "by", "15:00"), ("BGO", "ORK", str(day + timedelta(days=4)), "any", "")])  # fmt: skip

    def test_what_is_wrong_stands_at_its_part(self):
        day, past = self.day, self.today - timedelta(days=2)
        for parts, words in [
            ([("ORK", "", day, "any", "")], "Say to where"), ([("ORK", "Atlantis under sea", day, "any", "")], "No place is known"),
            ([("ORK", "ORK", day, "any", "")], "begins where it ends"), ([("ORK", "BGO", past, "any", "")], "has passed"),
            ([("ORK", "BGO", day, "after", "xx")], "Say the hour"), ([("ORK", "BGO", "", "any", "")], "on which day"),
            ([("ORK", "BGO", day, "any", ""), ("BGO", "ORK", day - timedelta(days=1), "any", "")], "before the part before it"),
        ]:  # fmt: skip
            with self.subTest(words):
                self.assertContains(self.said(*parts), words, status_code=422)

    @shows("B1.1")
    def test_more_stops_are_added_to_the_sentence(self):
        page = self.said(
            ("ORK", "BGO", self.day, "any", ""),
            ("BGO", "Florø", self.day + timedelta(days=2), "any", ""),
            more="&more=1",
        )
        said = page.context["said"]
        self.assertEqual((len(said), said[2].origin), (3, "Florø"))
        self.assertEqual(page.status_code, 422)

    @shows("B1.3", "B7.1")
    def test_narrowing(self):
        part = ("Bergen", "Florø", self.day, "any", "")
        rows = self.said(part).context["rows"]
        self.assertEqual({r.each.offer.mode.value for r in rows}, {"air", "ferry", "coach"})
        for more, test in [
            ("&mode=ferry", lambda o: o.mode == "ferry"), ("&stops=0", lambda o: len(o.hops) == 1), ("&bag=1", lambda o: o.bags > 0),
            ("&refund=1", lambda o: o.refund_fee is not None), ("&after=12:00", lambda o: o.leaves.hour >= 12), ("&before=12:00", lambda o: f"{o.arrives:%H:%M}" <= "12:00"),
            ("&carrier=Fjordlink", lambda o: o.carrier == "Fjordlink"),
            (f"&box=0,100,{self.day}T06:00,{self.day}T23:00", lambda o: o.price.minor <= 100_00),
        ]:  # fmt: skip
            with self.subTest(more):
                found = self.said(part, more=more).context["rows"]
                self.assertTrue(found)
                self.assertTrue(all(test(r.each.offer) for r in found))
        self.assertContains(self.said(part, more="&carrier=Nobody"), "Nothing is left of")

    @shows("B1.2")
    def test_a_window_widens_the_yardstick(self):
        free = {r.each.offer.key: r.each.over for r in self.said(("ORK", "BGO", self.day, "any", "")).context["rows"]}
        asked = {
            r.each.offer.key: r.each.over for r in self.said(("ORK", "BGO", self.day, "after", "06:00")).context["rows"]
        }
        both = free.keys() & asked.keys()
        self.assertTrue(all(asked[k] >= free[k] for k in both))
        self.assertTrue(any(asked[k] > free[k] for k in both))

    @shows("B1.4")
    def test_sixty_ways_and_more_stay_apart(self):
        page = self.said(("Cork", "Dublin", self.day, "any", ""))
        ways = page.context["field"].ways
        self.assertGreater(len(ways), 25)
        boxes = [(w.y, w.left, w.right) for w in ways]
        close = [
            (a, b) for n, a in enumerate(boxes) for b in boxes[n + 1 :]
            if abs(a[0] - b[0]) < 7 and a[1] < b[2] and b[1] < a[2]
        ]  # fmt: skip
        self.assertEqual(close, [])

    @shows("B1.4")
    def test_the_plain_list_says_the_same_as_the_field(self):
        page = self.said(("ORK", "BGO", self.day, "any", ""))
        keys = {w.key for w in page.context["field"].ways}
        self.assertEqual(keys, {r.each.offer.way for r in page.context["rows"]})
        for key in keys:
            self.assertEqual(page.content.decode().count(f'data-way="{key}"'), 2)

    @shows("B1.3", "B2.3")
    def test_by_price_and_by_time_and_contracted_ones_first_where_nothing_is_asked(self):
        by = {
            "price": lambda o: o.price.amount, "leaves": lambda o: o.leaves, "arrives": lambda o: o.arrives,
            "time": lambda o: o.arrives.replace(tzinfo=ZoneInfo(o.target.zone)) - o.leaves.replace(tzinfo=ZoneInfo(o.origin.zone)),
        }  # fmt: skip
        seen = 0
        for later in range(6):
            asked = ("ORK", "BGO", self.day + timedelta(days=later), "any", "")
            for order, key in by.items():
                rows = self.said(asked, more=f"&order={order}").context["rows"]
                offers = [r.each.offer for r in rows if not r.cost.fault]
                self.assertEqual([key(o) for o in offers], sorted(key(o) for o in offers), order)
            page = self.said(asked, more="&order=odd" if later % 2 else "")
            rows = [r for r in page.context["rows"] if not r.cost.fault]
            first = [r.each.offer.contracted for r in rows]
            self.assertEqual(first, sorted(first, reverse=True))
            for contracted in (True, False):
                costs = [r.cost.amount.amount for r in rows if r.each.offer.contracted is contracted]
                self.assertEqual(costs, sorted(costs))
            self.assertEqual("Contracted ones, then by whole trip" in page.content.decode(), any(first))
            seen += any(first) and not all(first)
        self.assertTrue(seen)

    def test_a_search_again_takes_the_place_of_what_is_held(self):
        booking = hold(self.maren, self.trip.pk, self.choice(), Wish("Arrives in time for the work", "For the tide"))
        day = booking.legs.first().leaves.date()
        page = self.said(("ORK", "BGO", day, "any", ""))
        self.assertEqual(page.context["instead"], booking)
        self.assertContains(page, "in place of")


class WholeTest(BookingTestCase):
    def offers(self, trip, day, one="ORK", other="BGO"):
        from wainwright.bookings.selectors import offers_of  # noqa: PLC0415

        return [o for o in offers_of(place(one), place(other), day, self.today, "EUR") if o.cabin == "economy"]

    @shows("X12.1")
    def test_fare_bag_transfers_nights_and_allowance_add_up(self):
        trip = self.to_bergen()
        file = self.file(trip)
        part = Part(place("ORK"), place("BGO"), trip.starts)
        pricer = Pricer(file, [part], bag=True)
        offer = next(
            o
            for o in self.offers(trip, trip.starts)
            if not o.bags and o.arrives.date() == trip.starts and o.arrives.hour < 20
        )
        cost = pricer.price([offer])
        lines = cost.workings.lines()
        self.assertIn(f"A bag, which this fare does not have: {offer.bag_fee}", lines)
        self.assertEqual(sum("airport and the town" in line for line in lines), 2)
        self.assertEqual((cost.nights, cost.lodging.minor, cost.allowance), (4, 600_00, file.figures.allowance.amount))
        transfers = sum((Decimal(line.rsplit(": ", 1)[1]) for line in lines if "and the town" in line), Decimal(0))
        self.assertEqual(
            cost.amount.amount, offer.price.amount + offer.bag_fee.amount + transfers + 600 + cost.allowance.amount
        )
        self.assertEqual(cost.planned.amount, cost.amount.amount - transfers)

    @shows("X12.1")
    def test_a_way_that_lands_the_next_day_changes_nights_and_allowance(self):
        trip = self.to_bergen()
        pricer = Pricer(self.file(trip), [Part(place("BGO"), place("ORK"), trip.ends)])
        found = list(self.offers(trip, trip.ends, "BGO", "ORK"))
        late = next((o for o in found if o.arrives.date() > trip.ends), None)
        early = next(o for o in found if o.arrives.date() == trip.ends)
        self.assertEqual(pricer.price([early]).nights, 4)
        if late is not None:
            self.assertGreater(pricer.price([late]).allowance, pricer.price([early]).allowance)

    @shows("B7.1")
    def test_the_night_train_saves_a_night(self):
        trip = self.start()
        self.add(trip, "BGO", 0, 9)
        file = self.file(trip)
        day = self.monday() + timedelta(days=1)
        pricer = Pricer(
            file,
            [
                Part(town("Bergen", "NO"), town("Oslo", "NO"), day),
                Part(place("OSL"), place("ORK"), day + timedelta(days=1)),
            ],
        )
        ways = self.offers(trip, day, "BGO", "OSL")
        night = next(o for o in ways if any(h.sleeper for h in o.hops))
        by_air = next(o for o in ways if o.mode == "air" and o.arrives.date() == day)
        home = next(o for o in self.offers(trip, day + timedelta(days=1), "OSL", "ORK") if o.leaves.hour >= 10)
        self.assertEqual(pricer.price([by_air, home]).nights - pricer.price([night, home]).nights, 1)

    def add(self, trip, to, days, hour):
        from wainwright.trips.services import plan  # noqa: PLC0415

        at = datetime.combine(self.monday() + timedelta(days=days), datetime.min.time()).replace(hour=hour)
        plan.add_leg(self.maren, trip.pk, "air", place("ORK"), place(to), at, at + timedelta(hours=4))

    def test_ways_that_overlap_say_so(self):
        trip = self.to_bergen()
        first = trip.legs.first()
        offer = next(
            o
            for o in self.offers(trip, first.leaves.date(), "ORK", "LIS")
            if o.leaves < first.arrives and o.arrives > first.leaves
        )
        cost = Pricer(self.file(trip), [Part(place("ORK"), place("LIS"), first.leaves.date())]).price([offer])
        self.assertIn("before the leg before it has arrived", cost.fault)

    def test_arrival_against_what_waits(self):
        trip = self.to_bergen()
        offer = next(o for o in self.offers(trip, trip.starts) if o.arrives.date() == trip.starts)
        at = offer.arrives + timedelta(hours=2, minutes=15)
        details.add_engagement(self.maren, trip.pk, "Kick-off", town("Bergen", "NO"), at)
        trip.refresh_from_db()
        found = margins(trip, [], [offer])
        self.assertEqual((found[0].late, found[0].words.startswith("2 h 15 before Kick-off")), (False, True))

    @shows("X11.1")
    def test_carbon_beside_price(self):
        trip = self.start()
        offer = self.offers(trip, self.monday())[0]
        found = carbon_of(offer)
        self.assertGreater(found.kg, 50)
        self.assertEqual(len(found.workings.lines()), len(offer.hops) + 1)


class PagesTest(BookingTestCase):
    """Cars, lodging, seats, fees: by plain forms."""

    def send(self, path, says, status=200, **data):
        with self.done():
            response = self.client.post(path, data, follow=True)
        self.assertContains(response, says, status_code=status)
        return response

    def setUp(self):
        super().setUp()
        self.trip, self.booking = self.held()
        self.enter(self.maren)
        self.page = f"/trips/{self.trip.pk}/"

    @shows("B5.1")
    def test_a_car_follows_from_the_flights(self):
        page = self.client.get(self.page + "cars/")
        form = page.context["form"]
        first, last = self.trip.legs.first(), self.trip.legs.last()
        self.assertEqual(
            (form.cleaned_data["since"], form.cleaned_data["until"]),
            (first.arrives + timedelta(minutes=30), last.leaves - timedelta(minutes=75)),
        )
        row = next(r for r in page.context["rows"] if r["car"].contracted)
        chosen = self.client.get(self.page + "cars/" + row["link"].partition("#")[0])
        self.assertContains(chosen, "Hold this car")
        self.send(self.page + "cars/hold/", "is held under", pick=row["car"].key, seats="1")
        wrong = self.client.get(
            self.page
            + f"cars/?origin=BGO&since_day={self.monday()}&since_time=10:00&target=BGO&until_day={self.monday()}&until_time=09:00&seats=1"
        )
        self.assertContains(wrong, "brought back before it is taken", status_code=422)

    def test_who_pays_is_chosen_where_it_is_held(self):
        rows = self.client.get(self.page + "cars/").context["rows"]
        car = next(r["car"] for r in rows if r["car"].contracted)
        for pays in ("9999", "nonsense"):
            self.send(self.page + "cars/hold/", "Choose one of your cards", pick=car.key, seats="1", pays=pays)
        self.assertEqual(Booking.objects.filter(kind="car").count(), 0)
        self.send(self.page + "cars/hold/", "is held under", pick=car.key, seats="1", pays="central")
        held = Booking.objects.get(kind="car")
        self.assertEqual((held.paid_by, held.card), ("central", ""))
        room = next(
            r for r in self.client.get(self.page + "stays/").context["rows"] if r["stay"].rooms_left and not r["over"]
        )
        self.send(self.page + "stays/hold/", "is held under", pick=room["stay"].key, pays="4410")
        held = Booking.objects.get(kind="stay", state="Held")
        self.assertEqual((held.paid_by, held.card), ("firm", "4410"))

    @shows("B6.1")
    def test_lodging_on_the_map_and_in_the_list(self):
        page = self.client.get(self.page + "stays/")
        rows = page.context["rows"]
        self.assertEqual(len(rows), len(page.context["map"].spots))
        self.assertContains(page, "ceiling 150.00 a night")
        row = next(r for r in rows if r["stay"].rooms_left and not r["over"])
        chosen = self.client.get(self.page + "stays/" + row["link"].partition("#")[0])
        self.assertContains(chosen, "Hold this room")
        self.send(self.page + "stays/hold/", "is held under", pick=row["stay"].key)
        self.assertEqual(Booking.objects.filter(kind="stay", state="Held").count(), 1)
        self.send(self.page + "stays/hold/", "no longer on offer", pick="stay/nonsense")

    @shows("B4.1")
    def test_seats_on_the_plan_else_a_wish(self):
        path = f"{self.page}bookings/{self.booking.pk}/seats/"
        page = self.client.get(path)
        number, _, plan = next(p for p in page.context["plans"] if p[2])
        free = next(s.name for s in plan.seats if not s.taken)
        taken = next(s.name for s in plan.seats if s.taken)
        for seat in (taken, "99Z", "nonsense", "0A"):
            with self.subTest(seat):
                self.assertContains(
                    self.client.post(path, {f"seat-{number}": seat}), "taken or not there", status_code=422
                )
        self.send(path, free, **{f"seat-{number}": free})
        self.send(path, "By a window".lower(), wish="window")
        self.assertContains(self.client.post(path, {"wish": "on the roof"}), "wish of the list", status_code=422)

    def test_a_market_that_is_silent_while_seats_are_opened_is_said_there_and_nothing_is_lost(self):
        path = f"{self.page}bookings/{self.booking.pk}/seats/"
        booked = Booking.objects.get(pk=self.booking.pk).seats
        for failure in (NoAnswer("The market did not answer within 6 seconds."), MarketError("It is away.")):
            with mock.patch("wainwright.bookings.selectors.ask", side_effect=failure) as asked:
                page = self.client.get(path)
                self.assertContains(page, str(failure))
                self.assertContains(page, "Ask again")
                self.assertContains(page, "By a window")
                self.assertEqual(asked.call_count, 1)
                page = self.client.post(path, {"seat-0": "4A"})
                self.assertContains(page, "4A was not asked for", status_code=422)
        with mock.patch("wainwright.trips.services.basket.ask", side_effect=MarketError("It is away.")):
            page = self.client.post(path, {"wish": "aisle"})
        self.assertContains(page, '<option value="aisle" selected>', status_code=422)
        for odd in ("", "A", "|A", "AA", "a", None, "A|" * 40):
            with mock.patch(
                "wainwright.bookings.selectors.ask", return_value=SeatPlan("x", odd, 10, frozenset(), frozenset())
            ):
                self.assertEqual(self.client.get(path).status_code, 200)
        self.assertEqual(Booking.objects.get(pk=self.booking.pk).seats, booked)

    @shows("B10.1")
    def test_several_fees_one_after_another(self):
        fee = {
            "kind": "fee",
            "supplier": "Quay Travel",
            "day": str(self.monday()),
            "amount": "12,50",
            "paid_by": "central",
        }
        for number in ("QT-1", "QT-2", "QT-3"):
            page = self.send(self.page + "by-hand/", f"{number}, is recorded", number=number, **fee)
            self.assertContains(page, 'name="number"')
        again = self.send(self.page + "by-hand/", "QT-2 stands on your trip already", status=422, number="qt-2", **fee)
        self.assertContains(again, 'value="12,50"', status_code=422)
        self.assertContains(self.client.get(self.page), "billed to the firm, bought elsewhere 37.50")
        self.assertEqual(sum((b.price for b in Booking.objects.filter(by_hand=True)), Money.zero("EUR")).minor, 37_50)
        # One invoice, a ticket and its fee: both are kept, or neither.
        before = Booking.objects.count()
        self.send(
            self.page + "by-hand/", "and its fee of 12.00", number="FL-9", **fee | {"kind": "ferry", "fee": "12,00"}
        )
        self.send(self.page + "by-hand/", "FL-8 fee, is recorded", number="FL-8 fee", **fee)
        self.send(
            self.page + "by-hand/",
            "stands on your trip already",
            status=422,
            number="FL-8",
            **fee | {"kind": "ferry", "fee": "1"},
        )
        self.assertEqual(Booking.objects.count(), before + 3)

    @shows("P8.1")
    def test_signing_shows_everything(self):
        page = self.client.get(self.page + "sign/")
        for words in (
            self.booking.label,
            "Tobias Achterberg",
            "Daily allowance",
            "What you sign",
            "maren.oyelaran@brackwater.example",
        ):
            self.assertContains(page, words)

    @shows("U2.1", "U2.2", "U2.3")
    def test_the_profile(self):
        for data, says, status in [
            ({"act": "profile", "iban": "IE00AIBK93115212345678"}, "check digits do not fit", 422), ({"act": "profile", "phone": "call me"}, "Type digits", 422),
            ({"act": "profile", "home": "Nowhere at all zz"}, "No place is known", 422),
            ({"act": "profile", "home": "ORK", "iban": "IE29 AIBK 9311 5212 3456 78", "phone": "+353 21 555 0100"}, "Your profile is kept", 200),
            ({"act": "card", "last_four": "12", "issuer": "x", "expires": "2030-01-01", "password": "harbour-tide-9"}, "Four digits", 422),
            ({"act": "card", "last_four": "1234", "issuer": "Quayside", "expires": "2030-01-01", "password": "no"}, "to change this", 422),
            ({"act": "card", "last_four": "1234", "issuer": "Quayside", "expires": "2030-01-01", "password": "harbour-tide-9"}, "on file", 200),
            ({"act": "vehicle", "plate": "26-c-777", "kind": "car"}, "26-C-777", 200), ({"act": "vehicle", "plate": "26-C-777", "kind": "car"}, "there already", 422),
        ]:  # fmt: skip
            with self.subTest(says):
                self.send("/profile/", says, status, **data)
        self.assertContains(self.client.post("/profile/subscribe/", follow=True), "/calendar/")

    def test_the_moods_page(self):
        self.send("/stand-ins/", "behave like this", mood=["slow", "nonsense"])
        self.assertContains(self.client.get("/stand-ins/"), "checked", 2)
