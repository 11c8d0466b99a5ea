"""What a cost was for: own choices before the firm's, those before the card's code, that before a word."""

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from wainwright.core.categories import Chosen, Guide, code_ranges, propose

GUIDES = [Guide("meals", ((5811, 5814),), ("kroa",)), Guide("quick", ((5814, 5814),)), Guide("taxi", (), ("taxi",))]


class ProposeTest(SimpleTestCase):
    def test_in_order(self):
        for chosen, code, merchant, wanted in [
            ([Chosen("pier", "supplies", 3, 9)], "5812", "Pier taxi", ("supplies", "you chose it 3 times before")),
            ([Chosen("pier", "supplies", 0, 1)], "5812", "Pier taxi", ("supplies", "chosen once in the firm")),
            ([Chosen("pier", "supplies", 1, 1), Chosen("pier", "meals", 1, 1)], "", "Pier taxi", ("taxi", "its name says “taxi”")),
            ([], "5812", "Pier taxi", ("meals", "the card's code 5812, restaurants")),
            ([], "5814", "Pier", ("quick", "the card's code 5814")),
            ([], "", "Havnekroa", ("meals", "its name says “kroa”")),
            ([Chosen("other", "taxi", 5, 5)], "abc", "Pier", None),
        ]:  # fmt: skip
            with self.subTest(wanted):
                found = propose("pier", merchant, code, chosen, GUIDES, {5812: "restaurants"})
                self.assertEqual(found and (found.category, found.why), wanted)

    def test_ranges(self):
        self.assertEqual(code_ranges("5811-5814, 7011"), ((5811, 5814), (7011, 7011)))
        self.assertEqual(code_ranges(""), ())
        with self.assertRaises(ValueError):
            code_ranges("hotels")

    @given(
        st.lists(st.builds(Chosen, st.just("pier"), st.sampled_from("abc"), st.integers(0, 9), st.integers(0, 9))),
        st.text(max_size=5),
    )
    def test_never_more_than_sure_and_never_without_a_why(self, chosen, code):
        found = propose("pier", "Pier", code, chosen, GUIDES)
        self.assertTrue(found is None or (0 < found.sure <= 1 and found.why))
