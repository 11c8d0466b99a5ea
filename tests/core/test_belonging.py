"""Which journey a cost may belong to."""

from datetime import date, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.belonging import Span, may_belong_to

DAY = date(2026, 3, 2)
spans = st.lists(
    st.tuples(st.integers(0, 40), st.integers(0, 8)).map(lambda each: (each[0], each[0] + each[1])), max_size=5
)


def span(key: str, first: int, last: int) -> Span:
    return Span(key, DAY + timedelta(days=first), DAY + timedelta(days=last))


class BelongingTest(TestCase):
    def test_by_the_day(self):
        two = [span("bergen", 0, 4), span("lisbon", 7, 9)]
        for day, keys in [
            (0, ("bergen",)), (4, ("bergen",)), (5, ("bergen",)), (6, ("lisbon",)), (-3, ("bergen",)), (-4, ()), (12, ("lisbon",)),
            (13, ()),
        ]:  # fmt: skip
            with self.subTest(day):
                self.assertEqual(may_belong_to(DAY + timedelta(days=day), two), keys)

    def test_in_doubt_both_are_named(self):
        self.assertEqual(may_belong_to(DAY, [span("a", 0, 3), span("b", -2, 0)]), ("a", "b"))
        self.assertEqual(may_belong_to(DAY + timedelta(days=2), [span("a", -1, 0), span("b", 4, 5)]), ("a", "b"))

    @given(spans, st.integers(-10, 60))
    def test_a_journey_of_that_day_goes_before_any_beside_it(self, rows, day):
        known = [span(str(n), *row) for n, row in enumerate(rows)]
        at = DAY + timedelta(days=day)
        found = may_belong_to(at, known)
        within = {each.key for each in known if each.starts <= at <= each.ends}
        self.assertEqual(set(found) & within, within)
        self.assertTrue(not within or set(found) == within)
        self.assertEqual(len(set(found)), len(found))
