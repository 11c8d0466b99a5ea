"""Pictures of answers: everything lies in its box, is as long as its figure, and says itself in words."""

import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from wainwright.drawing import charts

FIGURES = st.lists(st.decimals(-(10**7), 10**7, places=2), min_size=1, max_size=60)


class ChartsTest(unittest.TestCase):
    def inside(self, picture):
        for mark in picture.marks:
            self.assertGreaterEqual(mark.x, -0.2)
            self.assertGreaterEqual(mark.y, -4.2)
            self.assertLessEqual(mark.x + mark.wide, picture.wide + 1.2)
            self.assertLessEqual(mark.y + mark.high, picture.high + 0.5)
        self.assertTrue(picture.said)

    @given(FIGURES)
    def test_whatever_the_figures_are_every_picture_holds_them(self, figures):
        rows = [(f"Row {n}", figure, "") for n, figure in enumerate(figures)]
        self.inside(charts.bars(rows))
        self.inside(charts.line(rows))
        self.inside(charts.shares(rows))
        self.inside(charts.upright([(name, "") for name, _, _ in rows], [("a", figures), ("b", figures[::-1])]))
        self.inside(
            charts.heat(
                [(name, "") for name, _, _ in rows], ["Monday", "Tuesday"], [[figure, -figure] for figure in figures]
            )
        )

    def test_a_bar_twice_as_large_is_twice_as_long(self):
        picture = charts.bars([("a", Decimal(100), ""), ("b", Decimal(50), "/there/"), ("c", Decimal(-50), "")])
        a, b, c = picture.marks
        self.assertAlmostEqual(a.wide, 2 * b.wide, delta=0.2)
        self.assertAlmostEqual(c.x + c.wide, a.x, delta=0.2)
        self.assertEqual((b.link, picture.cut), ("/there/", 0))
        self.assertIn("most: a 100", picture.said)

    def test_what_is_not_drawn_is_counted(self):
        self.assertEqual(charts.bars([(str(n), Decimal(n), "") for n in range(50)]).cut, 30)
        self.assertEqual(charts.heat([(str(n), "") for n in range(60)], ["x"], [[Decimal(1)]] * 60).cut, 7)

    def test_shares_come_to_the_whole_bar(self):
        picture = charts.shares([(str(n), Decimal(n + 1), "") for n in range(20)])
        self.assertAlmostEqual(sum(mark.wide for mark in picture.marks), charts.WIDE, delta=1)
        self.assertEqual(len(picture.marks), charts.MOST_SHARES + 1)
