"""Reconciling: what a line of a statement is. Every match adds up, nothing stands in two, what is doubtful is not sure."""

from __future__ import annotations

import time
from datetime import date, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.money import Money, total
from wainwright.core.reconciling import LIKELY, SURE, BankLine, Expected, best_for, propose, score

DAY = date(2026, 10, 5)


def eur(text) -> Money:
    return Money.of(str(text), "EUR")


def line(key="l1", amount="-120.00", name="Maren Oyelaran", text="", day=DAY) -> BankLine:
    return BankLine(key, day, eur(amount), name, text)


def thing(key="p1", amount="-120.00", name="Maren Oyelaran", refs=("WW-LTD-00003-001",), group="", day=DAY) -> Expected:
    return Expected(key, day, eur(amount), name, tuple(refs), group)


class OneTest(TestCase):
    def test_reference_amount_and_day_make_it_sure_and_say_why(self):
        (match,) = propose([line(text="SEPA /EREF/WW LTD 00003 001/")], [thing()])
        self.assertTrue(match.sure)
        self.assertIn("it names WW-LTD-00003-001", match.why)
        self.assertIn("the amount -120.00 is the same", match.why)

    def test_by_name_and_day_alone_it_is_likely(self):
        (match,) = propose([line(day=DAY + timedelta(days=2))], [thing()])
        self.assertTrue(LIKELY <= match.score < SURE)
        self.assertIn("2 days later", match.why)

    def test_another_amount_another_way_or_too_late_is_nothing(self):
        self.assertEqual(propose([line(amount="-120.01")], [thing()]), [])
        self.assertEqual(propose([line(amount="120.00")], [thing()]), [])
        self.assertEqual(propose([line(day=DAY + timedelta(days=40))], [thing()]), [])
        # What names it belongs to it, however late the bank was.
        late = line(day=DAY + timedelta(days=40), text="WW-LTD-00003-001")
        self.assertEqual(len(propose([late], [thing()])), 1)

    def test_two_alike_are_never_sure(self):
        found = propose([line()], [thing("p1"), thing("p2", refs=("WW-LTD-00003-002",))])
        self.assertEqual(len(found), 1)
        self.assertFalse(found[0].sure)

    def test_the_best_three_for_one_line(self):
        things = [thing(f"p{n}", day=DAY - timedelta(days=n)) for n in range(6)]
        self.assertEqual([m.things[0] for m in best_for(line(text=""), things)], ["p0", "p1", "p2"])
        self.assertEqual(score(line(day=DAY + timedelta(days=99)), thing()), (0, ()))


class ManyTest(TestCase):
    def test_one_debit_is_a_whole_run(self):
        things = [
            thing(f"p{n}", f"-{10 + n}.50", group="WW-LTD-00003", refs=(f"WW-LTD-00003-00{n}",)) for n in range(4)
        ]
        whole = total((each.amount for each in things), "EUR")
        (match,) = propose([BankLine("l", DAY, whole, "", "COLLECTIVE WW-LTD-00003")], things)
        self.assertEqual((match.things, match.sure), (("p0", "p1", "p2", "p3"), True))

    def test_several_lines_are_one_thing(self):
        lines = [
            line("a", "40.00", text="C-0012 first"),
            line("b", "60.00", text="rest of C-0012"),
            line("c", "60.00", text="other"),
        ]
        (match,) = propose(lines, [thing("owed", "100.00", refs=("C-0012",))])
        self.assertEqual((match.lines, match.things, match.sure), (("a", "b"), ("owed",), True))

    @given(st.data())
    def test_nothing_stands_in_two_matches_and_each_adds_up(self, data):
        amounts = st.integers(-5, 5).filter(bool)
        lines = [
            line(f"l{n}", data.draw(amounts), text=data.draw(st.sampled_from(["", "REF-0001", "RUN-1", "REF-0002 REF-0001"])),
                 day=DAY + timedelta(days=data.draw(st.integers(0, 12))))
            for n in range(data.draw(st.integers(0, 7)))
        ]  # fmt: skip
        things = [
            thing(f"t{n}", data.draw(amounts), refs=(data.draw(st.sampled_from(["REF-0001", "REF-0002", ""])),),
                  group=data.draw(st.sampled_from(["", "RUN-1"])))
            for n in range(data.draw(st.integers(0, 7)))
        ]  # fmt: skip
        amount_of = {each.key: each.amount for each in (*lines, *things)}
        seen: set[str] = set()
        for match in propose(lines, things):
            keys = {*match.lines, *match.things}
            self.assertFalse(keys & seen)
            seen |= keys
            self.assertEqual(
                total((amount_of[k] for k in match.lines), "EUR"), total((amount_of[k] for k in match.things), "EUR")
            )
            self.assertTrue(match.why)

    def test_five_thousand_against_five_thousand(self):
        things = [
            thing(f"p{n}", f"-{100 + n % 700}.{n % 100:02d}", refs=(f"WW-LTD-{n // 100:05d}-{n % 100:03d}",), day=DAY + timedelta(days=n % 30))
            for n in range(5000)
        ]  # fmt: skip
        lines = [
            BankLine(f"l{n}", each.day, each.amount, each.name, f"EREF {each.references[0]}")
            for n, each in enumerate(things)
        ]
        begun = time.perf_counter()
        found = propose(lines, things)
        self.assertLess(time.perf_counter() - begun, 20)
        self.assertEqual(len(found), 5000)
        self.assertTrue(all(match.sure and match.lines[0][1:] == match.things[0][1:] for match in found))
