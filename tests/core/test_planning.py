"""Carbon, who bears a plan, what was signed, special permissions."""

from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.codings import coded
from tests.core.builders import eur
from wainwright.core.bearing import Borne, bear, parts_for
from wainwright.core.carbon import Factor, Move, carbon, factor_for
from wainwright.core.journey import Mode
from wainwright.core.money import Money, total
from wainwright.core.permissions import TITLES, Cause, permissions
from wainwright.core.splits import SplitPart
from wainwright.core.versions import Line, changes

SINCE = date(2026, 1, 1)
SHORT = Factor(Mode.AIR, "economy", Decimal(700), Decimal(185), SINCE, "table")
LONG = Factor(Mode.AIR, "economy", None, Decimal(122), SINCE, "table")
FRONT = Factor(Mode.AIR, "business", None, Decimal(290), SINCE, "table")
RAIL = Factor(Mode.RAIL, "", None, Decimal(28), SINCE, "table")
BOATS, FIELD = coded("3140"), coded("3120", "P-0417", "field")


class CarbonTest(TestCase):
    def test_the_closest_factor_counts(self):
        for mode, cabin, km, wanted in [
            (Mode.AIR, "economy", 700, SHORT), (Mode.AIR, "economy", 701, LONG), (Mode.AIR, "business", 300, FRONT),
            (Mode.RAIL, "economy", 300, RAIL), (Mode.FERRY, "economy", 10, None),
        ]:  # fmt: skip
            with self.subTest(mode=mode, km=km):
                self.assertEqual(factor_for([LONG, SHORT, FRONT, RAIL], Move("x", mode, cabin, Decimal(km))), wanted)

    def test_moves_add_up_and_say_how(self):
        moves = [
            Move("Cork to Dublin", Mode.AIR, "economy", Decimal(230)),
            Move("Dublin to Bergen", Mode.AIR, "economy", Decimal(1100)),
        ]
        found = carbon(moves, [SHORT, LONG])
        self.assertEqual(found.kg, 177)
        self.assertEqual(
            found.workings.lines(),
            ["Cork to Dublin, 230 km × 185 g (table) from 1 Jan 2026: 42.6 kg", "Dublin to Bergen, 1100 km × 122 g (table) from 1 Jan 2026: 134.2 kg",
             "Rounded: 177 kg CO₂e"],
        )  # fmt: skip

    def test_what_has_no_factor_says_so(self):
        found = carbon([Move("A to B", Mode.FERRY, "", Decimal(90))], [RAIL])
        self.assertEqual((found.kg, found.workings.lines()[0]), (0, "A to B: no factor for ferry: 0 kg"))


class BearingTest(TestCase):
    def test_the_closest_split_counts(self):
        line, category, whole = ([SplitPart(c, Decimal(100))] for c in (BOATS, FIELD, BOATS))
        shares = {"line:leg:1": line, "category:air": category, "all": whole}
        for key, code, wanted in [("leg:1", "air", line), ("leg:2", "air", category), ("night:1", "lodging", whole)]:
            with self.subTest(key):
                self.assertEqual(parts_for(Borne(key, code, eur(1)), shares), wanted)
        self.assertEqual(parts_for(Borne("x", "y", eur(1)), {}), ())

    def test_without_a_split_the_plans_own_coding_bears_all(self):
        self.assertEqual(bear([Borne("a", "air", eur(10)), Borne("b", "taxi", eur(5))], FIELD, {}), [(FIELD, eur(15))])

    @given(
        st.lists(st.integers(1, 10**7), min_size=1, max_size=12), st.lists(st.integers(1, 9), min_size=1, max_size=5),
        st.sampled_from(["all", "category:air", "line:c0"]),
    )  # fmt: skip
    def test_what_is_borne_is_what_it_costs(self, minors, weights, about):
        whole = sum(weights)
        shares = [(Decimal(100) * w / whole).quantize(Decimal("0.0001")) for w in weights]
        shares[-1] += Decimal(100) - sum(shares)
        parts = [SplitPart(coded(f"C{n}"), share) for n, share in enumerate(shares)]
        costs = [Borne(f"c{n}", "air", Money.from_minor(minor, "EUR")) for n, minor in enumerate(minors)]
        borne = bear(costs, FIELD, {about: parts})
        self.assertEqual(total((amount for _, amount in borne), "EUR"), total((c.amount for c in costs), "EUR"))


class VersionsTest(TestCase):
    def test_what_differs_is_named_once(self):
        before = [
            Line("a", "Legs", "Ferry", "07:30"),
            Line("b", "Costs", "Taxi", "20.00"),
            Line("c", "Papers", "Agenda", "x.pdf"),
        ]
        after = [
            Line("a", "Legs", "Ferry", "08:30"),
            Line("c", "Papers", "Agenda", "x.pdf"),
            Line("d", "Costs", "Tram", "4.00"),
        ]
        self.assertEqual(
            [(c.label, c.before, c.after) for c in changes(before, after)],
            [("Ferry", "07:30", "08:30"), ("Tram", "", "4.00"), ("Taxi", "20.00", "")],
        )

    @given(st.lists(st.tuples(st.text(max_size=3), st.text(max_size=3)), max_size=8, unique_by=lambda p: p[0]))
    def test_the_same_plan_never_differs(self, pairs):
        lines = [Line(key, "s", key, value) for key, value in pairs]
        self.assertEqual(changes(lines, list(reversed(lines))), [])

    def test_a_new_name_for_the_same_line_shows_both(self):
        found = changes([Line("n", "Nights", "Inn", "100")], [Line("n", "Nights", "Hotel", "120")])
        self.assertEqual((found[0].before, found[0].after), ("Inn, 100", "120"))

    def test_what_people_typed_is_told_from_what_we_say(self):
        lines = [
            Line("head:title", "Trip", "Title", "Card"),
            Line("answer:quarters", "Trip", "Where from?", "The quay"),
            Line("answer:kin", "Trip", "Who comes along?", "not answered"),
            Line("engagement:Survey", "Trip", "In time for Survey", "Mon 14 Dec 09:00"),
        ]
        self.assertEqual([line.typed for line in lines], [True, True, False, False])
        self.assertEqual([change.typed for change in changes([], lines)], [True, True, False, False])


class PermissionsTest(TestCase):
    def test_they_come_and_go_with_their_causes(self):
        causes = [
            Cause("ceiling", "night:2", "Rooms at 158.00"),
            Cause("hire-car", "leg:1", "Hire car A – B"),
            Cause("ceiling", "night:3", "Rooms at 158.00"),
        ]
        found = permissions(causes)
        self.assertEqual([p.code for p in found], ["hire-car", "ceiling"])
        self.assertEqual(
            (found[1].words, found[1].paper, len(found[1].causes)), ("Rooms at 158.00", "price comparison", 2)
        )
        self.assertEqual(permissions([]), [])
        self.assertEqual([p.code for p in permissions(causes[1:2])], ["hire-car"])

    def test_an_unknown_one_is_an_error(self):
        with self.assertRaises(KeyError):
            permissions([Cause("nonsense", "x", "y")])
        self.assertIn("cabin", TITLES)
