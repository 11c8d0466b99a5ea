"""Where a cost was paid, by place and not by currency."""

from __future__ import annotations

from datetime import date, datetime
from unittest import TestCase

from wainwright.core.journey import Journey, Leg, Mode, Night, Place
from wainwright.core.whereabouts import Whereabouts, paid_in, whereabouts
from wainwright.formats.tax_numbers import country_of_tax_number

CORK = Place("ORK", "Cork airport", "Cork", "IE", "Europe/Dublin")
BERGEN = Place("BGO", "Bergen airport", "Bergen", "NO", "Europe/Oslo")
JOURNEY = Journey(
    (
        Leg(CORK, BERGEN, Mode.AIR, datetime(2026, 10, 12, 9), datetime(2026, 10, 12, 14)),
        Leg(BERGEN, CORK, Mode.AIR, datetime(2026, 10, 15, 9), datetime(2026, 10, 15, 12)),
    ),
    tuple(Night(date(2026, 10, day), BERGEN) for day in (12, 13, 14)),
)


class BedTest(TestCase):
    def test_a_bed_is_needed_unless_one_is_under_way_in_the_small_hours(self):
        home = datetime(2026, 10, 15, 12)
        for leaves, arrives, bed in [
            (datetime(2026, 10, 12, 20), datetime(2026, 10, 13, 0, 10), "Bergen"),
            (datetime(2026, 10, 12, 20), datetime(2026, 10, 13, 5, 30), None),
            (datetime(2026, 10, 12, 20), datetime(2026, 10, 13, 3, 0), "Bergen"),
            (datetime(2026, 10, 12, 20), datetime(2026, 10, 13, 3, 1), None),
            (datetime(2026, 10, 12, 9), datetime(2026, 10, 12, 14), "Bergen"),
        ]:
            with self.subTest(arrives):
                back = Leg(BERGEN, CORK, Mode.AIR, datetime(2026, 10, 15, 9), home)
                found = Journey((Leg(CORK, BERGEN, Mode.AIR, leaves, arrives), back)).bed_on(date(2026, 10, 12), 3)
                self.assertEqual(found.town if found else None, bed)

    def test_home_in_the_small_hours_needs_none_and_an_early_start_leaves_the_bed(self):
        there = Leg(CORK, BERGEN, Mode.AIR, datetime(2026, 10, 12, 9), datetime(2026, 10, 12, 14))
        for leaves, arrives, bed in [
            (datetime(2026, 10, 14, 20), datetime(2026, 10, 15, 0, 10), None),
            (datetime(2026, 10, 15, 2, 30), datetime(2026, 10, 15, 6), None),
            (datetime(2026, 10, 15, 4), datetime(2026, 10, 15, 6), "Bergen"),
        ]:
            with self.subTest(leaves):
                found = Journey((there, Leg(BERGEN, CORK, Mode.AIR, leaves, arrives))).bed_on(date(2026, 10, 14), 3)
                self.assertEqual(found.town if found else None, bed)


class WhereaboutsTest(TestCase):
    def test_a_day_away_is_away_and_a_day_of_moves_is_both(self):
        where = whereabouts(JOURNEY)
        self.assertEqual(where.by_day[date(2026, 10, 13)], {"NO"})
        self.assertEqual(where.by_day[date(2026, 10, 12)], {"IE", "NO"})
        self.assertNotIn(date(2026, 10, 16), where.by_day)

    def test_what_is_known_best_counts(self):
        where, away, moving, home = whereabouts(JOURNEY), date(2026, 10, 13), date(2026, 10, 15), date(2026, 10, 20)
        for day, said, papers, merchant, foreign, country, abroad in [
            (away, "", (), "Harbour inn", False, "NO", True),
            (away, "", (), "CORK AIRPORT PARKING", False, "IE", False),
            (away, "IE", {"NO"}, "", True, "IE", False),
            (away, "", {"IE"}, "", False, "IE", False),
            (away, "", {"IE", "NO"}, "", False, "NO", True),
            (moving, "", (), "Taxi", False, "IE", False),
            (moving, "", (), "Taxi", True, "", True),
            (moving, "", (), "Taxi Bergen", False, "NO", True),
            (home, "", (), "Web shop", False, "IE", False),
            (home, "", {"DE"}, "Web shop", False, "DE", True),
            (home, "", (), "Web shop", True, "", True),
        ]:
            with self.subTest(day=day, said=said, papers=papers, merchant=merchant, foreign=foreign):
                found = paid_in("IE", day, said, papers, merchant, where, foreign)
                self.assertEqual((found.country, found.abroad), (country, abroad))

    def test_without_a_trip_the_currency_is_all_there_is(self):
        for foreign in (True, False):
            self.assertEqual(paid_in("IE", date(2026, 1, 1), "", (), "x", Whereabouts(), foreign).abroad, foreign)

    def test_tax_numbers_name_their_country(self):
        for text, country in [
            ("VAT reg. IE 6388047V", "IE"), ("Org.nr 923 609 016 MVA", "NO"), ("CHE-123.456.788 MWST", "CH"),
            ("USt-IdNr. DE136695976", "DE"), ("EL 123456789", "GR"), ("BTW NL004495445B01", "NL"), ("Total 12.00", ""),
            ("IT IS 12 O'CLOCK ON THE QUAY", ""), ("DE LA MER BAR 1234", ""), ("", ""), ("AT 9:30", ""),
        ]:  # fmt: skip
            self.assertEqual(country_of_tax_number(text), country, text)
