"""The suite's own day: held, moved by the runner, and never the machine's."""

import os

from django.conf import settings
from django.test import SimpleTestCase, override_settings

from tests.days import DIFFICULT, FEW, FIRST, LAST, draw, moments
from wainwright import clock


class DaysTest(SimpleTestCase):
    day = None

    def test_the_clock_stands_where_the_suite_says(self):
        now = clock.now()
        self.assertEqual(now.replace(microsecond=0), settings.NOW)
        if self.day is not None:
            self.assertEqual(settings.NOW, self.day)
        elif not os.environ.get("WAINWRIGHT_NOW"):
            self.assertEqual((settings.NOW.weekday(), settings.NOW.day), (2, 16))
        # Each look is later than the one before, so that what happens in order stays in order.
        self.assertGreater(clock.now(), now)

    def test_a_day_is_that_of_a_place(self):
        with override_settings(NOW=moments(["2026-12-31T23:30"])[0]):
            self.assertEqual(
                [f"{clock.today(zone)}" for zone in ("Europe/Dublin", "Europe/Oslo")], ["2026-12-31", "2027-01-01"]
            )

    def test_the_few_have_every_difficulty_and_drawn_ones_follow_their_seed(self):
        said = " ".join(words for words, moment in DIFFICULT.items() if moment in FEW)
        for word in (
            "year",
            "Christmas",
            "holiday",
            "29 February",
            "forward",
            "back",
            "Sunday",
            "Saturday",
            "first of",
            "last of",
            "period",
        ):
            self.assertIn(word, said)
        self.assertEqual(draw(5, 7), draw(5, 7))
        self.assertNotEqual(draw(5, 7), draw(5, 8))
        self.assertTrue(all(FIRST <= moment <= LAST for moment in draw(50, 3)))
