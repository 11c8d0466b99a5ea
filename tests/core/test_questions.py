"""The firm's own questions: which are asked, what an answer may be, and none that hangs on itself."""

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.questions import Question, asked, in_a_circle

GUESTS = Question("guests", "trip", "Are guests along?", "yes_no")
HOW_MANY = Question("how-many", "trip", "How many?", "number", after="guests", answer="yes")
WHO = Question("who", "trip", "Who?", "words", after="how-many", answer="2")
VISA = Question("visa", "trip", "Is there a visa?", "choice", ("there", "asked for"), where="abroad")


def codes(answers, abroad=None) -> list[str]:
    return [each.code for each in asked([WHO, HOW_MANY, GUESTS, VISA], answers, abroad)]


class AskedTest(TestCase):
    def test_what_hangs_on_an_answer_comes_with_it(self):
        self.assertEqual(codes({}), ["guests"])
        self.assertEqual(codes({"guests": "yes"}), ["how-many", "guests"])
        self.assertEqual(codes({"guests": "yes", "how-many": "2"}, True), ["who", "how-many", "guests", "visa"])
        # What hangs on a question that is not asked is not asked, whatever was answered before.
        self.assertEqual(codes({"guests": "no", "how-many": "2"}, False), ["guests"])

    def test_answers_are_of_their_kind(self):
        for question, good, kept in (
            (GUESTS, "yes", "yes"), (VISA, "asked for", "asked for"), (HOW_MANY, "2.50", "2.5"), (HOW_MANY, "0", "0"),
            (Question("d", "trip", "Since when?", "day"), "2026-02-28", "2026-02-28"), (WHO, "  a\nb ", "a b"),
        ):  # fmt: skip
            self.assertEqual(question.read(good), kept)
        for question, bad in (
            (GUESTS, "perhaps"), (VISA, "yes"), (HOW_MANY, "two"), (HOW_MANY, "NaN"), (HOW_MANY, "1e9"), (HOW_MANY, "2.555"),
            (Question("d", "trip", "Since when?", "day"), "30.2.2026"),
        ):  # fmt: skip
            with self.assertRaises(ValueError, msg=bad):
                question.read(bad)

    @given(st.lists(st.sampled_from("abcde"), min_size=5, max_size=5))
    def test_a_circle_is_always_found_and_never_where_all_can_be_asked(self, after):
        questions = [
            Question(code, "trip", "?", "yes_no", after=other if other != code else "", answer="yes")
            for code, other in zip("abcde", after, strict=True)
        ]
        everything = asked(questions, dict.fromkeys("abcde", "yes"), None)
        self.assertEqual(bool(in_a_circle(questions)), len(everything) < len(questions))
