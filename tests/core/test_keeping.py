"""For how long papers are kept."""

from datetime import date
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.budget import year_of
from wainwright.core.keeping import LEAST, MOST, last_day_over


class LastDayOverTest(TestCase):
    def test_ten_full_years_after_the_end_of_the_year(self):
        self.assertEqual(last_day_over(date(2026, 11, 28), 10, 1), date(2015, 12, 31))
        self.assertEqual(last_day_over(date(2026, 1, 1), 10, 1), date(2015, 12, 31))
        self.assertEqual(last_day_over(date(2025, 12, 31), 10, 1), date(2014, 12, 31))
        self.assertEqual(last_day_over(date(2026, 6, 30), 5, 7), date(2020, 6, 30))
        self.assertEqual(last_day_over(date(2026, 7, 1), 5, 7), date(2021, 6, 30))

    @given(st.dates(date(2000, 1, 1), date(2100, 1, 1)), st.integers(LEAST, MOST), st.integers(1, 12))
    def test_never_a_day_early_and_whole_years_alone(self, today, years, begins):
        last = last_day_over(today, years, begins)
        # The year in which it lies is over, and so are as many full ones after it.
        self.assertEqual(year_of(today, begins) - year_of(last, begins), years + 1)
        self.assertNotEqual(
            year_of(last.replace(day=1), begins), year_of(date.fromordinal(last.toordinal() + 1), begins)
        )
        self.assertGreater((today - last).days, 365 * years)
