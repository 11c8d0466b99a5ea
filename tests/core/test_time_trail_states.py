from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from unittest import TestCase
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.business_time import Office, business_hours_before, due_by
from wainwright.core.states import CLAIM, MACHINES, PAST, TRIP, NotNow, stage_reached
from wainwright.core.trail import GENESIS, Entry, first_broken

OSLO = ZoneInfo("Europe/Oslo")


class BusinessTimeTest(TestCase):
    def test_sixteen_hours_before_a_wednesday(self):
        departure = datetime(2026, 10, 14, 10, tzinfo=OSLO)
        got = business_hours_before(departure, Decimal(16), Office("Europe/Oslo"))
        self.assertEqual(got, datetime(2026, 10, 12, 10, tzinfo=OSLO))

    def test_holidays_weekends_and_zones(self):
        holiday = Office("Europe/Oslo", holidays=frozenset({date(2026, 10, 13)}))
        departure = datetime(2026, 10, 14, 10, tzinfo=OSLO)
        self.assertEqual(business_hours_before(departure, Decimal(16), holiday), datetime(2026, 10, 9, 10, tzinfo=OSLO))
        cork = Office("Europe/Dublin")
        got = business_hours_before(departure, Decimal(1), cork)
        self.assertEqual(got.isoformat(), "2026-10-13T16:00:00+01:00")
        with self.assertRaises(ValueError):
            business_hours_before(datetime(2026, 10, 14, 10), Decimal(1), cork)

    @given(st.integers(0, 60), st.integers(0, 23))
    def test_never_after_departure_and_always_in_office_hours(self, hours, clock):
        departure = datetime(2026, 10, 14, clock, tzinfo=OSLO)
        got = business_hours_before(departure, Decimal(hours), Office("Europe/Oslo"))
        self.assertLessEqual(got, departure)
        if hours:
            self.assertTrue(9 <= got.hour < 17 and got.weekday() < 5)

    def test_days_of_a_deadline(self):
        got = due_by(date(2026, 10, 16), 21, "Europe/Dublin")
        self.assertEqual(got, datetime(2026, 11, 6, 23, 59, 59, tzinfo=UTC))


def chain(length):
    entries, previous = [], GENESIS
    for number in range(1, length + 1):
        entry = Entry(number, datetime(2026, 10, 1, tzinfo=UTC), "maren", "", "send", "trip:1", "{}", "{}", previous)
        previous = entry.digest()
        entries.append((entry, previous))
    return entries


class TrailTest(TestCase):
    def test_a_whole_chain_fits(self):
        self.assertIsNone(first_broken(chain(5)))
        self.assertIsNone(first_broken([]))

    def test_the_first_entry_that_does_not_fit_is_named(self):
        changed = chain(5)
        changed[2] = (replace(changed[2][0], who="tobias"), changed[2][1])
        self.assertEqual(first_broken(changed).number, 3)
        rehashed = chain(5)
        forged = replace(rehashed[2][0], after='{"x":1}')
        rehashed[2] = (forged, forged.digest())
        self.assertEqual(first_broken(rehashed).number, 4)
        removed = chain(5)
        del removed[1]
        self.assertEqual(first_broken(removed).why, "entry 2 is missing")


class StatesTest(TestCase):
    def test_the_claim_road(self):
        state = CLAIM.first
        for act in ("send", "sign", "clear", "refuse", "post", "settle"):
            state = CLAIM.after(state, act)
        self.assertEqual(state, "Settled")

    def test_what_cannot_be_done_now_says_where_the_thing_stands(self):
        with self.assertRaisesRegex(NotNow, "The claim stands at Settled: it cannot be posted now"):
            CLAIM.after("Settled", "post")
        self.assertFalse(TRIP.can("Authorised", "send"))

    def test_every_act_has_words_and_a_doer_and_every_state_is_reached(self):
        for machine in MACHINES.values():
            acts = {act for _, act in machine.table}
            self.assertEqual(acts, set(machine.who))
            self.assertLessEqual(acts, set(PAST))
            self.assertEqual(set(machine.states) - {machine.first} - set(machine.table.values()), set())

    def test_stage_line(self):
        for trip, booked, claim, stage in [
            ("Planning", False, "", 0),
            ("Awaiting sign-off", False, "", 1),
            ("Authorised", False, "", 2),
            ("Authorised", True, "", 3),
            ("Back", True, "", 4),
            ("Back", True, "In sign-off", 5),
            ("Back", True, "Posted", 7),
            ("Closed", True, "Settled", 8),
            ("", False, "Cleared", 6),
        ]:
            with self.subTest(trip=trip, claim=claim):
                self.assertEqual(stage_reached(trip, booked, claim), stage)
