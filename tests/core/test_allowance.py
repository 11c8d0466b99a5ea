"""The worked examples of the daily allowance, lodging, and what must always hold."""

from dataclasses import replace
from datetime import date, datetime, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import (
    BERGEN,
    CORK,
    ENDS,
    FLORO,
    FRI,
    MON,
    SINCE,
    THREE_QUARTERS,
    THU,
    TUE,
    WED,
    at,
    eur,
    journey,
    meals,
    scheme,
    table_rate,
)
from wainwright.core.allowance import (
    MealRule,
    NightRule,
    NoRate,
    Rate,
    allowed_night,
    daily_allowance,
    flat_nights,
    like_days,
    rate_for,
)
from wainwright.core.allowance.days import Grants
from wainwright.core.allowance.scheme import Rates
from wainwright.core.fx import RateTable
from wainwright.core.journey import Journey, Leg, Meal, Mode, Night
from wainwright.core.money import Money, total

D = Decimal
SHARES = {"by": "share", "shares": {"breakfast": "0.2", "lunch": "0.4", "dinner": "0.4"}}
HALF = scheme({"period": ["only", "first", "last"], "pays": "0.5"}, {"pays": "1"}, code="B", meals=SHARES)
HOURS24 = scheme(
    {"period": "whole", "pays": "1"}, {"from": 12, "pays": "1"}, {"from": 6, "pays": "0.5"}, code="C", window="24h"
)  # fmt: skip
TWELFTHS = scheme({"period": "whole", "pays": "1"}, {"over": 3, "pays": {"hourly": 12}}, code="D")
CLOCK = scheme(
    {"left_from": "12:00", "pays": "0.5"}, {"back_until": "19:00", "pays": "0.5"}, {"pays": "1"}, code="E"
)  # fmt: skip


TABLE = RateTable("EUR", {MON - timedelta(days=2): {"NOK": D(10)}}, "a table")


def nok(amount):
    return Money.of(str(amount), "NOK")


def flat(amount):
    return [Rate("", "NO", SINCE, eur(amount))]


def amounts(result):
    return [str(day.amount.amount) for day in result.days]


class ExamplesTest(TestCase):
    def test_1_three_quarters_at_the_ends_and_a_meal_table(self):
        trip = journey(
            at(MON, "09:20"),
            at(FRI, "18:05"),
            [(d, BERGEN) for d in (MON, TUE, WED, THU)],
            meals(breakfast=[TUE, WED, THU, FRI], lunch=[WED]),
        )
        got = daily_allowance(trip, THREE_QUARTERS, [table_rate("Bergen", "58.00")], "EUR")
        self.assertEqual(amounts(got), ["43.50", "46.40", "29.00", "46.40", "31.90"])
        self.assertEqual(got.amount, eur("197.20"))
        self.assertEqual(
            got.days[0].workings.lines()[0],
            "Mon 12 Oct: first day, three quarters of 58.00 Bergen (A) from 1 Jan 2026: 43.50",
        )

    def test_2_half_at_the_ends_and_shares_of_the_full_day(self):
        def run(*marks):
            trip = journey(at(MON, "10:00"), at(WED, "15:00"), [(MON, BERGEN), (TUE, BERGEN)], set().union(*marks))
            return daily_allowance(trip, HALF, flat("40.00"), "EUR")

        usual = meals(dinner=[MON], lunch=[TUE], breakfast=[WED])
        got = run(usual)
        self.assertEqual((amounts(got), got.amount), (["4.00", "24.00", "12.00"], eur("40.00")))
        self.assertEqual(amounts(run(usual, meals(breakfast=[MON])))[0], "0.00")

    def test_3_twenty_four_hours_from_leaving(self):
        # Bergen is an hour ahead of Cork; both ends are in Cork, so the hours are those of its clock.
        for back, wanted in [("20:30", "175.00"), ("19:59", "150.00"), ("20:00", "175.00")]:
            with self.subTest(back):
                trip = journey(at(MON, "14:00"), at(THU, back), [(d, BERGEN) for d in (MON, TUE, WED)])
                self.assertEqual(daily_allowance(trip, HOURS24, flat("50.00"), "EUR").amount, eur(wanted))

    def test_4_twelfths(self):
        for back, wanted in [("13:50", "18.20"), ("10:20", "0.00"), ("18:25", "31.20"), ("10:21", "10.40")]:
            with self.subTest(back):
                day = (
                    Leg(CORK, BERGEN, Mode.AIR, at(MON, "07:20"), at(MON, "08:25")),
                    Leg(BERGEN, CORK, Mode.AIR, at(MON, "10:00"), at(MON, back)),
                )
                got = daily_allowance(Journey(day), TWELFTHS, flat("31.20"), "EUR")
                self.assertEqual(got.amount, eur(wanted))

    def test_5_clock_times(self):
        trip = journey(at(MON, "12:10"), at(WED, "19:30"), [(MON, BERGEN), (TUE, BERGEN)])
        self.assertEqual(amounts(daily_allowance(trip, CLOCK, flat("30.00"), "EUR")), ["15.00", "30.00", "30.00"])
        edge = journey(at(MON, "12:00"), at(WED, "19:00"), [(MON, BERGEN), (TUE, BERGEN)])
        self.assertEqual(amounts(daily_allowance(edge, CLOCK, flat("30.00"), "EUR")), ["15.00", "30.00", "15.00"])

    def test_6_two_places(self):
        trip = journey(at(MON, "09:20"), at(FRI, "18:05"), [(MON, BERGEN), (TUE, BERGEN), (WED, FLORO), (THU, FLORO)])
        rates = [table_rate("Bergen", "58.00"), table_rate("Florø", "52.00")]
        got = daily_allowance(trip, THREE_QUARTERS, rates, "EUR")
        self.assertEqual(amounts(got), ["43.50", "58.00", "52.00", "52.00", "39.00"])
        self.assertEqual(got.amount, eur("244.50"))

    def test_7_hours_are_elapsed_hours_over_the_change_of_clocks(self):
        saturday = date(2026, 10, 24)
        trip = journey(at(saturday, "20:00"), at(saturday + timedelta(days=1), "20:00"), [(saturday, BERGEN)])
        self.assertEqual(trip.elapsed_hours(), 25)
        self.assertEqual(len(trip.days()), 2)


class PartsOfTheSchemeTest(TestCase):
    def test_least_time_earns_nothing_and_says_so(self):
        trip = journey(at(MON, "08:00"), at(MON, "15:00"))
        least = scheme({"journey_from": 8, "pays": "1"})
        got = daily_allowance(trip, least, flat("30.00"), "EUR")
        self.assertEqual(got.amount, eur(0))
        self.assertIn("single day, 7 h: no row of the scheme fits, nothing is earned", got.workings.lines()[0])

    def test_under_way_at_midnight_counts_for_the_place_left_or_the_next(self):
        legs = (
            Leg(BERGEN, FLORO, Mode.FERRY, at(MON, "22:00"), at(TUE, "05:00")),
            Leg(FLORO, CORK, Mode.AIR, at(WED, "10:00"), at(WED, "14:00")),
        )
        trip = Journey(legs, (Night(TUE, FLORO),))
        rates = [table_rate("Bergen", "58.00"), table_rate("Florø", "52.00")]
        left = daily_allowance(trip, THREE_QUARTERS, rates, "EUR")
        following = daily_allowance(trip, scheme(ENDS, {"pays": "1"}, places={"under_way": "next"}), rates, "EUR")
        self.assertEqual((left.days[0].place, following.days[0].place), (BERGEN, FLORO))

    def test_meals_in_proportion_and_incidentals_kept(self):
        trip = journey(at(MON, "09:00"), at(WED, "18:00"), [(MON, BERGEN), (TUE, BERGEN)], meals(lunch=[MON]))
        rule = MealRule("table", part_day="proportion")
        got = daily_allowance(trip, replace(THREE_QUARTERS, meals=rule), [table_rate("Bergen", "58.00")], "EUR")
        self.assertEqual(got.days[0].amount, eur("43.50") - eur("13.05"))
        kept = replace(THREE_QUARTERS, meals=MealRule("table", floor="incidentals"))
        got = daily_allowance(trip, kept, [table_rate("Bergen", "58.00")], "EUR", Grants(meals_throughout=True))
        self.assertEqual([day.amount for day in got.days], [eur("5.80"), eur("5.80"), eur("5.80")])

    def test_long_stay(self):
        nights = [(MON + timedelta(days=n), BERGEN) for n in range(6)]
        trip = journey(at(MON, "09:00"), at(MON + timedelta(days=6), "18:00"), nights)
        long = scheme(ENDS, {"pays": "1"}, long_stay={"steps": [{"after": "3 days", "share": "0.5"}]})
        got = daily_allowance(trip, long, [table_rate("Bergen", "58.00")], "EUR")
        self.assertEqual(amounts(got)[2:5], ["58.00", "29.00", "29.00"])

    def test_hour_table_by_calendar_day(self):
        table = scheme({"from": 14, "pays": "1"}, {"from": 8, "pays": "0.5"}, code="F")
        trip = journey(at(MON, "09:00"), at(TUE, "09:00"), [(MON, BERGEN)])
        self.assertEqual(amounts(daily_allowance(trip, table, flat("40.00"), "EUR")), ["40.00", "20.00"])

    def test_a_meal_after_the_last_window_still_counts(self):
        trip = journey(at(MON, "14:00"), at(WED, "13:00"), [(MON, BERGEN), (TUE, BERGEN)], meals(breakfast=[WED]))
        cut = replace(HOURS24, meals=MealRule("share", {(Meal.BREAKFAST,): D("0.2")}))
        got = daily_allowance(trip, cut, flat("50.00"), "EUR")
        self.assertEqual(got.days[-1].amount, eur("40.00"))

    def test_rates_by_town_country_and_season(self):
        country = Rate("", "NO", SINCE, eur("40"))
        town = table_rate("Bergen", "58.00")
        season = replace(table_rate("Bergen", "66.00", date(2026, 6, 1)), until=date(2026, 8, 31))
        rates = [country, town, season]
        self.assertIs(rate_for(rates, FLORO, MON), country)
        self.assertIs(rate_for(rates, BERGEN, MON), town)
        self.assertIs(rate_for(rates, BERGEN, date(2026, 7, 1)), season)
        with self.assertRaisesRegex(NoRate, "no rate for Cork on 12 Oct 2026"):
            rate_for(rates, CORK, MON)

    def test_a_rate_holds_under_every_name_of_its_town(self):
        country = Rate("", "NO", SINCE, eur("40"))
        town = replace(table_rate("Bjoergvin", "58.00"), called=("Bergen",))
        for rates in ([country, town], Rates([country, town])):
            self.assertIs(rate_for(rates, BERGEN, MON), town)
            self.assertIs(rate_for(rates, replace(BERGEN, town="BJOERGVIN"), MON), town)
            self.assertIs(rate_for(rates, FLORO, MON), country)
        self.assertEqual((town.label, town.names, country.names), ("Bjoergvin", ("bjoergvin", "bergen"), ("",)))

    def test_days_alike_are_found(self):
        trip = journey(at(MON, "09:00"), at(FRI, "18:00"), [(MON, BERGEN), (TUE, BERGEN), (WED, BERGEN), (THU, FLORO)])
        self.assertEqual(like_days(trip, TUE), [TUE, WED])
        self.assertEqual(like_days(trip, MON), [MON])


class LodgingTest(TestCase):
    rates = [table_rate("Florø", "52.00", ceiling="130.00")]

    def test_what_is_over_is_shown_and_not_allowed(self):
        got = allowed_night(Night(WED, FLORO, "Florø Rooms"), eur("158.00"), THREE_QUARTERS, self.rates)
        self.assertEqual((got.allowed, got.over), (eur("130.00"), eur("28.00")))

    def test_tax_outside_the_ceiling(self):
        outside = replace(THREE_QUARTERS, nights=NightRule(tax_outside_ceiling=True))
        got = allowed_night(Night(WED, FLORO), eur("158.00"), outside, self.rates, tax=eur("20.00"))
        self.assertEqual(got.over, eur("8.00"))

    def test_permission_and_its_share(self):
        lifted = allowed_night(Night(WED, FLORO), eur("158.00"), THREE_QUARTERS, self.rates, lifted=True)
        self.assertEqual(lifted.over, eur(0))
        share = replace(THREE_QUARTERS, actual_cost_share=D("1.2"))
        self.assertEqual(allowed_night(Night(WED, FLORO), eur("158"), share, self.rates, lifted=True).over, eur(2))

    def test_supplied_quarters_and_flat_nights(self):
        self.assertEqual(allowed_night(Night(WED, FLORO, supplied=True), eur(0), THREE_QUARTERS, []).allowed, eur(0))
        trip = journey(at(MON, "09:00"), at(WED, "18:00"), [(MON, BERGEN), (TUE, BERGEN)])
        rates = flat("30.00")
        paid = replace(THREE_QUARTERS, nights=NightRule(flat=eur("20.00")))
        self.assertEqual(flat_nights(trip, paid, rates, "EUR").amount, eur("40.00"))
        self.assertEqual(flat_nights(trip, paid, rates, "EUR", billed=[MON]).amount, eur("20.00"))
        self.assertEqual(flat_nights(trip, THREE_QUARTERS, rates, "EUR").amount, eur(0))
        dear = [replace(rates[0], flat_night=eur("35.00"))]
        self.assertEqual(flat_nights(trip, paid, dear, "EUR").amount, eur("70.00"))

    def test_a_flat_sum_by_place_and_kind_of_lodging(self):
        paid = replace(THREE_QUARTERS, nights=NightRule(flat=eur("20.00")))
        own = [
            replace(flat("30.00")[0], flat_night=eur("35.00"), flats={"private": eur("12.50"), "hotel": eur("0.00")})
        ]
        for lodging, wanted in (("", "35.00"), ("private", "12.50"), ("hotel", "0.00"), ("camp", "35.00")):
            trip = journey(at(MON, "09:00"), at(TUE, "18:00"), [(MON, BERGEN)])
            trip = replace(trip, nights=(replace(trip.nights[0], lodging=lodging),))
            self.assertEqual(flat_nights(trip, paid, own, "EUR").amount, eur(wanted), lodging)

    def test_a_ceiling_by_kind_of_lodging_and_in_another_currency(self):
        rate = replace(self.rates[0], ceilings={"private": eur("60.00")})
        self.assertEqual(
            allowed_night(Night(WED, FLORO, lodging="private"), eur("70"), THREE_QUARTERS, [rate]).over, eur(10)
        )
        self.assertEqual(
            allowed_night(Night(WED, FLORO, lodging="hotel"), eur("70"), THREE_QUARTERS, [rate]).over, eur(0)
        )
        crowns = Rate("", "NO", SINCE, nok("500"), ceiling=nok("1000"))
        got = allowed_night(Night(WED, FLORO), eur("120"), THREE_QUARTERS, [crowns], table=TABLE)
        self.assertEqual((got.ceiling, got.over), (eur(100), eur(20)))
        with self.assertRaisesRegex(NoRate, "no rate for NOK"):
            allowed_night(Night(WED, FLORO), eur("120"), THREE_QUARTERS, [crowns])


@st.composite
def journeys(draw):
    start = datetime(2026, 10, 1, draw(st.integers(0, 23)), draw(st.integers(0, 59)))
    back = start + timedelta(minutes=draw(st.integers(6 * 60, 30 * 24 * 60)))
    days = [start.date() + timedelta(days=n) for n in range((back.date() - start.date()).days + 1)]
    nights = [(day, draw(st.sampled_from([BERGEN, FLORO]))) for day in days[:-1] if draw(st.booleans())]
    marks = {(day, meal) for day in days for meal in Meal if draw(st.booleans())}
    return journey(start, back, nights, marks)


ANY = [Rate("", "", SINCE, eur("40.00")), table_rate("Bergen", "58.00"), table_rate("Florø", "52.00")]


class AlwaysTest(TestCase):
    @given(
        journeys(),
        st.sampled_from([THREE_QUARTERS, HALF, HOURS24, TWELFTHS, CLOCK]),
        st.sampled_from(["full", "proportion"]),
        st.sampled_from(["zero", "incidentals"]),
    )
    def test_never_negative_never_above_the_full_rate_and_sums_up(self, trip, scheme, part_day, floor):
        scheme = replace(scheme, meals=replace(scheme.meals, part_day=part_day, floor=floor))
        got = daily_allowance(trip, scheme, ANY, "EUR")
        for day in got.days:
            self.assertGreaterEqual(day.amount, eur(0))
            self.assertLessEqual(day.amount, day.rate.full)
        self.assertEqual(total((day.amount for day in got.days), "EUR"), got.amount)
