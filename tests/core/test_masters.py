"""Masters: what taking a newer state would change. Taking it twice changes nothing the second time."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.masters import Master, compare

DAY = date(2026, 10, 5)


def master(code="3120", name="Field work", kind="cost_centre", **more) -> Master:
    return Master(kind, code, name, **more)


class CompareTest(TestCase):
    def test_each_change_is_told_and_what_hurts_stands_first(self):
        known = [
            master(),
            master("3140", "Boats"),
            master("3150", "Old", open_until=date(2026, 1, 1)),
            master("3160", "Same"),
            master("3170", "Asks"),
            master("9", "Loose", kind="customer"),
        ]
        fetched = [
            master("3120", "Field"), master("3150", "Old"), master("3160", "Same"), master("3170", "Asks", asks_for=("project",)), master("3180", "Fresh"),
            master("3190", "Shut", open_until=date(2026, 9, 1)),
        ]  # fmt: skip
        found = compare(known, fetched, DAY, {("cost_centre", "3140"): ["2 open claims"]}, ["cost_centre"])
        self.assertEqual(
            [(c.what, c.code) for c in found],
            [
                ("gone", "3140"),
                ("renamed", "3120"),
                ("changed", "3170"),
                ("back", "3150"),
                ("new", "3180"),
                ("new", "3190"),
            ],
        )
        self.assertEqual((found[0].hurts, found[0].in_use), (True, ("2 open claims",)))
        self.assertIn("asks for: nothing, now project", found[2].words)

    def test_what_is_not_fetched_whole_is_not_gone(self):
        self.assertEqual(compare([master()], [], DAY, {}, []), [])
        self.assertEqual(compare([master()], [master(kind="project", code="P")], DAY, {}, ["project"])[0].what, "new")

    def test_closed_and_tax_codes(self):
        (closed,) = compare(
            [master()], [master(open_until=date(2026, 10, 1))], DAY, {("cost_centre", "3120"): ["a"]}, []
        )
        self.assertTrue(closed.what == "closed" and closed.hurts)
        (rate,) = compare(
            [master(kind="tax_code", rate=Decimal("0.21"))],
            [master(kind="tax_code", rate=Decimal("0.23"))],
            DAY,
            {},
            [],
        )
        self.assertIn("rate: 21 %, now 23 %", rate.words)

    codes = st.lists(
        st.tuples(
            st.sampled_from("abcdef"),
            st.sampled_from(["A", "B"]),
            st.sampled_from([None, date(2026, 1, 1), date(2027, 1, 1)]),
        ),
        max_size=8,
    )

    @given(codes, codes)
    def test_the_same_changes_nothing(self, one, other):
        def made(rows):
            return list({code: master(code, name, open_until=until) for code, name, until in rows}.values())

        known, fetched = made(one), made(other)
        self.assertEqual(compare(fetched, fetched, DAY, {}, ["cost_centre"]), [])
        changed = {c.code for c in compare(known, fetched, DAY, {}, ["cost_centre"])}
        self.assertTrue(changed <= {m.code for m in (*known, *fetched)})
