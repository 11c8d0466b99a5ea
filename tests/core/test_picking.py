"""One of many by any part of its code or name."""

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.picking import Nothing, PickList, Several, folded

PROJECTS = PickList.of(
    [("P-0417", "Northern gauges"), ("P-0418", "Northern buoys"), ("P-041", "Sognesjøen"), ("417", "Old one")]
)


class PickingTest(TestCase):
    def test_found_however_it_is_typed(self):
        for text, wanted in [
            ("P-0417", "P-0417"), ("p0417", "P-0417"), ("P 0417", "P-0417"), ("buoys", "P-0418"), ("NORTHERN GAUGES", "P-0417"),
            ("P-0417 Northern gauges", "P-0417"), ("417", "417"), ("sognesjø", "P-041"), ("p-041", "P-041"),
        ]:  # fmt: skip
            with self.subTest(text):
                self.assertEqual(PROJECTS.exact(text), wanted)

    def test_several_and_nothing_are_told_apart(self):
        with self.assertRaises(Several) as several:
            PROJECTS.exact("northern")
        self.assertEqual(several.exception.codes, ["P-0417", "P-0418"])
        for text in ("nowhere", "---", ""):
            with self.subTest(text), self.assertRaises(Nothing):
                PROJECTS.exact(text)

    def test_what_was_used_last_stands_first(self):
        self.assertEqual(PROJECTS.first(["P-0418", "gone"], 3), ["P-0418", "P-0417", "P-041"])

    def test_a_code_that_is_its_name_is_said_once(self):
        picks = PickList.of([("field", "Field"), ("lab", "Laboratory")])
        self.assertEqual(
            [picks.words(code) for code in ("field", "lab", "other")], ["Field", "lab Laboratory", "other"]
        )
        self.assertEqual(picks.exact("Field"), "field")

    @given(
        st.lists(
            st.tuples(st.text(min_size=1, max_size=8), st.text(max_size=12)), max_size=30, unique_by=lambda r: r[0]
        ),
        st.text(max_size=6),
    )
    def test_whatever_is_found_has_the_text_in_it_and_every_code_finds_itself(self, rows, text):
        picks = PickList.of(rows)
        names = dict(rows)
        for code in picks.find(text):
            self.assertIn(folded(text), folded(code) + "\n" + folded(names[code]) + folded(code) + folded(names[code]))
        for code, _ in rows:
            if " ".join(code.split()) == code:
                self.assertEqual(picks.exact(code), code)
