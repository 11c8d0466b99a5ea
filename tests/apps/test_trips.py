"""Planning, holding, sending, authorising."""

from datetime import UTC, datetime, time, timedelta
from decimal import Decimal
from email import message_from_bytes

from django.core import mail
from django.test import override_settings

from tests.apps.world import FIELD, WorldTestCase
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import BudgetUse
from wainwright.bench import services as bench
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import chosen, ways
from wainwright.core.journey import Meal
from wainwright.core.states import NotNow
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.places import place
from wainwright.people.models import Card, Cover
from wainwright.signoff.models import SignOff
from wainwright.trail.models import Entry
from wainwright.trips.models import Leg, Night, Trip
from wainwright.trips.selectors import load_file
from wainwright.trips.services import nights, plan, road
from wainwright.trips.services.basket import cancel
from wainwright.trips.services.ways import Wish, hold


class PlanningTest(WorldTestCase):
    @shows("P4.1")
    def test_nights_and_allowance_are_right_from_the_start(self):
        trip = self.a_trip(starts=20, days=4)
        nights = list(trip.nights.all())
        self.assertEqual([n.place["town"] for n in nights], ["Bergen"] * 3)
        self.assertEqual({n.cost_minor for n in nights}, {150_00})
        figures = load_file(self.maren, trip).figures
        self.assertEqual(str(figures.allowance.amount), "203.00")
        self.assertEqual(figures.total.minor, 200_00 + 450_00 + 203_00)

    @shows("P3.2")
    def test_totals_say_for_what_and_who_pays(self):
        trip = self.a_trip(starts=20, days=4)
        figures = load_file(self.maren, trip).figures
        firm, own = figures.sum("firm", "central").minor, figures.sum("self").minor + figures.allowance.amount.minor
        self.assertEqual((firm + own, firm), (figures.total.minor, 200_00 + 450_00))
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/trips/{trip.pk}/"), "paid by the firm 650.00, by you 203.00")
        road.send(self.maren, trip.pk, Trip.objects.get(pk=trip.pk).version, self.maren.person.name)
        order = self.client.get(f"/trips/{trip.pk}/order/")
        for words in ("Lodging", "450.00", "200.00", "of it 650.00 paid by the firm"):
            self.assertContains(order, words)

    def test_legs_must_fit(self):
        trip = self.a_trip(starts=20)
        home, there = place("ORK"), place("BGO")
        at = datetime.combine(self.today + timedelta(days=20), time(10))
        for leaves, arrives, words in [
            (at, at + timedelta(hours=1), "overlaps"),
            (at, at - timedelta(hours=9), "arrives before it leaves"),
            (at + timedelta(days=500), at + timedelta(days=500, hours=3), "at most 120 days"),
            (at + timedelta(days=9), at + timedelta(days=15), "more than four days"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                plan.add_leg(self.maren, trip.pk, "air", home, there, leaves, arrives)
        self.assertEqual(Leg.objects.filter(trip=trip).count(), 2)

    def test_taking_the_last_leg_off_takes_nights_and_dates(self):
        trip = self.a_trip(starts=20)
        for leg in trip.legs.all():
            plan.remove_leg(self.maren, trip.pk, leg.pk)
        trip.refresh_from_db()
        self.assertEqual((trip.starts, trip.nights.count()), (None, 0))
        with self.assertRaises(Stale):
            plan.remove_leg(self.maren, trip.pk, 999)

    @shows("P4.5")
    def test_a_meal_on_all_days_alike_in_one_act(self):
        trip = self.a_trip(starts=20, days=5)
        nights.mark_meal(self.maren, trip.pk, trip.starts + timedelta(days=1), Meal.LUNCH, all_alike=True)
        trip.refresh_from_db()
        self.assertEqual(len(trip.supplied), 3)
        nights.mark_meal(self.maren, trip.pk, trip.starts + timedelta(days=1), Meal.LUNCH)
        trip.refresh_from_db()
        self.assertEqual(len(trip.supplied), 2)

    @shows("P4.5", "P7.1")
    def test_a_stay_is_changed_together_and_over_the_ceiling_is_found(self):
        trip = self.a_trip(starts=20, days=4)
        dates = [n.date for n in trip.nights.all()][:2]
        nights.set_stay(self.maren, trip.pk, dates, "Lamp Quay Hotel", Decimal(178), "firm", False)
        file = load_file(self.maren, Trip.objects.get(pk=trip.pk))
        self.assertEqual([len(stay) for stay in file.stays], [2, 1])
        self.assertIn(
            "Lamp Quay Hotel is 28.00 a night over the 150.00 ceiling for Bergen, 2 nights",
            file.findings[0].finding.text,
        )
        plan.explain(
            self.maren,
            trip.pk,
            [f.finding for f in file.findings],
            [file.findings[0].finding.identity],
            "Needed for the work",
            "On the quay",
        )
        self.assertEqual(load_file(self.maren, trip).in_the_way, 0)
        nights.set_stay(self.maren, trip.pk, dates, "Lamp Quay Hotel", Decimal(150), "firm", False)
        self.assertEqual([f for f in load_file(self.maren, trip).findings if f.finding.level != "note"], [])

    @shows("R4.4")
    def test_lodging_is_never_typed_twice(self):
        trip = self.a_trip(starts=20)
        with self.assertRaisesRegex(Refusal, "count twice"):
            plan.add_other(self.maren, trip.pk, "lodging", "Hotel", Decimal(100), "self")

    @shows("P6.1")
    def test_the_advance_has_its_limit(self):
        trip = self.a_trip(starts=20)
        most = load_file(self.maren, trip).figures.proposed_advance.amount
        self.assertEqual(most.minor, 100_00)
        for amount in ("100.01", "-1"):
            with self.subTest(amount), self.assertRaises(Refusal):
                plan.ask_advance(self.maren, trip.pk, Decimal(amount), most, "Hotel asks for cash")
        plan.ask_advance(self.maren, trip.pk, Decimal(60), most, "Hotel asks for cash")

    def test_a_bad_coding_is_said_at_once(self):
        for coding, words in [
            (coded("3120", "P-0417"), "asks for a task"),
            (coded("9999"), "not known"),
            (coded(), "missing"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                plan.start_trip(self.maren, "A trip", "To test", coding)

    @shows("U2.10")
    def test_a_card_that_expires_is_found(self):
        Card.objects.filter(owner=self.maren).update(expires=self.today + timedelta(days=5))
        trip = self.a_trip(starts=20)
        self.assertIn("Your card expires", load_file(self.maren, trip).findings[0].finding.text)

    def test_nobody_else_changes_a_plan(self):
        trip = self.a_trip(starts=20)
        with self.assertRaises(Trip.DoesNotExist):
            plan.change_head(self.aiko, trip.pk, "Mine now", "No", FIELD)
        with self.assertRaises(NotAllowed):
            plan.change_head(self.benedikt, trip.pk, "Mine now", "No", FIELD)


class SendingTest(WorldTestCase):
    @shows("P8.2")
    def test_only_certified_with_ones_own_name_and_nothing_in_the_way(self):
        trip = self.a_trip(starts=20)
        for version, name, words in [
            (trip.version, "Tobias Achterberg", "Type your name"),
            (trip.version - 1, "Maren Oyelaran", "another page"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                road.send(self.maren, trip.pk, version, name)
        empty = plan.start_trip(self.maren, "Nothing yet", "To test", FIELD)
        with self.assertRaisesRegex(Refusal, "1 still to put right"):
            road.send(self.maren, empty.pk, empty.version, "Maren Oyelaran")

    @shows("P9.2", "P10.2")
    def test_route_budget_and_news(self):
        trip = self.sent_trip(coding=FIELD, starts=20)
        step = SignOff.objects.get()
        self.assertEqual((step.signer, step.turn, step.amount_minor), (self.tobias, True, trip.planned.minor))
        with self.done():
            self.assertTrue(bench.approve(self.tobias, "trip", trip.pk))
        trip.refresh_from_db()
        self.assertEqual(trip.state, "Authorised")
        self.assertEqual(
            dict(BudgetUse.objects.values_list("budget__code", "committed_minor")),
            dict.fromkeys(["3120", "P-0417"], trip.planned.minor),
        )
        self.assertEqual(mail.outbox[-1].to, ["maren.oyelaran@brackwater.example"])
        calendar = next(p for p in message_from_bytes(mail.outbox[-1].message().as_bytes()).walk() if p.get_filename())
        self.assertIn("BEGIN:VEVENT", calendar.get_payload(decode=True).decode())
        road.call_off(self.maren, trip.pk)
        self.assertEqual(BudgetUse.objects.count(), 0)

    @shows("U4.3", "U4.4")
    def test_cover_signs_in_the_name_of_who_is_away(self):
        Cover.objects.create(member=self.tobias, by=self.ottilie, since=self.today, until=self.today)
        trip = self.sent_trip(starts=20)
        with self.done():
            bench.approve(self.ottilie, "trip", trip.pk)
        self.assertTrue(Entry.objects.filter(what="authorised the trip", for_whom="Tobias Achterberg").exists())

    @shows("P9.5", "V3.1")
    def test_take_back_send_back_and_turn_down(self):
        trip = self.sent_trip(starts=20)
        road.take_back(self.maren, trip.pk)
        with self.assertRaisesRegex(Stale, "no longer waits for you"):
            bench.approve(self.tobias, "trip", trip.pk)
        trip.refresh_from_db()
        road.send(self.maren, trip.pk, trip.version, "Maren Oyelaran")
        with self.assertRaisesRegex(Refusal, "Say why"):
            bench.end(self.tobias, "trip", trip.pk, "send_back", " ")
        bench.end(self.tobias, "trip", trip.pk, "send_back", "Which hotel?")
        trip.refresh_from_db()
        self.assertEqual(trip.state, "Sent back")
        road.send(self.maren, trip.pk, trip.version, "Maren Oyelaran")
        bench.end(self.tobias, "trip", trip.pk, "turn_down", "Not this year")
        trip.refresh_from_db()
        self.assertEqual(trip.state, "Turned down")
        with self.assertRaises((NotNow, Stale)):
            road.send(self.maren, trip.pk, trip.version, "Maren Oyelaran")

    @shows("V3.1")
    def test_pass_on(self):
        trip = self.sent_trip(starts=20)
        for wrong in (self.maren, self.tobias, self.aiko, self.ingrid):
            with self.subTest(wrong.person.name), self.assertRaises(Refusal):
                bench.pass_on(self.tobias, "trip", trip.pk, wrong.pk, "")
        bench.pass_on(self.tobias, "trip", trip.pk, self.signe.pk, "You know this one")
        with self.done():
            self.assertTrue(bench.approve(self.signe, "trip", trip.pk))

    def test_a_second_decision_is_told_why_not(self):
        trip = self.sent_trip(starts=20)
        with self.done():
            bench.approve(self.tobias, "trip", trip.pk)
        with self.assertRaisesRegex(Stale, "decided this already"):
            bench.approve(self.tobias, "trip", trip.pk)
        with self.assertRaises(Trip.DoesNotExist):
            bench.approve(self.ottilie, "trip", trip.pk)


WISH = Wish("Arrives in time for the work", "In time for the tide")


class BookingTest(WorldTestCase):
    def choose(self, day_out, day_back):
        out = ways(place("ORK"), place("BGO"), day_out, self.today, "EUR")[0]
        back = ways(place("BGO"), place("ORK"), day_back, self.today, "EUR")[0]
        return chosen([out.offer.key, back.offer.key], self.today, "EUR")

    def held(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking", FIELD)
        picked = self.choose(self.today + timedelta(days=20), self.today + timedelta(days=23))
        return trip, picked, hold(self.maren, trip.pk, picked, WISH)

    def test_the_same_question_gets_the_same_answer(self):
        day = self.today + timedelta(days=20)
        first, second = (ways(place("ORK"), place("BGO"), day, self.today, "EUR") for _ in range(2))
        self.assertEqual([w.offer for w in first], [w.offer for w in second])
        self.assertEqual(ways(place("ORK"), place("BGO"), self.today - timedelta(days=1), self.today, "EUR"), [])

    def test_holding_twice_is_one_hold(self):
        trip, picked, booking = self.held()
        again = hold(self.maren, trip.pk, picked, WISH)
        self.assertEqual((again.pk, Booking.objects.count(), trip.legs.count()), (booking.pk, 1, 2))
        self.assertLess(booking.ticket_by, booking.departure)

    @shows("B8.1")
    def test_confirmed_and_ticketed_once_authorised(self):
        trip, *_ = self.held()
        trip.refresh_from_db()
        file = load_file(self.maren, trip)
        for each in file.findings:
            if each.open:
                plan.explain(
                    self.maren,
                    trip.pk,
                    [each.finding],
                    [each.finding.identity],
                    each.finding.reasons[0],
                    "Bags of tools",
                )
        road.send(self.maren, trip.pk, Trip.objects.get(pk=trip.pk).version, "Maren Oyelaran")
        with self.done():
            bench.approve(self.tobias, "trip", trip.pk)
        booking = Booking.objects.get()
        self.assertEqual(booking.state, "Ticketed")
        self.assertIn("and ticketed", mail.outbox[-1].subject)

    @shows("B8.2")
    def test_cancelled_with_its_legs_and_lapsed_when_not_sent(self):
        trip, _, booking = self.held()
        leg = trip.legs.first()
        with self.assertRaisesRegex(Refusal, "belongs to a booking"):
            plan.remove_leg(self.maren, trip.pk, leg.pk)
        cancel(self.maren, trip.pk, booking.pk)
        self.assertEqual((Booking.objects.get().state, Leg.objects.count(), Night.objects.count()), ("Cancelled", 0, 0))
        _, _, second = self.held()
        road.move_along(second.held_until + timedelta(minutes=1))
        second.refresh_from_db()
        self.assertEqual(second.state, "Lapsed")
        # The moves stay on the plan at the price they had, and the traveller is told.
        legs = Leg.objects.filter(trip=second.trip)
        self.assertEqual(
            (legs.filter(booking=None).count(), sum(leg.estimate_minor for leg in legs)), (2, second.price_minor)
        )
        self.assertTrue(any("has run out" in n.text for n in self.maren.notices.all()))

    def test_a_forged_or_old_fare_is_refused(self):
        for key in (
            "",
            "x",
            "ORK-BGO-2026-13-40-2026-01-01-EUR-1",
            "ORK-BGO-2030-01-01-2029-01-01-EUR-99",
            "ORK-BGO-2030-01-01-2029-01-01-NOK-1",
        ):
            with self.subTest(key), self.assertRaises(Refusal):
                chosen([key], self.today, "EUR")


class ClockTest(WorldTestCase):
    def test_trips_move_along_with_the_clock(self):
        trip = self.sent_trip(starts=5)
        with self.done():
            self.approve_all("trip", trip.pk)
        first = datetime.combine(trip.starts, time(0), UTC)
        for hours, state in [(0, "Authorised"), (12, "Under way"), (80, "Back")]:
            road.move_along(first + timedelta(hours=hours))
            trip.refresh_from_db()
            self.assertEqual(trip.state, state)

    def test_the_clock_is_moved_in_the_demo_only(self):
        with override_settings(DEMO=False), self.assertRaises(RuntimeError):
            clock.move_to(clock.now())
