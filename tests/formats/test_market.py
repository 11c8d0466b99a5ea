"""The market as plain Python: its ways can be travelled, its answers stay the same, its moods do what they say."""

from __future__ import annotations

import itertools
import tempfile
from datetime import date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from django.test import SimpleTestCase, override_settings
from hypothesis import given, settings
from hypothesis import strategies as st

from wainwright.bookings.market import sane_car, sane_stay, sane_way
from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Mode
from wainwright.formats.places import place, town
from wainwright.ports.market import CardRefused, CarQuery, MarketError, NotYet, Query, SoldOut, StayQuery
from wainwright.standins.market import Standin, moods
from wainwright.standins.market.air import LEAST_CONNECTION, WAYS_PER_DAY
from wainwright.standins.market.cabins import PLANS
from wainwright.standins.market.lines import CHANGE, lines

TODAY = date(2026, 9, 1)
MONDAY = date(2026, 10, 12)


def ask(one: str, other: str, day: date = MONDAY, currency: str = "EUR"):
    origin, target = (place(c) or town(*c.split(":")) for c in (one, other))
    return Standin().search(Query(origin, target, day, TODAY, currency))


class WaysTest(SimpleTestCase):
    @settings(max_examples=30, deadline=None)
    @given(
        st.integers(0, 300),
        st.sampled_from(["BGO", "ABZ", "LIS", "DUB", "Florø:NO", "Oslo:NO"]),
        st.sampled_from(["EUR", "NOK"]),
    )
    def test_every_way_can_be_travelled(self, ahead, target, currency):
        market, day = Standin(), TODAY + timedelta(days=ahead)
        for offer in ask("ORK", target, day, currency):
            self.assertEqual(offer.leaves.date(), day)
            self.assertTrue(sane_way(offer, currency))
            for one, other in itertools.pairwise(offer.hops):
                least = LEAST_CONNECTION if one.mode == Mode.AIR else CHANGE
                self.assertGreaterEqual(other.leaves - one.arrives, least)
            self.assertEqual(market.offer(offer.key), offer)

    def test_every_way_has_its_fares_with_conditions(self):
        by_way = {}
        for offer in ask("ORK", "BGO"):
            by_way.setdefault(offer.way, []).append(offer)
        self.assertEqual(len(by_way), WAYS_PER_DAY)
        for fares in by_way.values():
            self.assertEqual([f.fare for f in fares], ["Hand luggage", "Bag and change", "Open", "Front cabin"])
            self.assertEqual((fares[0].bags, fares[0].refund_fee, fares[2].refund_fee.minor), (0, None, 0))
            self.assertLess(fares[0].price, fares[3].price)

    def test_schedules_by_day_of_week_and_prices_by_time_to_departure(self):
        def times(day):
            return [o.leaves.time() for o in ask("ORK", "BGO", day)]

        self.assertEqual(times(MONDAY), times(MONDAY + timedelta(days=7)))
        self.assertNotEqual(times(MONDAY), times(MONDAY + timedelta(days=1)))
        market = Standin()
        dear = market.search(Query(place("ORK"), place("BGO"), MONDAY, MONDAY - timedelta(days=1), "EUR"))
        self.assertGreater(dear[0].price, ask("ORK", "BGO")[0].price)

    def test_rail_ferry_and_coach_beside_air(self):
        self.assertEqual({o.mode for o in ask("Bergen:NO", "Florø:NO")}, {Mode.AIR, Mode.FERRY, Mode.COACH})
        night = [o for o in ask("Bergen:NO", "Oslo:NO") if any(h.sleeper for h in o.hops)]
        self.assertTrue(night)
        self.assertTrue(all(o.arrives.date() > o.leaves.date() for o in night))

    def test_changes_between_lines_meet_at_a_town(self):
        through = [o for o in ask("Galway:IE", "Dublin:IE") if len(o.hops) > 1 and o.mode != Mode.AIR]
        self.assertTrue(through)
        for offer in through:
            for one, other in itertools.pairwise(offer.hops):
                self.assertEqual(one.target.town, other.origin.town)

    def test_lines_run_forward_on_real_towns(self):
        for line in lines():
            minutes = [m for _, m in line.stops]
            self.assertEqual(minutes, sorted(minutes))
            self.assertTrue(line.days <= set(range(1, 8)))

    def test_nothing_in_the_past_nothing_next_door_nothing_where_nothing_goes(self):
        self.assertEqual(ask("ORK", "BGO", TODAY - timedelta(days=1)), [])
        self.assertEqual(ask("LHR", "LCY"), [])
        self.assertEqual(ask("Voss:NO", "Cobh:IE"), [])

    def test_made_up_keys_are_gone(self):
        for key in (
            "",
            "x",
            "air/ORK/BGO/2026-13-40/2026-01-01/EUR/1/1",
            "air/ORK/BGO/2030-01-01/2029-01-01/EUR/99/0",
            "line/x/y/2026-10-12/2026-09-01/EUR/0/0",
        ):
            with self.subTest(key), self.assertRaises(MarketError):
                Standin().offer(key)
        for call, key in (
            (Standin().car, "car/BGO"),
            (Standin().stay, "stay/x/2026-10-12/1/2026-09-01/EUR/0"),
            (Standin().stay, "stay/a/b"),
        ):
            with self.subTest(key), self.assertRaises(MarketError):
                call(key)

    def test_distances_over_the_globe(self):
        self.assertAlmostEqual(great_circle_km(place("LHR"), place("JFK")), 5541, delta=15)
        self.assertEqual(great_circle_km(place("ORK"), place("ORK")), 0)


class GroundTest(SimpleTestCase):
    def test_cars_by_class_dearer_elsewhere(self):
        since, until = datetime(2026, 10, 12, 15), datetime(2026, 10, 16, 10)
        market = Standin()
        same = market.cars(CarQuery(place("BGO"), since, place("BGO"), until, TODAY, "EUR"))
        other = market.cars(CarQuery(place("BGO"), since, place("OSL"), until, TODAY, "EUR"))
        self.assertEqual({c.kind for c in same}, {"small", "compact", "electric", "estate", "van"})
        self.assertTrue(all(sane_car(c, "EUR") and market.car(c.key) == c for c in same))
        self.assertEqual({b.price.minor - a.price.minor for a, b in zip(same, other, strict=True)}, {85_00})
        self.assertEqual(market.cars(CarQuery(place("BGO"), until, place("BGO"), since, TODAY, "EUR")), [])

    def test_rooms_near_the_town_with_supplied_quarters_in_two_places(self):
        for name, country, supplied in [("Florø", "NO", 1), ("Aberdeen", "GB", 1), ("Bergen", "NO", 0)]:
            with self.subTest(name):
                at = town(name, country)
                found = Standin().stays(StayQuery(at, MONDAY, 2, TODAY, "EUR"))
                self.assertEqual(sum(s.supplied for s in found), supplied)
                self.assertEqual(sum(s.contracted for s in found), 1)
                for stay in found:
                    self.assertTrue(sane_stay(stay, "EUR"))
                    self.assertLess(great_circle_km(stay.place, at), 4)
                    self.assertEqual(Standin().stay(stay.key), stay)

    def test_seats_by_craft_with_some_taken(self):
        offer = next(o for o in ask("ORK", "BGO") if o.seats == "map")
        plan = Standin().seats(offer.key, 0)
        self.assertEqual(plan, Standin().seats(offer.key, 0))
        self.assertIn(plan.craft, PLANS)
        self.assertTrue(0 < len(plan.taken) < plan.rows * len(plan.letters))
        self.assertIsNone(Standin().seats(offer.key, 9))

    def test_holds_and_tickets_follow_from_their_keys(self):
        market, offer = Standin(), ask("ORK", "BGO")[0]
        first, again = (market.hold((offer.key,), "Maren", "trip:1") for _ in range(2))
        self.assertEqual(first, again)
        self.assertNotEqual(first.reference, market.hold((offer.key,), "Maren", "trip:2").reference)
        self.assertEqual(market.ticket(first.reference), market.ticket(first.reference))


class MoodsTest(SimpleTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.enterContext(override_settings(DEMO=True, VAR=Path(folder.name)))

    def test_each_mood_does_what_it_says(self):
        market, offer = Standin(), ask("ORK", "BGO")[0]
        for mood, error, call in [
            ("sold_out", SoldOut, lambda: market.hold((offer.key,), "M", "1")), ("card_refused", CardRefused, lambda: market.confirm("X", "4410")),
            ("ticket_late", NotYet, lambda: market.ticket("X")),
        ]:  # fmt: skip
            with self.subTest(mood):
                moods.set_moods(frozenset([mood]))
                with self.assertRaises(error):
                    call()
        moods.set_moods(frozenset(["dearer", "rises_later", "no such mood"]))
        self.assertGreater(market.hold((offer.key,), "M", "1").price, offer.price)
        self.assertGreater(market.price_now("X", offer.price), offer.price)
        self.assertEqual(moods.moods(), {"dearer", "rises_later"})

    def test_nonsense_is_told_from_sense(self):
        moods.set_moods(frozenset(["nonsense"]))
        found = ask("ORK", "BGO")
        self.assertEqual(sum(not sane_way(o, "EUR") for o in found), 3)

    def test_no_moods_outside_the_demo(self):
        moods.set_moods(frozenset(["sold_out"]))
        with override_settings(DEMO=False):
            self.assertEqual(moods.moods(), frozenset())
            with self.assertRaises(RuntimeError):
                moods.set_moods(frozenset())

    def test_arrivals_are_in_the_zone_of_their_place(self):
        offer = next(o for o in ask("ORK", "BGO") if len(o.hops) == 1)
        hop = offer.hops[0]
        flown = hop.arrives.replace(tzinfo=ZoneInfo("Europe/Oslo")) - hop.leaves.replace(
            tzinfo=ZoneInfo("Europe/Dublin")
        )
        self.assertTrue(timedelta(hours=1) < flown < timedelta(hours=4))
