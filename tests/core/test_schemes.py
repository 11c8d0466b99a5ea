"""Schemes as data: the worked examples of every part, what is refused when one is entered, what can never be reached."""

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import BERGEN, CORK, ENDS, FLORO, MON, SINCE, TUE, WED, at, eur, journey, meals, scheme
from wainwright.core.allowance import Grants, MealSet, NoRate, Rate, Rounding, Stay, daily_allowance
from wainwright.core.allowance.reading import SchemeFaults, read_scheme
from wainwright.core.fx import RateTable
from wainwright.core.journey import Journey, Leg, Meal, Mode, Night, Place
from wainwright.core.money import Money

D = Decimal
NIGHT_OR_NOT = scheme(
    {"name": "24 hours", "period": "whole", "pays": {"amount": "long"}},
    {"night": True, "from": 6, "pays": {"amount": "long"}},
    {"night": False, "over": 12, "pays": {"amount": "day"}},
    {"night": False, "from": 6, "pays": {"amount": "short"}},
    code="N", window="24h",
)  # fmt: skip
NIGHT_RATES = [Rate("", "", SINCE, eur(90), amounts={"long": eur(90), "day": eur(66), "short": eur(36)})]
PART = scheme(
    {"night": True, "period": ["first", "last"], "pays": {"amount": "part"}}, {"period": "whole", "pays": "1"},
    {"night": False, "over": 8, "pays": {"amount": "part"}}, code="P", places={"last_day": "worked"},
)  # fmt: skip
HOME = Rate("", "IE", SINCE, eur(24), amounts={"part": eur(13)})
NORTH = Rate("", "NO", SINCE, eur(46), amounts={"part": eur(31)})
BASE = {"code": "X", "name": "x", "since": "2026-01-01", "window": "day", "rows": [{"pays": {"share": "1"}}]}


def amounts(got):
    return [str(day.amount.amount) for day in got.days]


def out_and_back(leaves, back, nights=(), supplied=()):
    return journey(leaves, back, nights, supplied)


def stops(*moves):
    """Legs by ferry: (from, to, leaves, arrives)."""
    return tuple(Leg(a, b, Mode.FERRY, left, there) for a, b, left, there in moves)


class ExamplesTest(TestCase):
    def test_8_with_and_without_a_night(self):
        for begins, ends, nights, wanted in (
            (at(MON, "07:00"), at(MON, "14:30"), [], "36.00"), (at(MON, "07:00"), at(MON, "19:00"), [], "36.00"),
            (at(MON, "07:00"), at(MON, "19:01"), [], "66.00"), (at(MON, "18:00"), at(TUE, "14:00"), [(MON, BERGEN)], "90.00"),
            (at(MON, "07:00"), at(WED, "14:00"), [(MON, BERGEN), (TUE, BERGEN)], "270.00"), (at(MON, "07:00"), at(MON, "12:59"), [], "0.00"),
        ):  # fmt: skip
            with self.subTest(begins=begins, ends=ends):
                got = daily_allowance(out_and_back(begins, ends, nights), NIGHT_OR_NOT, NIGHT_RATES, "EUR")
                self.assertEqual(got.amount, eur(wanted))
        # Over and from are told apart in the workings.
        got = daily_allowance(out_and_back(at(MON, "07:00"), at(MON, "19:01")), NIGHT_OR_NOT, NIGHT_RATES, "EUR")
        self.assertIn("over 12 h", got.workings.lines()[0])
        got = daily_allowance(out_and_back(at(MON, "07:00"), at(MON, "19:00")), NIGHT_OR_NOT, NIGHT_RATES, "EUR")
        self.assertIn("12 h, from 6 h", got.workings.lines()[0])

    def test_9_a_named_part_amount_by_place(self):
        trip = out_and_back(at(MON, "09:00"), at(WED, "18:00"), [(MON, BERGEN), (TUE, BERGEN)])
        got = daily_allowance(trip, PART, [HOME, NORTH], "EUR")
        self.assertEqual((amounts(got), got.amount), (["31.00", "46.00", "31.00"], eur(108)))
        day_out = out_and_back(at(MON, "08:00"), at(MON, "16:01"))
        self.assertEqual(daily_allowance(day_out, PART, [HOME, NORTH], "EUR").amount, eur(31))
        day_out = out_and_back(at(MON, "08:00"), at(MON, "16:00"))
        self.assertEqual(daily_allowance(day_out, PART, [HOME, NORTH], "EUR").amount, eur(0))
        with self.assertRaisesRegex(NoRate, "no amount “part” in the rate of NO"):
            daily_allowance(trip, PART, [HOME, replace(NORTH, amounts={})], "EUR")

    def test_10_meals_in_sets(self):
        rate = Rate("", "NO", SINCE, eur(35), sets=(MealSet((Meal.LUNCH, Meal.DINNER), eur(22)),))
        for supplied, wanted in ((meals(lunch=[MON]), "35.00"), (meals(lunch=[MON], dinner=[MON]), "13.00"), (meals(breakfast=[MON], dinner=[MON]), "35.00")):  # fmt: skip
            got = daily_allowance(
                out_and_back(at(MON, "07:00"), at(MON, "20:00"), (), supplied), scheme({"pays": "1"}), [rate], "EUR"
            )
            self.assertEqual(got.amount, eur(wanted))
        shares = scheme({"pays": "1"}, meals={"by": "share", "shares": {"lunch": "0.1", "lunch+dinner": "0.6"}})
        for supplied, wanted in (
            (meals(lunch=[MON]), "31.50"),
            (meals(lunch=[MON], dinner=[MON]), "14.00"),
            (meals(dinner=[MON]), "35.00"),
        ):
            got = daily_allowance(out_and_back(at(MON, "07:00"), at(MON, "20:00"), (), supplied), shares, [rate], "EUR")
            self.assertEqual(got.amount, eur(wanted))

    def test_11_incidentals_are_kept_whole(self):
        table = {Meal.BREAKFAST: eur(14), Meal.LUNCH: eur(20), Meal.DINNER: eur(30)}
        rate = Rate("", "NO", SINCE, eur(70), table, eur(6))
        kept = scheme(ENDS, {"pays": "1"}, meals={"floor": "incidentals"})
        trip = out_and_back(
            at(MON, "09:00"), at(TUE, "18:00"), [(MON, BERGEN)], meals(breakfast=[MON], lunch=[MON], dinner=[MON])
        )
        self.assertEqual(amounts(daily_allowance(trip, kept, [rate], "EUR")), ["6.00", "52.50"])

    def test_12_a_long_stay_in_steps(self):
        steps = {
            "steps": [{"after": "3 months", "share": "0.7"}, {"after": "24 months", "share": "0.5"}],
            "continues_within": 20,
        }
        long = scheme({"pays": "1"}, long_stay=steps)
        rate = [Rate("", "NO", date(2020, 1, 1), eur(100))]
        first, last = date(2026, 2, 1), date(2026, 5, 3)
        nights = [(first + timedelta(days=n), BERGEN) for n in range((last - first).days)]
        got = daily_allowance(out_and_back(at(first, "09:00"), at(last, "18:00"), nights), long, rate, "EUR")
        self.assertEqual(
            [str(got.on(day).amount) for day in (date(2026, 4, 30), date(2026, 5, 1), last)],
            ["100.00", "70.00", "70.00"],
        )
        # A stay of a journey before goes on where one is back within the days that the scheme says, and not after.
        later = out_and_back(
            at(date(2026, 5, 10), "09:00"), at(date(2026, 5, 11), "18:00"), [(date(2026, 5, 10), BERGEN)]
        )
        for until, wanted in ((date(2026, 4, 20), "70.00"), (date(2026, 4, 19), "100.00")):
            stays = [Stay("bergen", "NO", first, until), Stay("Florø", "NO", first, date(2026, 5, 9))]
            self.assertEqual(
                amounts(daily_allowance(later, long, rate, "EUR", grants=Grants(earlier=tuple(stays))))[0], wanted
            )
        very = [Stay("Bergen", "NO", date(2024, 5, 10), date(2026, 5, 9))]
        self.assertEqual(
            amounts(daily_allowance(later, long, rate, "EUR", grants=Grants(earlier=tuple(very)))), ["50.00", "50.00"]
        )

    def test_13_where_most_hours_were_spent(self):
        most = scheme({"pays": "1"}, places={"by": "most", "between": ["06:00", "24:00"]})
        rates = [Rate("", "NO", SINCE, eur(80)), Rate("", "SE", SINCE, eur(95))]
        sweden = Place("GOT", "Gothenburg", "Gothenburg", "SE", "Europe/Oslo")
        for moved, wanted in (("17:00", "80.00"), ("13:00", "95.00")):
            trip = Journey(
                stops(
                    (CORK, BERGEN, at(MON, "08:00"), at(MON, "12:00")), (BERGEN, sweden, at(TUE, moved), at(TUE, moved)),
                    (sweden, CORK, at(WED, "10:00"), at(WED, "12:00")),
                ),
                (Night(MON, BERGEN), Night(TUE, sweden)),
            )  # fmt: skip
            self.assertEqual(amounts(daily_allowance(trip, most, rates, "EUR"))[1], wanted)

    def test_14_a_supplement(self):
        more = scheme(
            {"from": 10, "pays": {"amount": "long"}}, {"from": 5, "pays": {"amount": "short"}},
            supplements=[{"name": "evening", "away_at": "20:00", "pays": {"amount": "evening"}}],
        )  # fmt: skip
        rate = [Rate("", "", SINCE, eur(12), amounts={"short": eur(6), "long": eur(12), "evening": eur(9)})]
        for begins, back, wanted in (
            ("08:00", "21:00", "21.00"),
            ("08:00", "19:30", "12.00"),
            ("08:00", "20:00", "12.00"),
        ):
            got = daily_allowance(out_and_back(at(MON, begins), at(MON, back)), more, rate, "EUR")
            self.assertEqual((got.amount, begins, back), (eur(wanted), begins, back))
        # What fits no row earns nothing, and nothing is added to it.
        short = Journey(stops((CORK, BERGEN, at(MON, "19:00"), at(MON, "20:20")), (BERGEN, CORK, at(MON, "20:30"), at(MON, "21:00"))))  # fmt: skip
        self.assertEqual(daily_allowance(short, more, rate, "EUR").amount, eur(0))


class PartsTest(TestCase):
    def test_hours_shared_out_between_places(self):
        shared = scheme({"pays": "1"}, places={"by": "shared"})
        trip = Journey(
            stops(
                (CORK, BERGEN, at(MON, "00:00"), at(MON, "06:00")), (BERGEN, FLORO, at(MON, "12:00"), at(MON, "18:00")),
                (FLORO, CORK, at(MON, "20:00"), at(TUE, "00:00")),
            )
        )  # fmt: skip
        rates = [Rate("Bergen", "NO", SINCE, eur(72)), Rate("Florø", "NO", SINCE, eur(48))]
        first = daily_allowance(trip, shared, rates, "EUR").days[0]
        # Monday lasts 25 hours here, as it ends where one came from: 18 at Bergen with the way on, 7 at Florø.
        self.assertIn("% of the hours", first.workings.lines()[0])
        self.assertTrue(eur(48) < first.amount < eur(72))

    def test_a_day_out_by_the_highest_rate(self):
        legs = stops(
            (CORK, BERGEN, at(MON, "07:00"), at(MON, "08:00")), (BERGEN, FLORO, at(MON, "12:00"), at(MON, "13:00")),
            (FLORO, CORK, at(MON, "17:00"), at(MON, "19:00")),
        )  # fmt: skip
        rates = [Rate("Bergen", "NO", SINCE, eur(72)), Rate("Florø", "NO", SINCE, eur(48)), Rate("", "", SINCE, eur(1))]
        for how, wanted in (("last", 48), ("highest", 72)):
            got = daily_allowance(Journey(legs), scheme({"pays": "1"}, places={"day_out": how}), rates, "EUR")
            self.assertEqual(got.amount, eur(wanted))

    def test_the_period_with_most_hours(self):
        most = scheme({"most": True, "pays": "1"})
        got = daily_allowance(
            out_and_back(at(MON, "20:00"), at(TUE, "09:00")), most, [Rate("", "", SINCE, eur(30))], "EUR"
        )
        self.assertEqual([(day.row, str(day.amount)) for day in got.days], [(0, "0.00"), (1, "30.00")])

    def test_a_rate_in_money_of_its_own_and_what_is_taxed(self):
        rate = Rate("", "NO", SINCE, Money.of("1000", "NOK"), free={"full": Money.of("800", "NOK")})
        table = RateTable("EUR", {MON - timedelta(days=2): {"NOK": D(10)}}, "a table")
        trip = out_and_back(at(MON, "09:00"), at(TUE, "18:00"), [(MON, BERGEN)])
        got = daily_allowance(trip, scheme(ENDS, {"pays": "1"}), [rate], "EUR", table=table)
        self.assertEqual((amounts(got), got.taxed), (["75.00", "75.00"], eur(30)))
        self.assertIn("rate of 10 Oct 2026", " ".join(got.workings.lines()))
        with self.assertRaisesRegex(NoRate, "no rate for NOK"):
            daily_allowance(trip, scheme(ENDS, {"pays": "1"}), [rate], "EUR")

    def test_each_day_has_the_scheme_in_force(self):
        old, new = scheme({"pays": "0.5"}, since=SINCE), scheme({"pays": "1"}, since=TUE)
        trip = out_and_back(at(MON, "09:00"), at(WED, "18:00"), [(MON, BERGEN), (TUE, BERGEN)])
        for order in ([old, new], [new, old]):
            self.assertEqual(
                amounts(daily_allowance(trip, order, [Rate("", "", SINCE, eur(30))], "EUR")),
                ["15.00", "30.00", "30.00"],
            )

    def test_rounding_of_meals_and_of_days(self):
        rate = [Rate("", "", SINCE, eur("31.20"))]
        trip = out_and_back(at(MON, "07:00"), at(MON, "20:00"), (), meals(lunch=[MON]))
        shares = {"by": "share", "shares": {"lunch": "0.3"}}
        for unit, way, wanted in (
            ("1", "nearest", "22.20"),
            ("1", "up", "21.20"),
            ("0.1", "down", "21.90"),
            (None, "nearest", "21.84"),
        ):
            rounded = {**shares, **({"unit": unit, "rounding": way} if unit else {})}
            got = daily_allowance(trip, scheme({"pays": "1"}, meals=rounded), rate, "EUR")
            self.assertEqual(got.amount, eur(wanted))
        got = daily_allowance(trip, scheme({"pays": "1"}, unit="1", rounding="up"), rate, "EUR")
        self.assertEqual(got.amount, eur(32))
        self.assertEqual(Rounding(D("0.5")).of(eur("0.75")), eur(1))


class EnteredTest(TestCase):
    def faults(self, **more) -> list[str]:
        try:
            read_scheme({**BASE, **more}, "EUR")
        except SchemeFaults as wrong:
            return [f"{fault.where}: {fault.words}" for fault in wrong.faults]
        return []

    def test_every_key_and_value_is_looked_at(self):
        for more, said in (
            ({"rows": [{"pays": {"share": 75}}]}, "rows 1, pays, share: 75 is no share"),
            ({"rows": [{"pays": {"share": "-0.1"}}]}, "-0.1 is no share"),
            ({"rows": [{"pays": {"share": "NaN"}}]}, "NaN is no share"),
            ({"rows": [{"pays": {"sahre": "1"}}]}, "rows 1, pays, sahre: There is no such key"),
            ({"rows": [{"nigth": True, "pays": {}}]}, "rows 1, nigth: There is no such key"),
            ({"rows": [{"period": "monday", "pays": {}}]}, "“monday” is no period"),
            ({"rows": [{"period": "left over", "pays": {}}]}, "With the window “day” there is no period “left over”"),
            ({"rows": [{"from": "8", "below": "8", "pays": {}}]}, "it would never fit"),
            ({"rows": [{"left_from": "24:00", "pays": {}}]}, "up to 23:59"), ({"rows": [{"left_from": 12, "pays": {}}]}, "clock time"),
            ({"rows": [{"night": "yes", "pays": {}}]}, "true or false"), ({"rows": []}, "at least one row"), ({"rows": "x"}, "This is a list"),
            ({"rows": [{}]}, "what does the row pay"), ({"rows": [3]}, "table of keys and values"),
            ({"rows": [{"pays": {"hourly": 1.5}}]}, "whole number"), ({"rows": [{"pays": {"amount": "Part!"}}]}, "name of an amount"),
            ({"window": "week"}, "“week” is not known"), ({"since": "2026-02-30"}, "This is a day"), ({"ends": {}}, "ends: There is no such key"),
            ({"meals": {"by": "share"}}, "which share of the full day"), ({"meals": {"by": "share", "shares": {"brunch": "0.2"}}}, "meals, shares, brunch: There is no such key"),
            ({"meals": {"shares": {"lunch": "0.2"}}}, "Shares count with by"), ({"meals": {"by": "share", "shares": {"lunch": 20}}}, "20 is no share"),
            ({"long_stay": {"steps": [{"after": "2 weeks", "share": "0.5"}]}}, "30 days” or “3 months"),
            ({"long_stay": {"steps": [{"after": "3 months", "share": "0.5"}, {"after": "30 days", "share": "0.7"}]}}, "from the shortest stay to the longest"),
            ({"places": {"between": ["20:00", "06:00"]}}, "the earlier first"), ({"nights": {"flat": "lots"}}, "is no number"),
            ({"actual_cost_share": "150"}, "out of bounds"), ({"unit": 0}, "out of bounds"), ({"name": "a" * 90}, "at most 80"), ({"code": "a\x00"}, "text"),
        ):  # fmt: skip
            with self.subTest(more):
                self.assertTrue(any(said in each for each in self.faults(**more)), self.faults(**more))
        self.assertEqual(self.faults(), [])
        self.assertEqual(len(self.faults(code="", name=3, window="x", more=1)), 4)

    def test_a_row_that_can_never_be_reached_is_told(self):
        every, half = {"pays": {"share": "1"}}, {"share": "0.5"}
        for window, rows, told in (
            ("day", [every, {"from": 8, "pays": half}], {2: "row 1 fits whatever it fits"}),
            ("day", [{"from": 8, "pays": half}, {"over": 8, "pays": half}, every], {2: "row 1"}),
            ("day", [{"over": 8, "pays": half}, {"from": 8, "pays": half}, every], {}),
            ("day", [{"period": ["only", "first"], "pays": half}, {"period": ["last", "whole"], "pays": half}, {"most": True, "pays": half}], {3: "the rows above fit whatever"}),
            ("day", [{"below": 8, "pays": half}, {"from": 8, "pays": half}, {"away_at": "20:00", "pays": half}], {3: "the rows above fit whatever"}),
            ("day", [{"period": "only", "night": True, "pays": half}, every], {1: "never hold together"}),
            ("day", [{"period": "whole", "left_from": "12:00", "pays": half}, every], {1: "never hold together"}),
            ("24h", [{"period": "whole", "pays": half}, {"period": "left over", "from": 24, "pays": half}, every], {2: "never hold together"}),
            ("24h", [{"period": "whole", "pays": half}, {"from": 12, "pays": half}, {"from": 6, "pays": half}], {}),
        ):  # fmt: skip
            with self.subTest(rows=rows):
                found = self.faults(window=window, rows=rows)
                self.assertEqual(len(found), len(told), found)
                for number, words in told.items():
                    self.assertTrue(
                        any(
                            each.startswith(f"rows {number}: It can never be reached") and words in each
                            for each in found
                        ),
                        found,
                    )

    @given(st.recursive(st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=5), lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["pays", "share", "rows", "period", "steps", "by", "x"]), inner, max_size=3), max_leaves=8), st.sampled_from(["rows", "meals", "nights", "places", "long_stay", "unit", "window", "since", "supplements", "actual_cost_share"]))  # fmt: skip
    def test_no_nonsense_is_an_error_of_ours(self, value, key):
        try:
            read_scheme({**BASE, key: value}, "EUR")
        except SchemeFaults as wrong:
            self.assertTrue(wrong.faults)
