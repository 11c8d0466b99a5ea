"""A journey typed in one line."""

from datetime import date, time, timedelta
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from wainwright.core.journey import Mode
from wainwright.formats.places import place
from wainwright.formats.typed_journey import read_journey
from wainwright.formats.typed_leg import NotALeg

HOME = place("ORK")
WED = date(2026, 11, 25)


class JourneyTest(TestCase):
    def read(self, text, home=HOME):
        found = read_journey(text, home, WED)
        return found.origin.town, found.target.town, found.mode, found.out, found.back

    def test_as_people_type_it(self):
        mon, wed = date(2026, 12, 14), date(2026, 12, 16)
        for text, wanted in {
            "cork rotterdam mon 14 dec to wed 16, flight": ("Cork", "Rotterdam", Mode.AIR, mon, wed),
            "rotterdam mon 14 dec to wed 16 by train": ("Cork", "Rotterdam", Mode.RAIL, mon, wed),
            "Flight to Bergen 2026-12-14 - 2026-12-16": ("Cork", "Bergen", Mode.AIR, mon, wed),
            "flight bergen 14 - 16 dec": ("Cork", "Bergen", Mode.AIR, mon, wed),
            "lisbon 14.12.2026 to 16.12.2026": ("Cork", "Lisbon", None, mon, wed),
            "from bergen to oslo december 14 and back december 16, night train": (
                "Bergen",
                "Oslo",
                Mode.RAIL,
                mon,
                wed,
            ),
            "cork-aberdeen mon 14 dec": ("Cork", "Aberdeen", None, mon, None),
            "new york mon 14 dec until wed 16 dec": ("Cork", "New York City", None, mon, wed),
            "cork new york mon 14 dec": ("Cork", "New York City", None, mon, None),
            "florø tomorrow to sat, ferry": ("Cork", "Florø", Mode.FERRY, date(2026, 11, 26), date(2026, 11, 28)),
            "dublin": ("Cork", "Dublin", None, None, None),
        }.items():
            with self.subTest(text):
                self.assertEqual(self.read(text), wanted)

    def test_hours_are_taken_where_they_are_said(self):
        found = read_journey("flight bergen mon 30 nov 9:05 to thu 17:00", HOME, WED)
        self.assertEqual((found.out_time, found.back_time), (time(9, 5), time(17)))
        self.assertEqual((found.out, found.back), (date(2026, 11, 30), date(2026, 12, 3)))

    def test_what_is_wrong_is_said(self):
        for text, words in {
            "": "Where do you go",
            "mon to wed": "Where do you go",
            "qqqq mon": "No place is known as “qqqq”",
            "cork cork mon": "from Cork to Cork",
            "bergen wed 16 dec to mon 14 dec": "before you go",
            "bergen mon 30 feb": "no day",
            "bergen 2026-13-45": "no day",
            "bergen mon tue wed": "Two days are enough",
            "cork to bergen to oslo mon": "One place to go to",
        }.items():
            with self.subTest(text), self.assertRaisesRegex(NotALeg, words):
                self.read(text)
        with self.assertRaisesRegex(NotALeg, "Where from"):
            self.read("bergen mon", None)

    @given(st.text(max_size=80))
    def test_any_text_is_understood_or_refused_in_words(self, text):
        try:
            found = read_journey(text, HOME, WED)
        except NotALeg as error:
            self.assertTrue(str(error))
        else:
            self.assertNotEqual(found.origin.code, found.target.code)

    @settings(max_examples=20)
    @given(st.integers(0, 300), st.integers(0, 40), st.sampled_from(["Bergen", "Aberdeen", "Rotterdam", "Lisbon"]))
    def test_days_come_back_as_they_were_typed(self, ahead, stay, town):
        out = WED + timedelta(days=ahead)
        back = out + timedelta(days=stay)
        for written in ("{:%Y-%m-%d}", "{0.day} {0:%B} {0:%Y}", "{:%d.%m.%Y}"):
            text = f"cork {town} {written.format(out)} to {written.format(back)} flight"
            found = read_journey(text, None, WED)
            self.assertEqual((found.out, found.back, found.target.town), (out, back, town), text)
