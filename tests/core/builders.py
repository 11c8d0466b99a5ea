"""Small builders for journeys, rates and people, so that a test says only what it is about."""

from datetime import date, datetime, timedelta
from decimal import Decimal

from wainwright.core.allowance import Rate, Scheme
from wainwright.core.allowance.reading import read_scheme
from wainwright.core.journey import Journey, Leg, Meal, Mode, Night, Place
from wainwright.core.money import Money

CORK = Place("ORK", "Cork", "Cork", "IE", "Europe/Dublin")
BERGEN = Place("BGO", "Bergen", "Bergen", "NO", "Europe/Oslo")
FLORO = Place("FRO", "Florø", "Florø", "NO", "Europe/Oslo")
MON = date(2026, 10, 12)
TUE, WED, THU, FRI = (MON + timedelta(days=n) for n in range(1, 5))
SINCE = date(2026, 1, 1)


def eur(amount) -> Money:
    return Money.of(str(amount), "EUR")


def at(day: date, clock: str) -> datetime:
    return datetime.combine(day, datetime.strptime(clock, "%H:%M").time())


def journey(leaves: datetime, back: datetime, nights=(), supplied=(), there: Place = BERGEN) -> Journey:
    """There and back, with nights given as (day, place)."""
    hour = timedelta(hours=1)
    legs = (
        Leg(CORK, there, Mode.AIR, leaves, leaves + 3 * hour),
        Leg(there, CORK, Mode.AIR, back - 2 * hour, back),
    )
    return Journey(legs, tuple(Night(day, place) for day, place in nights), frozenset(supplied))


def meals(**days) -> set:
    """``meals(breakfast=[TUE, WED])`` as marks."""
    return {(day, Meal(name)) for name, each in days.items() for day in each}


def scheme(*rows: dict, code: str = "A", name: str = "three quarters", since=SINCE, **more) -> Scheme:
    """A scheme from its data, as an administrator would type it: rows as dicts, ``pays`` as a share where it is a text."""
    made = [{**row, "pays": {"share": row["pays"]} if isinstance(row["pays"], str) else row["pays"]} for row in rows]
    return read_scheme({"code": code, "name": name, "since": str(since), "window": "day", "rows": made, **more}, "EUR")


ENDS = {"period": ["only", "first", "last"], "pays": "0.75"}
THREE_QUARTERS = scheme(ENDS, {"pays": "1"})


def table_rate(town: str, full, since: date = SINCE, ceiling=None) -> Rate:
    """A rate whose meals are 20, 30 and 40 % of it, incidentals the rest."""
    whole = eur(full)
    breakfast, lunch, dinner = (whole.times(Decimal(n) / 10) for n in (2, 3, 4))
    table = {Meal.BREAKFAST: breakfast, Meal.LUNCH: lunch, Meal.DINNER: dinner}
    rest = whole - breakfast - lunch - dinner
    return Rate(town, "NO", since, whole, table, rest, eur(ceiling) if ceiling else None)
