"""Holding, ticketing, changing, cancelling; what was bought elsewhere; a market that fails in every way."""

import contextlib
import tempfile
import time
from dataclasses import replace
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from unittest import mock

from django.core import mail
from django.db import transaction
from django.test import override_settings

from tests.apps.test_journeys import JourneyTestCase
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import BudgetUse
from wainwright.bookings import market, services
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import chosen, chosen_car, chosen_stay, stays, ways
from wainwright.bookings.services import ByHand
from wainwright.core.money import Money
from wainwright.errors import Refusal, Stale
from wainwright.formats.places import place, town
from wainwright.people.models import Firm, new_version
from wainwright.ports.market import CarQuery, Hold, MarketError, StayQuery
from wainwright.rulebook.models import AllowanceRate, Explanation
from wainwright.standins.market import Standin, moods
from wainwright.trail.models import Entry
from wainwright.trips import letters
from wainwright.trips.models import Leg, Trip
from wainwright.trips.selectors import trip_for
from wainwright.trips.services import basket, itinerary, nights, plan, road
from wainwright.trips.services import ways as acts
from wainwright.trips.services.ways import Wish, hold

REASON = Wish("Arrives in time for the work", "In time for the tide")


class BookingTestCase(JourneyTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.enterContext(override_settings(DEMO=True, VAR=Path(folder.name)))

    def mood(self, *names):
        moods.set_moods(frozenset(names))

    def choice(self, fare="Bag and change", number=0, day=None):
        day = day or self.monday()
        keys = []
        for one, other, on in (("ORK", "BGO", day), ("BGO", "ORK", day + timedelta(days=3))):
            found = [
                w for w in ways(place(one), place(other), on, self.today, "EUR")
                if w.offer.fare == fare and 8 <= w.offer.leaves.hour < 15 and w.offer.arrives.date() == on
            ]  # fmt: skip
            keys.append(found[number].offer.key)
        return chosen(keys, self.today, "EUR")

    def start(self):
        return plan.start_trip(self.maren, "Gauge check", "Checking", self.coding)

    @property
    def coding(self):
        return self.maren_coding

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()

        cls.maren_coding = coded("3120")

    def held(self, **options):
        trip = self.start()
        return trip, hold(self.maren, trip.pk, self.choice(**options), REASON)

    def authorised(self, **options):
        trip, booking = self.held(**options)
        self.sent(trip)
        with self.done():
            self.approve_all("trip", trip.pk)
        booking.refresh_from_db()
        return Trip.objects.get(pk=trip.pk), booking


class Killed(BaseException):
    """The process is gone: nothing after this point runs."""


class KilledTest(BookingTestCase):
    """Holds and tickets broken off at each point, by its name: what is missing is found and carried on, or given up."""

    def later(self):
        return clock.now() + timedelta(minutes=3)

    def test_a_hold(self):
        here = "wainwright.trips.services.ways"
        for where in (
            "wainwright.bookings.services.ask", "wainwright.bookings.services.move", f"{here}._put_on_trip", f"{here}.place_leg",
            f"{here}.rebuild_nights", f"{here}.changed", f"{here}._tell_approver", f"{here}.load_file",
        ):  # fmt: skip
            for again in (False, True):
                with self.subTest(where=where, again=again):
                    trip = self.start()
                    with mock.patch(where, side_effect=Killed), contextlib.suppress(Killed):
                        hold(self.maren, trip.pk, self.choice(), REASON)
                    if not again:
                        acts.finish_asked(self.later())
                        acts.finish_asked(self.later())
                        for booking in trip.bookings.all():
                            self.assertTrue(booking.state == "Cancelled" or (booking.state == "Held" and booking.legs.count() == 2), booking.state)  # fmt: skip
                    booking = hold(self.maren, trip.pk, self.choice(), REASON)
                    standing = [b for b in trip.bookings.all() if b.stands]
                    self.assertEqual((standing, booking.legs.count()), ([booking], 2))
                    self.assertEqual(len({b.reference for b in standing}), 1)
                    basket.cancel(self.maren, trip.pk, booking.pk)

    def test_a_stay_and_a_change(self):
        here = "wainwright.trips.services.ways"
        for where in (f"{here}._put_on_trip", f"{here}._give_up_old", "wainwright.bookings.services.give_up"):
            with self.subTest(where):
                trip, old = self.held()
                wish = replace(REASON, instead_of=old.pk)
                with mock.patch(where, side_effect=Killed), contextlib.suppress(Killed):
                    hold(self.maren, trip.pk, self.choice(fare="Bag and change", number=1), wish)
                acts.finish_asked(self.later())
                acts.finish_asked(self.later())
                standing = [b for b in trip.bookings.all() if b.stands]
                self.assertEqual(len(standing), 1)
                self.assertNotEqual(standing[0].pk, old.pk)
                self.assertEqual(Leg.objects.filter(trip=trip).count(), 2)

    def test_what_was_moved_away_from_its_booking_is_left_alone(self):
        trip, booking = self.held()
        for act in (
            lambda: Leg.objects.filter(trip=trip).delete(),
            lambda: itinerary.shift_trip(self.maren, trip.pk, self.monday() + timedelta(days=7)),
        ):
            with self.subTest(act), transaction.atomic():
                act()
                self.assertEqual(acts.finish_asked(self.later()), 0)
                booking.refresh_from_db()
                self.assertEqual(booking.state, "Held")
                transaction.set_rollback(True)

    def test_tickets(self):
        here = "wainwright.trips.services.road"
        for where in (
            "wainwright.bookings.services.ask", "wainwright.bookings.services._step", "wainwright.bookings.services._further", f"{here}.load_file",
            f"{here}.send_itinerary", f"{here}._tell_what_came_of_it",
        ):  # fmt: skip
            with self.subTest(where):
                trip, booking = self.held()
                self.sent(trip)
                with mock.patch.object(road, "issue_tickets"):
                    self.approve_all("trip", trip.pk)
                with mock.patch(where, side_effect=Killed), contextlib.suppress(Killed):
                    road.issue_tickets.call_local(trip.pk)
                for _ in range(2):
                    road.move_along(self.later())
                booking.refresh_from_db()
                self.assertEqual((booking.state, bool(booking.ticket_number), booking.problem), ("Ticketed", True, ""))
                road.call_off(self.maren, trip.pk)


class HoldingTest(BookingTestCase):
    @shows("P3.1")
    def test_a_way_takes_the_place_of_the_planned_leg(self):
        trip = self.to_bergen(days=4)
        self.assertEqual(trip.legs.filter(booking=None).count(), 2)
        booking = hold(self.maren, trip.pk, self.choice(), REASON)
        self.assertEqual(trip.legs.filter(booking=booking).count(), 2)
        self.assertEqual(trip.legs.filter(booking=None).count(), 0)
        self.assertEqual((booking.state, booking.card, booking.kind), ("Held", "4410", "air"))
        self.assertTrue(any(what.startswith("Refund") for what, _ in booking.rows))

    @shows("B2.2", "B3.1", "B3.2")
    def test_a_choice_outside_the_rules_needs_a_reason_and_tells_the_approver(self):
        trip, choice = self.start(), self.choice(fare="Front cabin")
        with self.assertRaisesRegex(Refusal, "business class.*Give a reason|dearer than.*Give a reason"):
            hold(self.maren, trip.pk, choice)
        with self.assertRaisesRegex(Refusal, "reasons on the list"):
            hold(self.maren, trip.pk, choice, Wish("Nonsense", "Because I like it"))
        self.assertEqual(Booking.objects.count(), 0)
        with self.done():
            booking = hold(self.maren, trip.pk, choice, Wish("Health", "A broken leg"))
        letter = next(m for m in mail.outbox if "outside the rules" in m.subject)
        self.assertEqual(letter.to, ["tobias.achterberg@brackwater.example"])
        self.assertIn("A broken leg", letter.body)
        self.assertIn("Cheaper ways then on offer", letter.body)
        booking.refresh_from_db()
        self.assertEqual((booking.evidence["told"], booking.evidence["words"]), ("Tobias Achterberg", "A broken leg"))
        ways = [row["way"] for row in booking.evidence["ways"]]
        self.assertTrue(0 < len(ways) == len(set(ways)), ways)
        # The page that the letter leads to opens for whoever was told, and for no other colleague.
        self.assertIn(f"/trips/{trip.pk}/", letter.body)
        for who, status in ((self.tobias, 200), (self.aiko, 404)):
            self.enter(who)
            self.assertEqual(self.client.get(f"/trips/{trip.pk}/").status_code, status)
        self.assertTrue(Explanation.objects.filter(identity=f"class@booking:{booking.pk}").exists())
        self.assertFalse(
            [f for f in self.file(trip).findings if f.open and f.finding.rule in ("class", "cheapest", "contract")]
        )

    @shows("B5.2")
    def test_a_car_with_its_times_and_its_permission(self):
        trip, _ = self.held()
        leg = trip.legs.first()
        since = leg.arrives + timedelta(minutes=30)
        query = CarQuery(place("BGO"), since, place("BGO"), since + timedelta(days=2), self.today, "EUR")
        cars = Standin().cars(query)
        cheap = next(c for c in cars if c.contracted)
        booking = hold(self.maren, trip.pk, chosen_car(cheap.key, self.today, "EUR"))
        file = self.file(trip)
        self.assertEqual([e.category for e in file.figures.estimates if e.key == f"booking:{booking.pk}"], ["hire"])
        self.assertIn("hire-car", [p.code for p in file.permissions])
        dear = max(cars, key=lambda c: c.price.amount)
        with self.assertRaisesRegex(Refusal, "Give a reason"):
            hold(self.maren, trip.pk, chosen_car(dear.key, self.today, "EUR"))

    def room(self, trip, within=True):
        first, count = trip.nights.first().date, trip.nights.count()
        found = [s for s in stays(town("Bergen", "NO"), first, count, self.today, "EUR") if s.rooms_left]
        found.sort(key=lambda s: (s.a_night + s.city_tax).minor)
        chosen = found[0] if within else found[-1]
        # What the market asks that week is not the test's to say: the ceiling is set about the room.
        price = (chosen.a_night + chosen.city_tax).minor
        AllowanceRate.objects.filter(firm=self.maren.firm, town="Bergen").update(
            ceiling_minor=max(price, 150_00) if within else price - 10_00
        )
        Firm.objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())
        self.maren.firm.refresh_from_db()
        return chosen_stay(chosen.key, self.today, "EUR")

    def test_a_breakfast_in_the_price_of_a_room_is_off_the_allowance_while_the_room_is_held(self):
        trip, _ = self.held()
        before = self.file(trip).figures.allowance.amount
        choice = self.room(trip)
        for rows, comes_off in ((["Breakfast", "Not in the price"], False), (["Breakfast", "In the price"], True)):
            with self.subTest(rows), transaction.atomic():
                booking = hold(self.maren, trip.pk, replace(choice, rows=[rows]))
                trip = Trip.objects.get(pk=trip.pk)
                mornings = [f"{n.date + timedelta(days=1)}:breakfast" for n in trip.nights.all()] if comes_off else []
                self.assertEqual(trip.supplied, mornings)
                self.assertEqual(self.file(trip).figures.allowance.amount < before, comes_off)
                basket.cancel(self.maren, trip.pk, booking.pk)
                trip = Trip.objects.get(pk=trip.pk)
                self.assertEqual((trip.supplied, self.file(trip).figures.allowance.amount), ([], before))
                transaction.set_rollback(True)

    def test_a_room_fills_the_nights_once(self):
        trip, _ = self.held()
        choice = self.room(trip)
        booking = hold(self.maren, trip.pk, choice)
        self.assertEqual({n.booking_id for n in trip.nights.all()}, {booking.pk})
        self.assertEqual(sum(n.cost_minor for n in trip.nights.all()), booking.price_minor)
        self.assertFalse([e for e in self.file(trip).figures.estimates if e.key == f"booking:{booking.pk}"])
        other = [
            s
            for s in stays(town("Bergen", "NO"), choice.stay.first, choice.stay.nights, self.today, "EUR")
            if s.rooms_left and s.key != choice.keys[0]
        ]
        with self.assertRaisesRegex(Refusal, "is there already.*A night is paid once"):
            hold(
                self.maren,
                trip.pk,
                chosen_stay(other[0].key, self.today, "EUR"),
                Wish("Needed for the work", "Near the quay"),
            )
        with self.assertRaisesRegex(Refusal, "is booked.*count twice"):
            nights.set_stay(self.maren, trip.pk, [trip.nights.first().date], "Another", Decimal(10), "firm", False)
        basket.cancel(self.maren, trip.pk, booking.pk)
        self.assertEqual({(n.booking_id, n.cost_minor) for n in trip.nights.all()}, {(None, 150_00)})

    @shows("B3.1")
    def test_a_room_over_the_ceiling_takes_its_reason_at_choosing(self):
        trip, _ = self.held()
        choice = self.room(trip, within=False)
        with self.assertRaisesRegex(Refusal, r"a night over the \d+\.\d\d ceiling.*Give a reason"):
            hold(self.maren, trip.pk, choice)
        hold(self.maren, trip.pk, choice, Wish("Needed for the work", "On the quay itself"))
        ceiling = [f for f in self.file(trip).findings if f.finding.rule == "ceiling"]
        self.assertEqual([f.open for f in ceiling], [False])

    def test_a_full_room_and_a_room_for_other_nights(self):
        trip, _ = self.held()
        day = trip.nights.first().date
        full = next(
            s for n in range(60) for s in Standin().stays(
                StayQuery(town("Bergen", "NO"), day + timedelta(days=n), 1, self.today, "EUR"))
            if not s.rooms_left
        )  # fmt: skip
        with self.assertRaisesRegex(Refusal, "no room left"):
            chosen_stay(full.key, self.today, "EUR")
        later = next(
            s for s in stays(town("Bergen", "NO"), day + timedelta(days=30), 2, self.today, "EUR") if s.rooms_left
        )
        with self.assertRaisesRegex(Refusal, "does not sleep there"):
            hold(
                self.maren,
                trip.pk,
                chosen_stay(later.key, self.today, "EUR"),
                Wish("Needed for the work", "Near the quay"),
            )

    def test_moving_the_trip_lists_what_is_held_for_the_old_days(self):
        trip, booking = self.held()
        _, held = itinerary.shift_trip(self.maren, trip.pk, Trip.objects.get(pk=trip.pk).starts + timedelta(days=7))
        self.assertEqual(held, [booking])
        old = next(f for f in self.file(trip).findings if f.finding.rule == "old-date")
        self.assertIn("and the trip has it on", old.finding.text)
        self.assertEqual(old.finding.level, "stop")
        with self.assertRaisesRegex(Refusal, "the carrier's"):
            itinerary.move_end(self.maren, trip.pk, booking.legs.first().pk, "leaves", 15)


class FaultsTest(BookingTestCase):
    def test_each_fault_has_its_answer_and_leaves_nothing_half_done(self):
        trip, choice = self.start(), self.choice()
        for mood, words in [
            ("sold_out", "sold out a moment ago"),
            ("dearer", "The price changed from .* Nothing was held"),
        ]:
            with self.subTest(mood):
                self.mood(mood)
                with self.assertRaisesRegex(Refusal, words):
                    hold(self.maren, trip.pk, choice, REASON)
                self.assertEqual((Leg.objects.count(), Booking.objects.latest("pk").state), (0, "Cancelled"))
                self.assertTrue(Booking.objects.latest("pk").problem)
        self.mood()
        self.assertEqual(hold(self.maren, trip.pk, choice, REASON).state, "Held")

    def test_a_market_that_hangs_is_asked_again_and_its_hold_is_not_lost(self):
        trip, choice = self.start(), self.choice()
        real = Standin.hold

        def late(*args):
            time.sleep(0.3)
            return real(*args)

        with (
            mock.patch.object(market, "PATIENCE", 0.1),
            mock.patch.object(Standin, "hold", late),
            self.assertRaisesRegex(Refusal, "whether it is held shows on the trip by itself"),
        ):
            hold(self.maren, trip.pk, choice, REASON)
        booking = Booking.objects.get()
        self.assertEqual((booking.state, Leg.objects.count()), ("Asked", 0))
        road.move_along(clock.now() + timedelta(minutes=5))
        booking.refresh_from_db()
        self.assertEqual((booking.state, booking.problem, Leg.objects.count()), ("Held", "", 2))

    def test_answers_that_make_no_sense_in_mid_booking(self):
        trip, choice = self.start(), self.choice()
        strange = [
            None,
            "nonsense",
            Hold("", choice.price),
            Hold("X" * 21, choice.price),
            Hold("X", Money.of("1", "NOK")),
        ]
        for answer in strange:
            with (
                self.subTest(answer=answer),
                mock.patch.object(Standin, "hold", lambda *a, found=answer: found),
                self.assertRaises(Refusal),
            ):
                hold(self.maren, trip.pk, choice, REASON)
            self.assertEqual(Leg.objects.count(), 0)
        self.assertFalse(Booking.objects.filter(state__in=["Asked", "Held"]).exists())
        for what, call in [
            ("search", lambda: ways(place("ORK"), place("BGO"), self.monday(), self.today, "EUR")),
            ("stays", lambda: stays(place("BGO"), self.monday(), 1, self.today, "EUR")),
        ]:
            with (
                self.subTest(what),
                mock.patch.object(Standin, what, return_value=None),
                self.assertRaisesRegex(Refusal, "made no sense"),
            ):
                call()
        with (
            mock.patch.object(Standin, "ticket", return_value=""),
            mock.patch.object(Standin, "price_now", return_value=None),
        ):
            _, booking = self.authorised()
        self.assertIn("made no sense", booking.problem)
        road.move_along(clock.now())
        booking.refresh_from_db()
        self.assertEqual(booking.state, "Ticketed")

    def test_what_was_asked_for_and_never_answered_is_finished_by_the_worker(self):
        trip, choice = self.start(), self.choice()
        kept = services.keep_asked(self.maren, trip.pk, choice, "firm", "4410")
        self.assertIn(
            "has had no answer yet",
            next(f for f in self.file(trip).findings if f.finding.rule == "unanswered").finding.text,
        )
        road.move_along(clock.now())
        kept.refresh_from_db()
        self.assertEqual(kept.state, "Asked")
        road.move_along(clock.now() + timedelta(minutes=5))
        kept.refresh_from_db()
        self.assertEqual((kept.state, kept.legs.count()), ("Held", 2))

    def test_answers_that_cannot_be_are_left_out(self):
        self.mood("nonsense")
        found = ways(place("ORK"), place("BGO"), self.monday(), self.today, "EUR")
        self.assertTrue(all(market.sane_way(w.offer, "EUR") for w in found))
        with (
            mock.patch.object(Standin, "search", side_effect=ZeroDivisionError),
            self.assertRaisesRegex(Refusal, "could not be understood"),
        ):
            ways(place("ORK"), place("BGO"), self.monday(), self.today, "EUR")
        with self.assertRaises(MarketError):
            market.ask("offer", "x")

    def test_a_price_that_rose_since_the_hold_asks(self):
        self.mood("rises_later")
        trip, booking = self.authorised()
        self.assertEqual((booking.state, booking.price_now.minor), ("Held", booking.price.times(Decimal("1.12")).minor))
        self.assertIn("The price rose", booking.problem)
        self.assertTrue(any("The price rose" in n.text for n in self.maren.notices.all()))
        road.move_along(clock.now())
        booking.refresh_from_db()
        self.assertEqual(booking.state, "Held")
        before = BudgetUse.objects.get(subject=trip.subject).committed_minor
        booking = basket.take_price(self.maren, trip.pk, booking.pk)
        self.assertEqual((booking.state, booking.problem), ("Ticketed", ""))
        self.assertGreater(BudgetUse.objects.get(subject=trip.subject).committed_minor, before)
        with self.assertRaises(Stale):
            basket.take_price(self.maren, trip.pk, booking.pk)

    def test_a_refused_card_is_changed(self):
        self.mood("card_refused")
        trip, booking = self.authorised()
        self.assertEqual((booking.state, booking.problem), ("Held", "The card ending 4410 was refused."))
        for paid_by, card in (("self", ""), ("firm", "0000")):
            with self.subTest(card), self.assertRaises(Refusal):
                basket.pay_by(self.maren, trip.pk, booking.pk, paid_by, card)
        self.mood()
        basket.pay_by(self.maren, trip.pk, booking.pk, "central", "")
        booking.refresh_from_db()
        self.assertEqual((booking.state, booking.paid_by), ("Ticketed", "central"))

    @shows("B8.3")
    def test_a_late_ticket_is_brought_to_the_traveller_once(self):
        self.mood("ticket_late")
        _, booking = self.authorised()
        self.assertEqual(booking.state, "Confirmed")
        late = booking.ticket_by + timedelta(hours=1)
        with clock.at(late), self.done():
            road.move_along(late)
            road.move_along(late)
        told = [n.text for n in self.maren.notices.all() if "is not ticketed" in n.text]
        self.assertEqual(len(told), 1)
        self.mood()
        with clock.at(late):
            road.move_along(late)
        booking.refresh_from_db()
        self.assertEqual(booking.state, "Ticketed")


class AfterwardsTest(BookingTestCase):
    @shows("B2.1", "B8.4")
    def test_cancelling_a_ticket_costs_what_its_conditions_say(self):
        trip, booking = self.authorised()
        day = Trip.objects.get(pk=trip.pk).starts
        with self.assertRaisesRegex(Refusal, "That is the whole journey"):
            basket.cancel(self.maren, trip.pk, booking.pk)
        road.reopen(self.maren, trip.pk)
        at = datetime.combine(day, datetime.min.time()).replace(hour=20)
        plan.add_leg(
            self.maren, trip.pk, "ferry", town("Bergen", "NO"), town("Florø", "NO"), at, at + timedelta(hours=3)
        )
        gone = basket.cancel(self.maren, trip.pk, booking.pk)
        self.assertEqual((gone.state, gone.lost), ("Cancelled", gone.price))
        lost = [e for e in self.file(trip).figures.estimates if e.key.startswith("lost:")]
        self.assertEqual([(e.amount, e.category) for e in lost], [(gone.price, "air")])

    def test_a_bag_comes_and_goes_with_its_flight(self):
        trip = self.start()
        booking = hold(self.maren, trip.pk, self.choice(), replace(REASON, bag=Money.of("45.00", "EUR")))
        self.assertEqual([(c.label, c.amount_minor) for c in trip.others.all()], [(f"Bag, {booking.carrier}", 4500)])
        at = datetime.combine(Trip.objects.get(pk=trip.pk).starts, datetime.min.time()).replace(hour=20)
        plan.add_leg(
            self.maren, trip.pk, "ferry", town("Bergen", "NO"), town("Florø", "NO"), at, at + timedelta(hours=3)
        )
        basket.cancel(self.maren, trip.pk, booking.pk)
        self.assertFalse(trip.others.exists())

    def test_cancelling_on_an_authorised_trip_gives_back_to_the_budget(self):
        trip, _ = self.held()
        leg = trip.legs.first()
        since = leg.arrives + timedelta(minutes=30)
        car = next(
            c
            for c in Standin().cars(
                CarQuery(place("BGO"), since, place("BGO"), since + timedelta(days=2), self.today, "EUR")
            )
            if c.contracted
        )
        booking = hold(self.maren, trip.pk, chosen_car(car.key, self.today, "EUR"))
        self.sent(trip)
        with self.done():
            self.approve_all("trip", trip.pk)
        before = BudgetUse.objects.get(subject=trip.subject).committed_minor
        gone = basket.cancel(self.maren, trip.pk, booking.pk)
        self.assertEqual(gone.lost_minor, 0)
        self.assertEqual(BudgetUse.objects.get(subject=trip.subject).committed_minor, before - booking.price_minor)

    @shows("B8.4")
    def test_changing_puts_another_in_its_place_and_says_what_it_costs(self):
        trip, booking = self.authorised()
        road.reopen(self.maren, trip.pk)
        fee = booking.costs_to_change
        self.assertEqual(fee.minor, booking.change_fee_minor)
        other = hold(
            self.maren,
            trip.pk,
            self.choice(number=1),
            Wish("Arrives in time for the work", "Meeting moved", instead_of=booking.pk),
        )
        booking.refresh_from_db()
        self.assertEqual(
            (booking.state, booking.lost, other.state, other.instead_of_id), ("Cancelled", fee, "Held", booking.pk)
        )
        self.assertEqual({leg.booking_id for leg in trip.legs.all()}, {other.pk})
        with self.assertRaises(Stale):
            hold(
                self.maren,
                trip.pk,
                self.choice(number=2),
                Wish("Arrives in time for the work", "Meeting moved", instead_of=booking.pk),
            )

    def test_calling_off_gives_up_each_booking(self):
        trip, booking = self.authorised()
        road.call_off(self.maren, trip.pk)
        booking.refresh_from_db()
        self.assertEqual((booking.state, booking.lost), ("Cancelled", booking.price))
        self.assertEqual(BudgetUse.objects.get(subject=trip.subject).committed_minor, booking.price_minor)

    def test_a_market_that_does_not_answer_leaves_a_booking_as_it_was(self):
        trip, booking = self.held()
        with (
            mock.patch.object(Standin, "cancel", side_effect=MarketError("No answer.")),
            self.assertRaisesRegex(Refusal, "stands as it was"),
        ):
            basket.cancel(self.maren, trip.pk, booking.pk)
        booking.refresh_from_db()
        self.assertEqual((booking.state, booking.legs.count()), ("Held", 2))

    def test_seats_are_kept_with_the_booking(self):
        trip, booking = self.held()
        basket.choose_seats(self.maren, trip.pk, booking.pk, ["4A", ""])
        booking.refresh_from_db()
        self.assertEqual(booking.seats, ["4A", ""])
        self.assertTrue(Entry.objects.filter(what="chose seats").exists())

    @shows("B4.1")
    def test_each_leg_says_its_own_seat_and_a_wish_holds_for_all(self):
        trip, booking = self.held()
        keys = [hop["key"] for hop in booking.hops]
        there, back = (keys.count(key) for key in dict.fromkeys(keys))
        for seats, wanted in (
            (["4A"] * there + ["7C"] * back, [", ".join(["4A"] * there), ", ".join(["7C"] * back)]),
            (["4A"] * there + [""] * back, [", ".join(["4A"] * there), ""]),
            (["by a window"], ["by a window"] * 2),
            ([], ["", ""]),
        ):
            basket.choose_seats(self.maren, trip.pk, booking.pk, seats)
            rows = letters.rows_of(self.file(Trip.objects.get(pk=trip.pk)))
            self.assertEqual([row.seats for row in rows if row.key.startswith("leg:")], wanted)


class ByHandTest(BookingTestCase):
    def typed(self, number, amount="45.00", paid_by="central", kind="fee"):
        return ByHand(kind, "Agent's fee", "Quay Travel", number, Money.of(amount, "EUR"), paid_by, clock.now())

    @shows("B10.2")
    def test_a_number_only_once_in_the_firm_and_the_other_is_named(self):
        trip = self.to_bergen()
        basket.by_hand(self.maren, trip.pk, self.typed("QT-1001"))
        with self.assertRaisesRegex(Refusal, r"QT-1001 stands on your trip already, T-\d+: Agent's fee, 45.00"):
            basket.by_hand(self.maren, trip.pk, self.typed(" qt-1001 "))
        aikos = self.a_trip(who=self.aiko, starts=20)
        with self.assertRaisesRegex(Refusal, "a trip of Maren Oyelaran"):
            basket.by_hand(self.aiko, aikos.pk, self.typed("QT-1001"))
        for number, amount in (("", "45.00"), ("QT-2", "0.00")):
            with self.subTest(number=number), self.assertRaises(Refusal):
                basket.by_hand(self.maren, trip.pk, self.typed(number, amount))

    @shows("P3.1")
    def test_it_counts_on_the_plan_and_its_number_is_free_once_taken_off(self):
        trip = self.to_bergen()
        before = self.file(trip).figures.total
        booking = basket.by_hand(self.maren, trip.pk, self.typed("QT-1002", paid_by="self"))
        file = self.file(trip)
        self.assertEqual(file.figures.total - before, booking.price)
        self.assertIn(("fee", "self"), [(e.category, e.paid_by) for e in file.figures.estimates])
        basket.cancel(self.maren, trip.pk, booking.pk)
        self.assertEqual(self.file(trip).figures.total, before)
        basket.by_hand(self.maren, trip.pk, self.typed("QT-1002"))

    def test_after_authorising_it_reaches_the_budget(self):
        trip, _ = self.authorised()
        before = BudgetUse.objects.get(subject=trip.subject).committed_minor
        basket.by_hand(self.maren, trip.pk, self.typed("QT-1003"))
        self.assertEqual(BudgetUse.objects.get(subject=trip.subject).committed_minor, before + 45_00)

    def test_nobody_else_records_or_cancels(self):
        trip, booking = self.held()
        for act in (
            lambda who: basket.by_hand(who, trip.pk, self.typed("QT-9")),
            lambda who: basket.cancel(who, trip.pk, booking.pk),
        ):
            with self.assertRaises(Trip.DoesNotExist):
                act(self.aiko)
        self.assertEqual(trip_for(self.maren, trip.pk).bookings.count(), 1)
