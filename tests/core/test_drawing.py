"""The day ribbon and the field: right for one day, five, twenty-one; nothing overlaps."""

from datetime import datetime, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.builders import (
    BERGEN,
    CORK,
    FLORO,
    FRI,
    MON,
    THREE_QUARTERS,
    TUE,
    WED,
    at,
    eur,
    journey,
    meals,
    table_rate,
)
from wainwright.core.allowance import Rate, allowed_night, daily_allowance
from wainwright.core.journey import Journey, Leg, Mode
from wainwright.drawing.field import Flight, draw_field
from wainwright.drawing.ribbon import LETTER, RibbonData, Spend, day_range, draw

RATES = [Rate("", "", MON.replace(day=1), eur(40)), table_rate("Bergen", "58.00", ceiling="150.00")]


def ribbon(trip, spends=()):
    allowance = daily_allowance(trip, THREE_QUARTERS, RATES, "EUR")
    nights = [allowed_night(n, eur("142.00"), THREE_QUARTERS, RATES) for n in trip.nights]
    return draw(RibbonData(trip, allowance, nights, list(spends)))


def texts_clear(drawn) -> bool:
    """No two labels of moves on the same height meet."""
    for one in drawn.moves:
        for other in drawn.moves:
            if (
                one is not other
                and one.y == other.y
                and one.text_x <= other.text_x
                and one.text_x + len(one.label) * LETTER > other.text_x
            ):
                return False
    return True


class RibbonTest(TestCase):
    def test_one_day_five_days_twenty_one(self):
        for days, width in [(1, 440), (5, 221 * 5), (21, 168 * 21)]:
            with self.subTest(days):
                nights = [(MON + timedelta(days=n), BERGEN) for n in range(days - 1)]
                drawn = ribbon(journey(at(MON, "06:00"), at(MON + timedelta(days=days - 1), "21:00"), nights))
                self.assertEqual((len(drawn.columns), drawn.width, len(drawn.meals)), (days, width, days * 3))

    def test_nothing_to_draw_without_legs(self):
        self.assertIsNone(
            draw(RibbonData(Journey(()), daily_allowance(Journey(()), THREE_QUARTERS, RATES, "EUR"), [], []))
        )

    def test_a_leg_over_midnight_runs_on(self):
        legs = (
            Leg(BERGEN, FLORO, Mode.FERRY, at(MON, "22:00"), at(TUE, "05:00")),
            Leg(FLORO, CORK, Mode.AIR, at(WED, "10:00"), at(WED, "13:00")),
        )
        drawn = ribbon(Journey(legs))
        ferry = drawn.moves[0]
        self.assertLess(ferry.x, drawn.columns[1].x)
        self.assertGreater(ferry.x + ferry.width, drawn.columns[1].x)

    def test_two_moves_close_together_take_two_tracks(self):
        legs = (Leg(CORK, BERGEN, Mode.AIR, at(MON, "09:00"), at(MON, "10:30")), Leg(BERGEN, FLORO, Mode.TAXI, at(MON, "10:40"), at(MON, "11:00")),
                Leg(FLORO, CORK, Mode.AIR, at(FRI, "10:00"), at(FRI, "12:00")))  # fmt: skip
        drawn = ribbon(Journey(legs))
        self.assertNotEqual(drawn.moves[0].y, drawn.moves[1].y)
        self.assertTrue(texts_clear(drawn))

    @settings(max_examples=40)
    @given(st.lists(st.integers(10, 900), min_size=1, max_size=12))
    def test_labels_never_meet_and_stay_inside(self, gaps):
        moment, legs = datetime(2026, 10, 12, 5), []
        for gap in gaps:
            legs.append(Leg(BERGEN, FLORO, Mode.HIRE_CAR, moment, moment + timedelta(minutes=gap)))
            moment += timedelta(minutes=gap + 5)
        drawn = ribbon(Journey(tuple(legs)))
        self.assertTrue(texts_clear(drawn))
        self.assertTrue(all(m.text_x >= 0 and m.text_x + len(m.label) * LETTER <= drawn.width for m in drawn.moves))

    def test_meals_allowance_money_and_totals(self):
        trip = journey(at(MON, "09:20"), at(WED, "18:05"), [(MON, BERGEN), (TUE, BERGEN)], meals(lunch=[TUE]))
        drawn = ribbon(
            trip,
            [
                Spend(MON, "A very long name of a shop that cannot fit " * 3, eur("54.00"), False, False),
                Spend(TUE, "Salts", eur("61.75"), True, True),
            ],
        )
        states = {cell.key: cell.state for cell in drawn.meals}
        self.assertEqual(
            (
                states["2026-10-12:breakfast"],
                states["2026-10-13:lunch"],
                states["2026-10-13:dinner"],
                states["2026-10-14:dinner"],
            ),
            ("away", "supplied", "counted", "away"),
        )
        self.assertEqual([a.text for a in drawn.allowances], ["43.50", "40.60", "43.50"])
        self.assertTrue(drawn.spends[0].label.endswith("…"))
        self.assertEqual((drawn.spends[0].full[:6], drawn.spends[0].proven), ("A very", False))
        self.assertEqual([t.amount for t in drawn.totals], ["97.50", "102.35", "43.50"])

    def test_spans_of_days(self):
        self.assertEqual([day_range(MON, FRI), day_range(MON, MON), day_range(None, None), day_range(MON, MON + timedelta(days=30))],
                         ["12 – 16 October 2026", "12 October 2026", "no dates yet", "12 October – 11 November 2026"])  # fmt: skip


class FieldTest(TestCase):
    def flights(self, number):
        return [
            Flight(
                str(n),
                f"F{n}",
                [(at(MON, f"{6 + n % 14:02}:00"), at(MON, f"{7 + n % 14:02}:30"))],
                Decimal(100 + n * 3 % 40),
                n % 2 == 0,
                n == 1,
                n == 2,
            )
            for n in range(number)
        ]

    @given(st.lists(st.integers(5, 20_000), min_size=1, max_size=30))
    def test_the_side_has_marks_enough_to_read_a_price(self, prices):
        hours = [(at(MON, "08:00"), at(MON, "10:00"))]
        flights = [Flight(str(n), f"F{n}", hours, Decimal(p), False, False, False) for n, p in enumerate(prices)]
        drawn = draw_field(flights, None)
        self.assertTrue(2 <= len(drawn.prices) <= 9, drawn.prices)
        steps = {round(a[0] - b[0]) for a, b in zip(drawn.prices, drawn.prices[1:], strict=False)}
        self.assertLessEqual(max(steps) - min(steps), 1)
        self.assertTrue(all(way.price for way in drawn.ways))

    def test_sixty_ways_stay_apart(self):
        drawn = draw_field(self.flights(60), Decimal(120))
        for one in drawn.ways:
            for other in drawn.ways:
                if one is not other and one.left < other.right and other.left < one.right and one.y > 40:
                    self.assertGreaterEqual(abs(one.y - other.y), 8.9)
        self.assertIn("above 120", drawn.limit[1])

    def test_one_way_and_none(self):
        self.assertIsNone(draw_field([], None))
        drawn = draw_field(self.flights(1), None)
        self.assertEqual((len(drawn.ways), drawn.limit), (1, None))
