"""Every kind of rule: what must be found and what must not, as rows; and the engine around them."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import FLORO, FRI, MON, THREE_QUARTERS, THU, TUE, WED, eur, table_rate
from wainwright.core.allowance import allowed_night
from wainwright.core.journey import Night
from wainwright.core.rules import Item, Level, Setting, Subject, kinds, run
from wainwright.core.rules.base import REGISTRY, Kind, kind
from wainwright.core.rules.facts import Known
from wainwright.core.rules.params import ParamFaults, read_params

TAXI = Item("expense:1", "Taxi, pier", "taxi", WED, eur("19.60"), merchant="Pier taxi")
PLAN = Subject("trip:1", "plan", MON - timedelta(days=30), "EUR", starts=MON, ends=FRI)
CLAIM = Subject("claim:1", "claim", FRI + timedelta(days=7), "EUR", starts=MON, ends=FRI, names={"taxi": "Taxi"})


def with_items(*items, **more):
    return replace(CLAIM, items=items, **more)


def nights(cost):
    rates = [table_rate("Florø", "52.00", ceiling="130.00")]
    return tuple(allowed_night(Night(d, FLORO, "Florø Rooms"), eur(cost), THREE_QUARTERS, rates) for d in (WED, THU))


# kind, parameters, subject that must be found, words in the sentence, subject that must pass
ROWS = [
    ("own_money", {"over": "15.00"}, replace(PLAN, items=(replace(TAXI, needs_evidence=False),)), "is to be paid with own money",
     replace(PLAN, items=(replace(TAXI, needs_evidence=False, by="own car"), replace(TAXI, needs_evidence=False, paid_by="firm")))),
    ("class_above", {"cabin": "economy"}, replace(PLAN, items=(replace(TAXI, cabin="business"),)), "in business class at 19.60. The firm allows economy",
     replace(PLAN, items=(replace(TAXI, cabin="economy"),))),
    ("not_contracted", {}, replace(PLAN, items=(replace(TAXI, contract_passed=True, cheapest=eur("18.00")),)), "passes by a contracted fare that fits, at 18.00", replace(PLAN, items=(TAXI,))),
    ("own_car_far", {"km": "300"}, with_items(replace(TAXI, one_way_km=Decimal(460), amount=eur("193.20"), ticket=eur("120.00"))),
     "460 km one way, beyond 300 km. Driving comes to 193.20, the cheapest other way that fits to 120.00: without a reason 120.00 is allowed",
     with_items(replace(TAXI, one_way_km=Decimal(300), amount=eur("193.20"), ticket=eur("120.00")))),
    ("ride_twice", {}, with_items(replace(TAXI, ride=("Cork", "Cobh"), by="taxi"), replace(TAXI, key="leg:2", ride=("Cork", "Cobh"), by="own car", amount=eur("10.08"))),
     "Cork to Cobh on Wed 14 Oct is there twice: a taxi for 19.60 and the own car for 10.08",
     with_items(replace(TAXI, ride=("Cork", "Cobh"), by="taxi"), replace(TAXI, key="leg:2", ride=("Cobh", "Cork"), by="own car"))),
    ("weekend", {}, replace(PLAN, ends=FRI + timedelta(days=1), holidays={TUE: "Fishing day"}), "takes in Tue 13 Oct (Fishing day), Sat 17 Oct", PLAN),
    ("split_under", {"limit": "20.00", "near": "80"}, with_items(TAXI, replace(TAXI, key="expense:2")), "2 costs for Taxi on one day, 39.20 together, none over 20.00 alone",
     with_items(TAXI, replace(TAXI, key="expense:2", day=THU))),
    ("quarters_first", {}, replace(PLAN, nights=nights("158.00"), quarters={f"night:{WED}": "Gauge House", f"night:{THU}": "Gauge House"}),
     "Florø Rooms costs 158.00 from Wed 14 Oct, while Gauge House is supplied in Florø", replace(PLAN, nights=nights("158.00"))),
    ("limit", {"limit": "15.00"}, with_items(TAXI), "4.60 over the 15.00 limit for Taxi", with_items(replace(TAXI, amount=eur(15)))),
    ("limit", {"limit": "40.00", "by": "head"}, with_items(replace(TAXI, amount=eur("160.01"), heads=4)), "0.01 over 4 × 40.00",
     with_items(replace(TAXI, amount=eur("160.00"), heads=4))),
    ("limit", {"limit": "30.00", "by": "day"}, with_items(TAXI, replace(TAXI, key="expense:2")), "9.20 over the 30.00 a day",
     with_items(TAXI, replace(TAXI, key="expense:2", day=THU))),
    ("missing_evidence", {"over": "10.00"}, with_items(TAXI), "has no receipt", with_items(replace(TAXI, has_receipt=True))),
    ("required_field", {"field": "guests", "word": "who was there"}, with_items(TAXI), "does not say who was there",
     with_items(replace(TAXI, filled=frozenset({"guests"})))),
    ("age", {"days": "60"}, with_items(replace(TAXI, day=MON - timedelta(days=90))), "days old", with_items(TAXI)),
    ("over_ceiling", {}, replace(CLAIM, nights=nights("158.00")), "Florø Rooms is 28.00 a night over the 130.00 ceiling for Florø, two nights".replace("two", "2"),
     replace(CLAIM, nights=nights("130.00"))),
    ("over_ceiling", {}, replace(CLAIM, nights=(replace(nights("90.00")[0], night=Night(WED, FLORO, "Florø Rooms", True)),)),
     "The night of Wed 14 Oct costs 90.00, while quarters are supplied on the trip", replace(CLAIM, nights=nights("90.00"))),
    ("duplicate", {}, with_items(TAXI, known=(Known("expense:9", "Taxi", "claim C-0001", "pier TAXI", WED, eur("19.60")),)),
     "looks the same as Taxi on claim C-0001", with_items(TAXI, replace(TAXI, key="expense:2", day=THU))),
    ("night_twice", {}, with_items(replace(TAXI, nights=(TUE, WED)), replace(TAXI, key="expense:2", label="Hotel", nights=(WED,))),
     "The night of Wed 14 Oct is in Taxi, pier and again in Hotel", with_items(replace(TAXI, nights=(TUE, WED)))),
    ("own_money", {"over": "15.00"}, with_items(TAXI), "was paid with own money", with_items(replace(TAXI, paid_by="firm"))),
    ("not_cheapest", {"tolerance": "20.00"}, replace(PLAN, items=(replace(TAXI, amount=eur(224), cheapest=eur(186)),)), "38.00 dearer than 186.00",
     replace(PLAN, items=(replace(TAXI, amount=eur(204), cheapest=eur(186)),))),
    ("evidence_differs", {}, with_items(replace(TAXI, shows=eur("9.60"))), "its evidence shows 9.60: 10.00 less", with_items(replace(TAXI, shows=eur("19.60")))),
    ("trip_not_authorised", {}, replace(CLAIM, trip_state="Planning"), "stands at Planning", replace(CLAIM, trip_state="Back")),
    ("over_plan", {"percent": "10"}, with_items(TAXI, planned_total=eur(10)), "9.60 over the 10.00 that was authorised", with_items(TAXI, planned_total=eur(18))),
    ("over_plan", {"percent": "900", "unplanned": "15.00"}, with_items(TAXI, planned_total=eur(10)), "19.60: no Taxi stands on the authorised plan",
     with_items(replace(TAXI, planned=eur(1)), replace(TAXI, key="expense:2", amount=eur(15)), planned_total=eur(10))),
    ("own_car_far", {"km": "300"}, with_items(replace(TAXI, one_way_km=Decimal(301))), "301 km one way, beyond 300 km, and no other way was compared",
     with_items(replace(TAXI, one_way_km=Decimal(300)))),
    ("paper_missing", {"paper": "agenda", "only_abroad": "yes"}, replace(CLAIM, abroad=True), "The agenda is missing", replace(CLAIM, starts=None, abroad=True)),
    ("off_trip", {"days": "1"}, with_items(replace(TAXI, day=FRI + timedelta(days=3))), "3 days after the trip", with_items(replace(TAXI, day=FRI + timedelta(days=1)))),
    ("paper_missing", {"paper": "agenda"}, PLAN, "The agenda is missing", replace(PLAN, papers=frozenset({"agenda"}))),
    ("rate_off", {"percent": "3"}, with_items(replace(TAXI, claimed_rate=Decimal(11), table_rate=Decimal("11.635"))), "5.5 % off",
     with_items(replace(TAXI, claimed_rate=Decimal("11.6"), table_rate=Decimal("11.635")))),
    ("tax_odd", {}, with_items(replace(TAXI, tax_odd=True)), "the tax typed", with_items(TAXI)),
    ("card_expiring", {}, replace(PLAN, card_expires=THU), "expires on 15 Oct 2026", replace(PLAN, card_expires=FRI)),
    ("advances_out", {"most": "1"}, replace(PLAN, advances_out=2), "2 advances are out", replace(PLAN, advances_out=1)),
    ("due_soon", {}, replace(CLAIM, due=FRI + timedelta(days=21)), "due by 6 November", CLAIM),
    ("unwanted", {"words": "casino, pier taxi"}, with_items(TAXI), "does not want costs at Pier taxi", with_items(replace(TAXI, merchant="Pier taxis"))),
    ("booked_late", {"days": "14"}, replace(PLAN, today=MON - timedelta(days=3)), "starts in 3 days", PLAN),
]  # fmt: skip


def setting(kind_code, params=None, **more):
    return Setting("r1", kind_code, more.pop("level", Level.EXPLAIN), "The firm's sentence.", params or {}, **more)


class KindsTest(TestCase):
    same_on_any_day = True

    def test_every_kind_finds_and_passes(self):
        for code, params, bad, words, good in ROWS:
            with self.subTest(code, params=params):
                found = run(bad, [setting(code, params)])
                self.assertEqual(len(found), 1)
                self.assertIn(words, found[0].text)
                self.assertTrue(found[0].cure.label)
                self.assertEqual(run(good, [setting(code, params)]), [])

    def test_every_kind_has_a_row_and_nothing_is_found_on_nothing(self):
        self.assertEqual(set(kinds()), {row[0] for row in ROWS})
        for code, params, *_ in ROWS:
            with self.subTest(code):
                run(replace(CLAIM, items=()), [setting(code, params)])

    def test_every_parameter_is_declared(self):
        for code, params, *_ in ROWS:
            self.assertLessEqual(params.items(), read_params(kinds()[code].params, params, "EUR").items())

    def test_a_threshold_says_what_it_does(self):
        """At the threshold itself nothing is found, a cent over it something is, and the sentence says "over"."""
        for code, name, word in (
            ("missing_evidence", "over", "Over 25.00"),
            ("own_money", "over", "Over 25.00"),
            ("limit", "limit", "over"),
        ):
            rule = setting(code, {name: "25.00"})
            with self.subTest(code):
                self.assertEqual(run(with_items(replace(TAXI, amount=eur(25))), [rule]), [])
                self.assertIn(word, run(with_items(replace(TAXI, amount=eur("25.01"))), [rule])[0].text)

    def test_a_kind_is_not_asked_where_it_means_nothing(self):
        for code, params, *_ in ROWS:
            for subject in (PLAN, CLAIM):
                if subject.kind not in kinds()[code].on:
                    everything = replace(
                        subject, items=(replace(TAXI, cabin="business", cheapest=eur(1), contract_passed=True),), due=MON, card_expires=MON,
                        trip_state="Planning", advances_out=9, today=MON - timedelta(days=1), planned_total=eur(1),
                    )  # fmt: skip
                    self.assertEqual(run(everything, [setting(code, params)]), [], (code, subject.kind))


class EngineTest(TestCase):
    same_on_any_day = True

    def test_identity_survives_a_new_run_and_goes_with_its_cause(self):
        rule = setting("limit", {"limit": "15.00"})
        first = run(with_items(TAXI), [rule])[0].identity
        dearer = run(with_items(replace(TAXI, amount=eur(90))), [rule])[0].identity
        self.assertEqual(first, dearer)
        self.assertEqual(run(with_items(replace(TAXI, amount=eur(1))), [rule]), [])

    def test_gravest_first_and_only_what_is_meant(self):
        rules = [
            setting("limit", {"limit": "1.00"}, level=Level.NOTE),
            replace(setting("missing_evidence", {"over": "0"}, level=Level.STOP), code="r2"),
        ]
        self.assertEqual([f.level for f in run(with_items(TAXI), rules)], [Level.STOP, Level.NOTE])
        for narrower in (
            {"categories": frozenset({"meals"})},
            {"subjects": frozenset({"plan"})},
            {"since": THU},
            {"until": TUE},
        ):
            with self.subTest(narrower):
                self.assertEqual(run(with_items(TAXI), [setting("limit", {"limit": "1.00"}, **narrower)]), [])

    def test_a_change_leaves_what_was_in_force_to_its_days(self):
        """A cost goes by its own day, a night by its own; a claim as a whole and a plan by the day of the look."""
        old, new = (setting("limit", {"limit": limit}) for limit in ("15.00", "30.00"))
        rules = [replace(old, until=WED), replace(new, since=THU)]
        both = with_items(TAXI, replace(TAXI, key="expense:2", day=THU, amount=eur(31)))
        self.assertEqual([f.text for f in run(both, rules)], ["Taxi, pier is 4.60 over the 15.00 limit for Taxi.", "Taxi, pier is 1.00 over the 30.00 limit for Taxi."])  # fmt: skip
        stays = replace(CLAIM, nights=nights("158.00"))
        ceiling = setting("over_ceiling")
        self.assertEqual(run(stays, [replace(ceiling, since=THU)]), [])
        self.assertEqual(len(run(stays, [replace(ceiling, since=WED)])), 1)
        due = replace(CLAIM, due=FRI)
        self.assertEqual(run(due, [replace(setting("due_soon"), until=FRI)]), [])
        plan = replace(PLAN, items=(replace(TAXI, cabin="business"),))
        self.assertEqual(run(plan, [replace(setting("class_above", {"cabin": "economy"}), since=MON)]), [])
        self.assertEqual(len(run(plan, [replace(setting("class_above", {"cabin": "economy"}), until=PLAN.today)])), 1)

    def test_whom_a_rule_is_meant_for(self):
        mine = frozenset({"role:traveller", "person:4", "country:NO"})
        for groups, meant in (
            ((), True), (("role:traveller",), True), (("role:finance",), False), (("role:finance", "person:4"), True),
            (("-person:4",), False), (("-person:5",), True), (("role:traveller", "-country:NO"), False),
        ):  # fmt: skip
            with self.subTest(groups):
                self.assertEqual(setting("due_soon", groups=frozenset(groups)).meant_for(mine), meant)

    def test_two_kinds_of_one_code_are_refused(self):
        with self.assertRaises(ValueError):

            @kind
            class Again(Kind):
                code = "limit"
                title = "again"

        self.assertIn("limit", REGISTRY)

    def test_an_unknown_kind_is_an_error(self):
        with self.assertRaises(KeyError):
            run(CLAIM, [setting("no such kind")])


class ParamsTest(TestCase):
    same_on_any_day = True

    """What is typed for a kind is read by type, and everything that is wrong is said at once."""

    def test_read_as_the_data_holds_it(self):
        limit = kinds()["limit"].params
        self.assertEqual(read_params(limit, {"limit": "40", "by": "head"}, "EUR"), {"limit": "40.00", "by": "head"})
        self.assertEqual(read_params(limit, {"limit": "4000", "by": "item"}, "JPY"), {"limit": "4000", "by": "item"})
        lost = kinds()["missing_evidence"].params
        self.assertEqual(read_params(lost, {"over": "25.00", "declared_up_to": " "}, "EUR"), {"over": "25.00"})
        abroad = kinds()["trip_not_authorised"].params
        self.assertEqual(read_params(abroad, {"only_abroad": "no"}, "EUR"), {})
        self.assertEqual(read_params(abroad, {"only_abroad": "on"}, "EUR"), {"only_abroad": "yes"})

    def test_everything_that_is_wrong_at_once(self):
        for code, typed, wrong in (
            ("limit", {}, {"limit"}), ("limit", {"limit": "nan", "by": "week"}, {"limit", "by"}), ("limit", {"limit": "-1", "by": "item"}, {"limit"}),
            ("limit", {"limit": "1.001", "by": "item"}, {"limit"}), ("limit", {"limit": "1e9", "by": "item"}, {"limit"}), ("age", {"days": "2.5"}, {"days"}),
            ("age", {"days": "60", "weeks": "3"}, {"weeks"}), ("unwanted", {"words": "x" * 400}, {"words"}), ("rate_off", {"percent": "Infinity"}, {"percent"}),
        ):  # fmt: skip
            with self.subTest(code, typed=typed), self.assertRaises(ParamFaults) as refused:
                read_params(kinds()[code].params, typed, "EUR")
            self.assertEqual(set(refused.exception.faults), wrong)

    @given(st.text(max_size=30))
    def test_whatever_is_typed_is_read_so_that_the_kind_can_run_or_refused(self, typed):
        for code, each in kinds().items():
            try:
                params = read_params(each.params, {param.name: typed for param in each.params}, "EUR")
            except ParamFaults:
                continue
            run(with_items(TAXI), [setting(code, params)])
            run(replace(PLAN, items=(TAXI,)), [setting(code, params)])

    def test_what_is_proposed_can_be_kept_and_every_parameter_has_words(self):
        for code, each in kinds().items():
            with self.subTest(code):
                proposed = {
                    p.name: p.default or ("10" if p.type == "money" else "casino" if p.needed else "")
                    for p in each.params
                }
                params = read_params(each.params, proposed, "EUR")
                for param in each.params:
                    self.assertTrue(param.label)
                    if params.get(param.name):
                        self.assertIn(param.label, param.say(params[param.name], "EUR"))
