"""Tables of answers, spans, how long things take, what waits: what must hold whatever the figures are."""

import unittest
from datetime import date, timedelta
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core import spans
from wainwright.core.budget import forecast
from wainwright.core.durations import days_of, of_all
from wainwright.core.table import (
    Column,
    Part,
    Row,
    Table,
    added,
    aligned,
    as_data,
    differences,
    fold,
    from_data,
    in_order,
    largest,
    share,
    turned,
    without,
)
from wainwright.core.waiting import CAN_WAIT, HOLDS, LATE, Ask, in_turn

DAYS = st.dates(date(1995, 1, 1), date(2150, 12, 31))
PARTS = st.integers(0, 6).map(lambda n: Part(f"p{n}", f"Part {n}"))
GROUPS = st.lists(
    st.tuples(st.tuples(PARTS, PARTS), st.lists(st.integers(-(10**9), 10**9), min_size=2, max_size=2)), max_size=40
)


class TableTest(unittest.TestCase):
    @given(GROUPS, st.integers(1, 8))
    def test_whatever_is_folded_turned_and_cut_comes_to_the_same(self, rows, most):
        whole = [sum(values[n] for _, values in rows) for n in range(2)]
        groups = fold(rows)
        self.assertEqual(added(groups, 2), whole)
        across, found = turned(groups, 1)
        self.assertEqual(sum(sum(values) for values in found.values()), whole[1])
        kept, cut = largest(across, found, most, Part("…", "others"))
        self.assertLessEqual(len(kept), max(most, 1))
        for parts, values in cut.items():
            self.assertEqual(sum(values), sum(found[parts]))

    @given(GROUPS, GROUPS)
    def test_two_spans_side_by_side_lose_nothing(self, now, before):
        a, b = fold(now), fold(before)
        both = aligned(a, b, {"p0": Part("p1", "Part 1")})
        self.assertEqual(sum(mine[0] for mine, _ in both.values()), added(a, 2)[0] if a else 0)
        self.assertEqual(sum(other[0] for _, other in both.values()), added(b, 2)[0] if b else 0)

    def test_a_table_comes_back_as_it_was_kept(self):
        columns = (
            Column("a", "what"),
            Column("n", "amount", "money"),
            Column("d", "day", "date"),
            Column("c", "times", "count"),
        )
        rows = (Row(("x", Decimal("1.10"), date(2026, 2, 28), 3), (("a", "x"),), "/there/"), Row(("y", None, None, 0)))
        table = Table(columns, rows, ("All", Decimal("1.10"), None, 3), ("a note",))
        self.assertEqual(from_data(as_data(table)), table)
        self.assertEqual([c.key for c in without(table, ["d", "gone"]).columns], ["a", "n", "c"])
        self.assertEqual(without(table, ["a", "n", "d", "c"]), table)

    def test_what_is_empty_stands_last_either_way(self):
        rows = [Row((None,)), Row((Decimal(2),)), Row((Decimal(-1),))]
        for down, order in ((False, [-1, 2, None]), (True, [2, -1, None])):
            self.assertEqual([row.cells[0] for row in in_order(rows, 0, down)], order)

    def test_two_runs_differ_where_their_figures_do(self):
        columns = (Column("a", "what"), Column("n", "amount", "money"), Column("p", "of all", "percent"))
        old = Table(columns, (Row(("x", Decimal(5), Decimal(50))), Row(("y", Decimal(5), Decimal(50)))))
        new = Table(
            columns,
            (
                Row(("x", Decimal(5), Decimal(40))),
                Row(("y", Decimal(6), Decimal(50))),
                Row(("z", Decimal(1), Decimal(10))),
            ),
        )
        found = differences(new, old)
        self.assertEqual([row.cells for row in found.rows], [("y", 5, 6, 1), ("z", 0, 1, 1)])
        self.assertEqual(differences(old, old).rows, ())

    def test_a_share_of_nothing_is_none(self):
        self.assertIsNone(share(Decimal(1), Decimal(0)))
        self.assertEqual(share(Decimal(1), Decimal(3)), Decimal("33.3"))


class SpansTest(unittest.TestCase):
    @given(DAYS, st.sampled_from([code for code in spans.NAMES if code != "days"]))
    def test_every_named_span_is_in_order_and_goes_back(self, today, code):
        span = spans.span_of(code, today)
        self.assertLessEqual(span.since, span.until)
        before = spans.span_before(span, "before")
        self.assertEqual(before.until + timedelta(days=1), span.since)
        year = spans.span_before(span, "year")
        self.assertEqual(year.since.year, span.since.year - 1)
        self.assertEqual(year.whole_months, span.whole_months or (year.whole_months and span.since.month == 2))

    @given(DAYS, st.sampled_from(list(spans.PIECES)))
    def test_a_piece_holds_its_day_and_is_found_by_its_name(self, day, kind):
        piece = spans.PIECES[kind](day)
        self.assertTrue(piece.since <= day <= piece.until)
        self.assertEqual(spans.piece_by(kind, piece.id), piece)
        self.assertEqual(spans.PIECES[kind](piece.until), piece)
        self.assertNotEqual(spans.PIECES[kind](piece.until + timedelta(days=1)), piece)

    def test_what_is_no_span_says_why(self):
        today = date(2026, 10, 14)
        for code, since, until, words in (
            ("days", date(2026, 2, 1), date(2026, 1, 1), "Turn them round"), ("days", date(2000, 1, 1), date(2030, 1, 1), "31 years"),
            ("days", None, today, "from which day"), ("days", date(1, 1, 1), date(2, 1, 1), "between 1990"), ("never", None, None, "which time"),
        ):  # fmt: skip
            with self.subTest(code), self.assertRaisesRegex(spans.NoSpan, words):
                spans.span_of(code, today, since, until)
        for kind, text in (
            ("month", "2026-13"),
            ("quarter", "2026-Q9"),
            ("week", "2026-W60"),
            ("year", "abc"),
            ("month", "१२"),
        ):
            with self.subTest(text), self.assertRaises(spans.NoSpan):
                spans.piece_by(kind, text)


class WaitingTest(unittest.TestCase):
    def test_what_holds_others_up_goes_first_then_what_costs_most(self):
        today = date(2026, 10, 14)
        asks = [
            Ask("small and old", "", "", LATE, since=date(2026, 10, 1)), Ask("large and new", "", "", LATE, amount=Decimal(900), since=date(2026, 10, 13)),
            Ask("can wait", "", "", CAN_WAIT, amount=Decimal(10**6), since=date(2025, 1, 1)), Ask("holds", "", "", HOLDS),
        ]  # fmt: skip
        self.assertEqual(
            [ask.what for ask in in_turn(asks, today)], ["holds", "large and new", "small and old", "can wait"]
        )

    @given(st.lists(st.timedeltas(timedelta(0), timedelta(days=4000)), min_size=1, max_size=60))
    def test_the_median_and_nine_of_ten_lie_among_the_times(self, times):
        spread = of_all(times)
        self.assertLessEqual(days_of(min(times)), spread.median)
        self.assertLessEqual(spread.nine_of_ten, days_of(max(times)))
        self.assertGreaterEqual(sum(days_of(each) <= spread.nine_of_ten for each in times), len(times) * 0.9)

    def test_the_median_of_four_is_between_the_middle_two(self):
        times = [timedelta(days=n) for n in (1, 2, 4, 10)]
        self.assertEqual((of_all(times).median, of_all(times).nine_of_ten), (Decimal("3.0"), Decimal("10.0")))
        self.assertIsNone(of_all([]))

    def test_a_budget_goes_on_at_its_pace_or_at_what_is_promised(self):
        self.assertEqual(forecast(Decimal(300), Decimal(100), Decimal("0.5")), Decimal(600))
        self.assertEqual(forecast(Decimal(300), Decimal(900), Decimal("0.5")), Decimal(1200))
        self.assertEqual(forecast(Decimal(300), Decimal(0), Decimal("0.05")), Decimal(300))
