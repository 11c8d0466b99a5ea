"""Whom a route asks as well: conditions, places, and that nobody is asked twice or for their own."""

from dataclasses import replace
from datetime import timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import MON, eur
from tests.core.test_routing_budget import BOATS, PEOPLE, names, run
from wainwright.core.asking import Asks, Facts, Place, asked
from wainwright.core.policy import PolicyFault, read_policy
from wainwright.core.routing import Signer, work_out_route

FACTS = Facts(
    "claim", eur(1240), MON, {"lodging": eur(700), "taxi": eur(40)}, {("cost_centre", "3140"): eur(300)}, frozenset({"NO"}), frozenset({"role:traveller"}), frozenset({"ceiling"}),
)  # fmt: skip
KAI = Asks("asks-2", "lodging is looked at by Kai", "kai")


class AskingTest(TestCase):
    same_on_any_day = True

    def test_every_condition_by_itself(self):
        for more, holds in (
            ({}, True), ({"over": eur(1240)}, True), ({"over": eur("1240.01")}, False), ({"kinds": frozenset({"plan"})}, False),
            ({"categories": frozenset({"lodging"})}, True), ({"categories": frozenset({"air"})}, False), ({"categories": frozenset({"lodging", "taxi"}), "over": eur(740)}, True),
            ({"categories": frozenset({"lodging"}), "over": eur(701)}, False), ({"codes": frozenset({("cost_centre", "3140")}), "over": eur(300)}, True),
            ({"codes": frozenset({("cost_centre", "3140")}), "over": eur(301)}, False), ({"codes": frozenset({("project", "3140")})}, False),
            ({"countries": frozenset({"NO", "SE"})}, True), ({"countries": frozenset({"SE"})}, False), ({"rules": frozenset({"ceiling", "x"})}, True), ({"rules": frozenset({"x"})}, False),
            ({"groups": frozenset({"role:traveller"})}, True), ({"groups": frozenset({"-role:traveller"})}, False), ({"since": MON}, True), ({"since": MON + timedelta(days=1)}, False),
            ({"until": MON}, True), ({"until": MON - timedelta(days=1)}, False),
        ):  # fmt: skip
            with self.subTest(more):
                self.assertEqual(bool(asked([replace(KAI, **more)], FACTS)), holds)

    def test_where_on_the_route(self):
        parts = {("cost_centre", "3140"): eur(1)}
        for place, wanted in (
            (Place.FIRST, [(1, "Kai", ""), (2, "Tobias", ""), (3, "Ola", ""), (4, "Signe", "")]),
            (Place.OWNERS, [(1, "Tobias", ""), (2, "Kai", ""), (2, "Ola", ""), (3, "Signe", "")]),
            (Place.LAST, [(1, "Tobias", ""), (2, "Ola", ""), (3, "Signe", ""), (4, "Kai", "")]),
        ):
            route = work_out_route("maren", eur(3000), parts, PEOPLE, [BOATS], [replace(KAI, place=place)])
            self.assertEqual(names(route), wanted)
            self.assertIn("lodging is looked at by Kai", [step.why for step in route.steps])

    def test_once_and_never_for_ones_own(self):
        own = work_out_route("maren", eur(10), {}, PEOPLE, [], [replace(KAI, signer="maren")])
        self.assertEqual(names(own), [(1, "Tobias", "")])
        twice = work_out_route("maren", eur(10), {}, PEOPLE, [], [replace(KAI, signer="tobias")])
        self.assertEqual(names(twice), [(1, "Tobias", "")])
        self.assertEqual(twice.steps[0].why, "line manager of Maren; lodging is looked at by Kai")
        away = PEOPLE | {"kai": Signer("kai", "Kai", "tobias", cover="ola")}
        self.assertEqual(
            names(work_out_route("maren", eur(10), {}, away, [], [KAI])), [(1, "Tobias", ""), (2, "Ola", "Kai")]
        )
        gone = work_out_route("maren", eur(10), {}, PEOPLE, [], [replace(KAI, signer="nobody")])
        self.assertIn("Nobody can sign as lodging is looked at by Kai", gone.faults[0])

    @given(
        st.lists(st.tuples(st.sampled_from([*PEOPLE]), st.sampled_from([*Place])), max_size=6),
        st.sampled_from(["10", "3000", "60000"]),
    )
    def test_everybody_at_most_once_in_a_row_without_gaps(self, wishes, amount):
        also = [replace(KAI, signer=signer, place=place, code=str(n)) for n, (signer, place) in enumerate(wishes)]
        route = work_out_route("maren", eur(amount), {}, PEOPLE, [], also)
        signers = [step.signer for step in route.steps]
        self.assertEqual(len(signers), len(set(signers)))
        self.assertNotIn("maren", signers)
        self.assertEqual(
            sorted({step.order for step in route.steps}), list(range(1, len({step.order for step in route.steps}) + 1))
        )
        self.assertLessEqual({step.signer for step in run(amount).steps}, set(signers))


class PolicyTextTest(TestCase):
    same_on_any_day = True

    def test_headings_and_blocks(self):
        first, second = read_policy("# Going  there\nTake the\ncheapest.\n\nOr say why.\n## Café & co.\n")
        self.assertEqual(
            (first.heading, first.key, first.blocks),
            ("Going there", "1-going-there", ("Take the cheapest.", "Or say why.")),
        )
        self.assertEqual((second.heading, second.key, second.blocks), ("Café & co.", "2-caf-co", ()))

    def test_what_cannot_be_told_apart_is_refused(self):
        for text, words in (
            ("Text", "without a heading"),
            ("# A\n# a", "heading already"),
            ("#\nx", "heading has"),
            ("x" * 40_001, "longer"),
            ("# " + "x" * 81, "heading has"),
        ):
            with self.subTest(text[:9]), self.assertRaisesRegex(PolicyFault, words):
                read_policy(text)

    @given(st.text(max_size=200))
    def test_anything_is_read_or_refused(self, text):
        try:
            keys = [each.key for each in read_policy(text)]
        except PolicyFault:
            return
        self.assertEqual(len(keys), len(set(keys)))
