"""Whether a journey is where something waits when it begins."""

from datetime import UTC, datetime, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.presence import Moved, missed

MON = datetime(2026, 11, 23, tzinfo=UTC)


def at(day: int, hour: int) -> datetime:
    return MON + timedelta(days=day, hours=hour)


OUT = Moved("Cork", "Bergen", at(0, 8), at(0, 12))
ON = Moved("Bergen", "Florø", at(1, 7), at(1, 11))
HOME = Moved("Florø", "Cork", at(3, 9), at(3, 15))
MOVES = (OUT, ON, HOME)


class PresenceTest(TestCase):
    def test_there_in_time_late_gone_and_never(self):
        for town, when, wanted in (
            ("Bergen", at(0, 12), None), ("bergen", at(0, 20), None), ("Bergen", at(0, 10), ("late", 0)),
            ("Bergen", at(1, 12), ("gone", None)), ("Bergen", at(1, 9), ("gone", 1)), ("Florø", at(1, 8), ("late", 1)),
            ("Florø", at(3, 10), ("gone", 2)), ("Oslo", at(2, 9), ("never", None)), ("Cork", at(0, 7), None), ("Cork", at(4, 9), None),
        ):  # fmt: skip
            with self.subTest(town=town, when=when):
                found = missed(MOVES, town, when)
                self.assertEqual(found and (found.how, found.by), wanted)

    def test_nothing_is_missed_without_moves(self):
        self.assertIsNone(missed((), "Bergen", at(0, 0)))

    @given(st.integers(0, 120), st.sampled_from(["Cork", "Bergen", "Florø", "Oslo"]))
    def test_who_is_at_rest_in_the_town_misses_nothing(self, hour, town):
        when = MON + timedelta(hours=hour)
        going = any(move.leaves < when < move.arrives for move in MOVES)
        done = [move for move in MOVES if move.arrives <= when]
        here = done[-1].target if done else "Cork"
        self.assertEqual(missed(MOVES, town, when) is None, not going and here == town)
