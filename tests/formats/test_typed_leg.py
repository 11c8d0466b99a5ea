"""A leg typed in one line."""

from datetime import date, datetime
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from wainwright.core.journey import Mode
from wainwright.formats.places import airport_of, place, town
from wainwright.formats.typed_leg import NotALeg, read_leg

BERGEN = town("Bergen", "NO")
NOW = datetime(2026, 10, 12, 14, 0)  # a Monday


class TypedLegTest(TestCase):
    def test_as_people_type(self):
        for text, mode, origin, target, leaves, arrives in [
            ("ferry florø wed 7:30", Mode.FERRY, "Bergen", "Florø", datetime(2026, 10, 14, 7, 30), None),
            ("FERRY FLORO Wednesday 7.30", Mode.FERRY, "Bergen", "Florø", datetime(2026, 10, 14, 7, 30), None),
            ("boat to florø at 16:30", Mode.FERRY, "Bergen", "Florø", datetime(2026, 10, 12, 16, 30), None),
            ("night train bergen to oslo 22:59 - 6:35", Mode.RAIL, "Bergen", "Oslo", datetime(2026, 10, 12, 22, 59), datetime(2026, 10, 13, 6, 35)),
            ("train from voss to bergen fri 16 oct 9:05", Mode.RAIL, "Voss", "Bergen", datetime(2026, 10, 16, 9, 5), None),
            ("hire car to stavanger tomorrow 8am", Mode.HIRE_CAR, "Bergen", "Stavanger", datetime(2026, 10, 13, 8, 0), None),
            ("taxi bergen airport 2026-10-16 11:15", Mode.TAXI, "Bergen", "Bergen", datetime(2026, 10, 16, 11, 15), None),
            ("flight cork fri 9:30 pm", Mode.AIR, "Bergen", "Cork", datetime(2026, 10, 16, 21, 30), None),
            ("fly bgo to ork 20 nov 12:05 13:10", Mode.AIR, "Bergen", "Cork", datetime(2026, 11, 20, 12, 5), datetime(2026, 11, 20, 13, 10)),
        ]:  # fmt: skip
            with self.subTest(text):
                leg = read_leg(text, BERGEN, NOW)
                self.assertEqual((leg.mode, leg.origin.town, leg.target.town), (mode, origin, target))
                self.assertEqual((leg.leaves, leg.arrives), (leaves, arrives))

    def test_flights_leave_from_airports(self):
        leg = read_leg("flight cork fri 9:30", BERGEN, NOW)
        self.assertEqual((leg.origin.code, leg.target.code), ("BGO", "ORK"))
        self.assertEqual(airport_of(place("LCY")).code, "LCY")
        self.assertIsNone(airport_of(town("Voss", "NO")))

    def test_what_is_missing_is_said(self):
        for text, words in [
            ("", "Begin with how you go"), ("florø wed 7:30", "Begin with how you go"), ("ferry", "Where to"), ("ferry wed 7:30", "Where to"),
            ("ferry atlantis-under-sea wed 7:30", "No place is known"), ("ferry florø wed", "When does it leave"), ("ferry florø 2026-13-45 7:30", "There is no day"),
            ("ferry florø 31 feb 7:30", "There is no day 31"),
        ]:  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(NotALeg, words):
                read_leg(text, BERGEN, NOW)
        with self.assertRaisesRegex(NotALeg, "Where from"):
            read_leg("ferry florø wed 7:30", None, NOW)

    @settings(max_examples=80, deadline=None)
    @given(st.text(max_size=60), st.dates(date(2000, 1, 1), date(2099, 1, 1)))
    def test_any_text_is_a_leg_or_says_why_not(self, text, day):
        try:
            leg = read_leg(f"ferry {text}", BERGEN, datetime.combine(day, datetime.min.time()))
        except NotALeg as error:
            self.assertGreater(len(str(error)), 10)
        else:
            self.assertGreaterEqual(leg.leaves.year, 1900)
