"""Every clause of what the application must do is shown by a test, or named as open."""

from unittest import TestCase

from tests.coverage.clauses import CAPABILITIES, OPEN
from tests.coverage.marks import DOCUMENT, clauses, document, marks


class CoverageTest(TestCase):
    def test_each_clause_is_shown_or_open_and_not_both(self):
        known, shown = clauses(), marks()
        self.assertEqual(sorted(known.keys() - shown.keys() - OPEN.keys()), [])
        self.assertEqual(sorted(shown.keys() & OPEN.keys()), [])
        self.assertTrue(all(OPEN.values()))

    def test_nothing_is_shown_that_is_no_clause(self):
        self.assertEqual(sorted((marks().keys() | OPEN.keys()) - clauses().keys()), [])

    def test_codes_are_there_once_and_without_a_gap(self):
        codes = [code for code, _, _ in CAPABILITIES]
        self.assertEqual(len(codes), len(set(codes)))
        last = {"U": 9, "P": 12, "B": 11, "R": 12, "C": 12, "V": 7, "A": 8, "I": 6, "S": 11, "X": 13}
        self.assertEqual(codes, [f"{letter}{number}" for letter, most in last.items() for number in range(1, most + 1)])

    def test_the_document_is_as_it_would_be_made(self):
        self.assertEqual(DOCUMENT.read_text(), document(), "make it anew: .venv/bin/python -m tests.coverage")
