from dataclasses import replace
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import eur
from wainwright.core.budget import Budget, BudgetEffect
from wainwright.core.routing import Owned, Signer, still_needed, work_out_route

PEOPLE = {
    person.key: person for person in [
        Signer("maren", "Maren", "tobias"), Signer("tobias", "Tobias", "signe", eur(2000)),
        Signer("signe", "Signe", "", eur(50000)), Signer("ola", "Ola", "tobias"), Signer("kai", "Kai", "tobias"),
    ]
}  # fmt: skip
BOATS = Owned("cost_centre", "3140", "Boats", "ola", eur(0))
GAUGES = Owned("project", "P-1", "Gauges", "kai", eur(500))


def run(amount="100", parts=None, people=PEOPLE, owned=(), claimant="maren"):
    return work_out_route(claimant, eur(amount), parts or {}, people, owned)


def names(route):
    return [(step.order, step.name, step.covers) for step in route.steps]


class RouteTest(TestCase):
    def test_line_manager_owners_side_by_side_then_authority(self):
        parts = {("cost_centre", "3140"): eur(1200), ("project", "P-1"): eur(1800)}
        got = run("3000", parts, owned=[BOATS, GAUGES])
        self.assertEqual(names(got), [(1, "Tobias", ""), (2, "Kai", ""), (2, "Ola", ""), (3, "Signe", "")])
        self.assertIn("3,000.00 is over Tobias's limit of 2,000.00", got.steps[-1].why)

    def test_an_owner_below_the_threshold_is_not_asked(self):
        self.assertEqual(names(run(parts={("project", "P-1"): eur(499)}, owned=[GAUGES])), [(1, "Tobias", "")])

    def test_nobody_twice_and_the_later_place_is_kept(self):
        owned = [replace(BOATS, owner="tobias")]
        got = run(parts={("cost_centre", "3140"): eur(10)}, owned=owned)
        self.assertEqual(names(got), [(1, "Tobias", "")])
        self.assertEqual(got.steps[0].why, "line manager of Maren; owner of 3140 Boats")

    def test_nobody_signs_their_own_unless_privileged(self):
        owned = [replace(BOATS, owner="maren")]
        self.assertEqual(names(run(parts={("cost_centre", "3140"): eur(10)}, owned=owned)), [(1, "Tobias", "")])
        privileged = PEOPLE | {"maren": replace(PEOPLE["maren"], signs_own=True)}
        self.assertEqual(names(run(people=privileged)), [(1, "Maren", "")])

    def test_ones_own_is_signed_up_to_a_sum_and_no_further(self):
        mine = PEOPLE | {"maren": replace(PEOPLE["maren"], signs_own=True, own_limit=eur(100))}
        self.assertEqual(names(run("100", people=mine)), [(1, "Maren", "")])
        self.assertEqual(names(run("100.01", people=mine)), [(1, "Tobias", "")])
        # Lowered after they signed: the line manager is asked, with the reason.
        lowered = PEOPLE | {"maren": replace(PEOPLE["maren"], signs_own=True, own_limit=eur(50))}
        self.assertEqual(still_needed(eur(100), ["maren"], "maren", mine).steps, ())
        got = still_needed(eur(100), ["maren"], "maren", lowered)
        self.assertEqual((names(got), got.faults), ([(1, "Tobias", "")], ()))
        self.assertIn("100.00 is over what Maren may sign of their own", got.steps[0].why.replace("EUR ", ""))
        self.assertEqual(still_needed(eur(100), ["maren", "tobias"], "maren", lowered).steps, ())

    def test_cover_is_named_as_such(self):
        away = PEOPLE | {"tobias": replace(PEOPLE["tobias"], cover="ola")}
        self.assertEqual(names(run(people=away)), [(1, "Ola", "Tobias")])
        covered_by_claimant = PEOPLE | {"tobias": replace(PEOPLE["tobias"], cover="maren")}
        self.assertEqual(names(run(people=covered_by_claimant)), [(1, "Signe", "")])

    def test_a_cover_signs_with_their_own_limit(self):
        away = PEOPLE | {"tobias": replace(PEOPLE["tobias"], cover="ola"), "ola": replace(PEOPLE["ola"], limit=eur(50))}
        got = run(people=away)
        self.assertEqual(names(got), [(1, "Ola", "Tobias"), (2, "Signe", "")])
        self.assertIn("100.00 is over Ola's limit of 50.00", got.steps[1].why)
        # The manager who cannot sign is passed over, and the limit of the one who does counts.
        gone = PEOPLE | {
            "tobias": replace(PEOPLE["tobias"], active=False),
            "signe": replace(PEOPLE["signe"], limit=eur(50)),
        }
        self.assertIn("over Signe's limit of 50.00, and nobody above", run(people=gone).faults[0])

    def test_what_is_still_needed_when_the_last_has_signed(self):
        self.assertEqual(still_needed(eur(100), ["tobias"], "maren", PEOPLE).steps, ())
        lowered = PEOPLE | {"tobias": replace(PEOPLE["tobias"], limit=eur(50))}
        got = still_needed(eur(100), ["tobias"], "maren", lowered)
        self.assertEqual((names(got), got.faults), ([(1, "Signe", "")], ()))
        self.assertEqual(still_needed(eur(100), ["signe", "tobias"], "maren", lowered).steps, ())
        self.assertTrue(still_needed(eur(60000), ["signe"], "maren", PEOPLE).faults)

    @given(st.data())
    def test_whoever_signs_last_may_sign_for_it(self, data):
        """However managers, covers, limits and absences lie: a route without a fault ends at somebody who may."""
        keys = ["maren", "a", "b", "c", "d"]
        some = st.sampled_from(["", *keys])
        people = {
            key: Signer(
                key, key.title(), data.draw(some), data.draw(st.sampled_from([None, eur(50), eur(150)])),
                data.draw(st.sampled_from(["", "", *keys])), data.draw(st.booleans()) and key == "maren", data.draw(st.booleans()) or key == "maren",
            )
            for key in keys
        }  # fmt: skip
        route = run("100", people=people)
        whole = [people[step.signer] for step in route.steps if step.scope == "all"]
        if not route.faults:
            self.assertTrue(any(each.limit is None or eur(100) <= each.limit for each in whole))
        if not people["maren"].signs_own:
            self.assertNotIn("maren", [step.signer for step in route.steps])
        self.assertTrue(all(people[step.signer].active for step in route.steps))

    def test_no_fitting_person_is_a_stop_at_once(self):
        alone = PEOPLE | {"maren": replace(PEOPLE["maren"], manager="")}
        self.assertIn("Maren has no line manager", run(people=alone).faults[0])
        self.assertIn("nobody above can sign", run("60000").faults[0])
        circle = PEOPLE | {"signe": replace(PEOPLE["signe"], manager="tobias", limit=eur(10))}
        self.assertTrue(run("3000", people=circle).faults)

    @given(st.data())
    def test_never_anyone_twice_nor_the_claimant(self, data):
        keys = [f"p{n}" for n in range(6)]
        pick = st.sampled_from(["", *keys])
        people = {
            key: Signer(key, key, data.draw(pick), data.draw(st.sampled_from([None, eur(50), eur(5000)])),
                        data.draw(pick), False, data.draw(st.booleans()))
            for key in keys
        }  # fmt: skip
        owned = [Owned("cost_centre", str(n), "x", data.draw(st.sampled_from(keys)), eur(0)) for n in range(3)]
        route = run("100", {("cost_centre", str(n)): eur(10) for n in range(3)}, people, owned, "p0")
        signers = [step.signer for step in route.steps]
        self.assertEqual(len(signers), len(set(signers)))
        self.assertNotIn("p0", signers)
        self.assertTrue(route.steps or route.faults)


class BudgetTest(TestCase):
    def test_before_and_after(self):
        budget = Budget("3120", 2026, eur(10000), eur(2500), eur(5000))
        effect = BudgetEffect(budget, eur(2000))
        self.assertEqual((budget.available, effect.after, effect.over), (eur(2500), eur(500), False))
        self.assertEqual(effect.bar(), (50.0, 25.0, 20.0))
        self.assertTrue(BudgetEffect(budget, eur(2501)).over)
        self.assertEqual(sum(BudgetEffect(budget, eur(9000)).bar()), 100)
