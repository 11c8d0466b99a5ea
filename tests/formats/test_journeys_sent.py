"""Calendar files and tracks as strangers write them: what is a journey in them, what is none, and what is damaged."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.formats.journeys import at, calendar_file, event, track_file
from wainwright.formats.journey_file import is_calendar, read_calendar
from wainwright.formats.opening import CALENDAR, TRACK, open_paper
from wainwright.formats.problems import Unreadable
from wainwright.formats.track import is_track, read_track

BEGINS = datetime(2026, 12, 14, 10, 5, tzinfo=UTC)


class CalendarTest(TestCase):
    def only(self, *lines, **fields):
        (journey,) = read_calendar(calendar_file(event(*lines, **fields))).journeys
        return journey

    def test_ways_are_read_from_the_title_in_many_tongues(self):
        for title, mode, ends in (
            ("Flight NX 123 Cork to Bergen", "air", ("ORK", "BGO")),
            ("ORK-BGO", "air", ("ORK", "BGO")),
            ("Cork (ORK) → London (LHR)", "air", ("ORK", "LHR")),
            ("Zug Hamburg nach Kiel", "rail", ("Hamburg", "Kiel")),
            ("Tog Bergen → Voss", "rail", ("Bergen", "Voss")),
            ("Fähre Kiel - Oslo", "ferry", ("Kiel", "Oslo")),
            ("Trein Rotterdam naar Utrecht", "rail", ("Rotterdam", "Utrecht")),
            ("Bus Cork to Limerick", "coach", ("Cork", "Limerick")),
        ):
            with self.subTest(title):
                found = self.only(SUMMARY=title)
                self.assertEqual((found.mode, (found.origin, found.target)), (mode, ends))

    def test_ways_are_read_from_labels_and_from_where_it_is(self):
        found = self.only(
            SUMMARY="Your trip", DESCRIPTION="From: Rotterdam\\nTo: Hull\\nFerry, booking reference X7K2PL"
        )
        self.assertEqual(
            (found.mode, found.origin, found.target, found.number), ("ferry", "Rotterdam", "Hull", "X7K2PL")
        )
        self.assertEqual(self.only(SUMMARY="Flight to Oslo", LOCATION="Bergen").origin, "BGO")

    def test_times_are_those_of_the_places(self):
        found = self.only(SUMMARY="ORK-BGO", DTSTART="20261214T090500Z", DTEND="20261214T120500Z")
        self.assertEqual((found.leaves, found.arrives), (datetime(2026, 12, 14, 9, 5), datetime(2026, 12, 14, 13, 5)))
        found = self.only("DTSTART;TZID=Europe/Oslo:20261214T090500", "DURATION:PT2H", SUMMARY="BGO-ORK", DTSTART=None, DTEND=None)  # fmt: skip
        self.assertEqual((found.leaves, found.arrives), (datetime(2026, 12, 14, 9, 5), datetime(2026, 12, 14, 10, 5)))

    def test_a_stay_has_its_town_and_nights(self):
        days = ("DTSTART;VALUE=DATE:20261214", "DTEND;VALUE=DATE:20261216")
        found = self.only(*days, SUMMARY="Hotel: Quay House", LOCATION="Strandgaten 5\\, 5013 Bergen\\, Norway", DTSTART=None, DTEND=None)  # fmt: skip
        self.assertEqual((found.mode, found.name, found.target), ("stay", "Quay House", "Bergen"))
        self.assertEqual((found.arrives.date() - found.leaves.date()).days, 2)

    def test_what_is_no_journey_is_named_and_left_out(self):
        for fields, why in (
            ({"SUMMARY": "Meeting about Cork"}, "no way from one place"),
            ({"SUMMARY": "Dinner to Cork"}, "no way from one place"),
            ({"SUMMARY": "ORK-BGO", "STATUS": "CANCELLED"}, "called off"),
            ({"SUMMARY": "ORK-BGO", "DTSTART": "00010101T000000"}, "times cannot be read"),
            ({"SUMMARY": "ORK-BGO", "DTSTART": "99991231T235959Z"}, "times cannot be read"),
            ({"SUMMARY": "ORK-BGO", "DTSTART": "tomorrow"}, "times cannot be read"),
            ({"SUMMARY": "Hotel somewhere", "DTEND": "20261217T100000"}, "in which town"),
        ):
            with self.subTest(fields):
                found = read_calendar(calendar_file(event(**fields)))
                self.assertEqual(found.journeys, ())
                self.assertIn(why, found.left[0])

    def test_one_that_is_damaged_or_empty_or_too_large_says_so(self):
        many = calendar_file(*[event(SUMMARY="ORK-BGO")] * 501)
        for content, why in (
            (b"BEGIN:VCALENDAR", "damaged"), (b"BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n", "no appointment"), (many, "more than 500"),
            (calendar_file(event(SUMMARY="x"))[:-40], "damaged"),
        ):  # fmt: skip
            with self.subTest(why), self.assertRaisesRegex(Unreadable, why):
                read_calendar(content)

    @given(st.binary(max_size=200), st.integers(0, 400))
    def test_whatever_stands_in_it_ends_in_a_result_or_a_sentence(self, noise, where):
        whole = calendar_file(event(SUMMARY="Flight Cork to Bergen", LOCATION="Cork", DESCRIPTION="From: Cork"))
        content = whole[:where] + noise + whole[where:]
        self.assertTrue(is_calendar(whole))
        try:
            read_calendar(content)
        except Unreadable as error:
            self.assertTrue(str(error))

    def test_it_is_drawn_as_a_page(self):
        seen = open_paper(CALENDAR, calendar_file(event(SUMMARY="ORK-BGO"), event(SUMMARY="Lunch <b>")))
        self.assertEqual((len(seen.pages), len(seen.bookings), len(seen.left)), (1, 1, 1))


class TrackTest(TestCase):
    # About 11.1 km north of Cork, in steps of a tenth of a minute of arc.
    LINE = tuple((51.9 + n / 1000, -8.47) for n in range(101))

    def test_a_track_has_its_distance_its_time_and_its_places(self):
        found = read_track(track_file(self.LINE, BEGINS))
        self.assertEqual((found.km, found.origin, found.left), (Decimal("11.1"), "Cork", 0))
        self.assertEqual((found.begins, found.ends), (BEGINS, BEGINS + timedelta(seconds=10) * 100))

    def test_the_same_way_in_other_forms_is_as_long(self):
        for name, content in {
            "no times": track_file(self.LINE, None), "version 1.0": track_file(self.LINE, BEGINS, version="1.0"), "two pieces": track_file(self.LINE, BEGINS, cut=50),
            "a route": track_file(self.LINE, None, route=True), "a comment": track_file(self.LINE, BEGINS).replace(b"<gpx", b"<!-- by us --><gpx", 1),
            "a mark first": b"\xef\xbb\xbf" + track_file(self.LINE, BEGINS),
        }.items():  # fmt: skip
            with self.subTest(name):
                self.assertTrue(is_track(content))
                self.assertAlmostEqual(read_track(content).km, Decimal("11.1"), delta=Decimal("0.2"))

    def test_a_jump_that_nobody_can_drive_is_left_out(self):
        wild = (*self.LINE[:50], (55.0, 3.0), *self.LINE[50:])
        found = read_track(track_file(wild, BEGINS))
        self.assertEqual((found.km, found.left), (Decimal("11.1"), 1))

    def test_what_is_no_way_or_damaged_says_so(self):
        whole = track_file(self.LINE, BEGINS)
        for content, why in (
            (track_file(self.LINE[:1] * 30, BEGINS), "does not leave its place"), (track_file((), BEGINS), "no way"), (whole[: len(whole) // 2], "damaged"),
            (whole.replace(b'lat="51.9', b'lat="north', 1), "damaged"), (b'<?xml version="1.0"?><!DOCTYPE gpx><gpx/>', "entities"),
            (track_file([(0, n) for n in range(0, 100, 4)] , None), "longer than 5,000 km"),
        ):  # fmt: skip
            with self.subTest(why), self.assertRaisesRegex(Unreadable, why):
                read_track(content)

    def test_it_is_drawn_as_a_page(self):
        seen = open_paper(TRACK, track_file(self.LINE, BEGINS))
        self.assertEqual((len(seen.pages), seen.track.km), (1, Decimal("11.1")))

    def test_times_of_the_file_are_utc(self):
        self.assertEqual(at(BEGINS), "20261214T100500Z")
