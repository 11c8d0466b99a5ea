"""How far people drove, with which vehicle, in which band of the year, and what it earned."""

from collections import defaultdict
from datetime import date
from decimal import Decimal

from wainwright.core.mileage import MileageRate, mileage_year, rate_on
from wainwright.core.said import kept, say
from wainwright.core.states import CLAIM_SENT
from wainwright.core.table import Column, Row, Table, column_sum
from wainwright.core.workings import plain
from wainwright.expenses.models import Expense
from wainwright.reports.asked import Asked
from wainwright.reports.dims import person
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report

COLUMNS = (
    Column("person", say("person")), Column("vehicle", say("vehicle")), Column("band", say("band of the year")), Column("rides", say("rides"), "count"),
    Column("distance", say("distance"), "number"), Column("unit", say("unit")), Column("amount", say("earned"), "money"),
)  # fmt: skip
Band = tuple[int, str, int, str]


def bands_of(rate: MileageRate, km: Decimal, so_far: Decimal) -> list[tuple[int, Decimal, Decimal]]:
    """How much of a ride falls into each band of a rate, in its own unit, and what that earns: (band, distance, amount)."""
    found, left, done = [], rate.distance(km), rate.distance(so_far)
    for n, (upper, amount) in enumerate(rate.bands):
        room = left if upper is None else max(Decimal(0), min(left, upper - done))
        if room:
            found.append((n, room, room * amount))
            left, done = left - room, done + room
    return found


def _named(rate: MileageRate, band: int) -> str:
    """A band in words: from where to where, at which rate."""
    lower = rate.bands[band - 1][0] if band else Decimal(0)
    upper, amount = rate.bands[band]
    reach = (
        say("above {lower}", lower=plain(lower or Decimal(0)))
        if upper is None
        else say("up to {upper}", upper=plain(upper))
    )
    return say(
        "{reach} {unit} at {amount}", reach=reach if len(rate.bands) > 1 else "all", unit=rate.unit, amount=amount
    )


def table(reader: Reader, asked: Asked) -> Table:
    """A row for each person, vehicle and band of sent claims. What a ride earned stands as it was claimed; its bands follow the year so far."""
    policy = reader.book.policy
    first, _ = mileage_year(asked.days.since, policy.mileage_month, policy.mileage_day)
    rows = Expense.objects.filter(
        firm=reader.firm,
        kind=Expense.Kind.MILEAGE,
        claim__state__in=CLAIM_SENT,
        personal=False,
        date__range=(first, asked.days.until),
    )
    people = asked.people()
    if not reader.all:
        rows = rows.filter(owner=reader.member)
    if people:
        rows = rows.filter(owner__in=people)
    driven: dict[tuple[int, str, date], Decimal] = defaultdict(Decimal)
    found: dict[Band, list[Decimal]] = {}
    for owner, vehicle, day, km, minor in rows.order_by("date", "pk").values_list(
        "owner_id", "vehicle", "date", "km", "amount_minor"
    ):
        year = mileage_year(day, policy.mileage_month, policy.mileage_day)[0]
        so_far, km = driven[owner, vehicle, year], km or Decimal(0)
        driven[owner, vehicle, year] = so_far + km
        if day < asked.days.since:
            continue
        _add(found, reader, (owner, vehicle, day), km, so_far, reader.money(minor))
    names = reader.people(key[0] for key in found)
    shown = [
        Row(
            (
                names.get(key[0], ""),
                kept(key[1]),
                key[3],
                int(values[0]),
                round(values[1], 1),
                _unit(key[3]),
                values[2],
            ),
            (("person", str(key[0])),),
            _rides(key[0], asked),
        )
        for key, values in sorted(found.items(), key=lambda item: (names.get(item[0][0], ""), item[0][1], item[0][2]))
    ]
    total = (
        say("All"),
        "",
        "",
        int(column_sum(shown, 3)),
        None,
        "",
        column_sum(shown, 6),
    )
    return Table(
        COLUMNS,
        tuple(shown),
        total if shown else (),
        (say("A ride that reaches into the next band stands in both, and counts as a ride in the first."),),
    )


def _rides(owner: int, asked: Asked) -> str:
    """Where somebody's rides of the time stand one by one."""
    days = f"span=days&since={asked.days.since}&until={asked.days.until}"
    return f"/reports/spend-by-category/things/?of=category:mileage&of=person:{owner}&of=stage:spent&{days}"


def _add(
    found: dict[Band, list[Decimal]],
    reader: Reader,
    ride: tuple[int, str, date],
    km: Decimal,
    so_far: Decimal,
    earned: Decimal,
) -> None:
    """Add a ride to its bands: what it earned is shared as its bands earn, and comes to what was claimed exactly."""
    owner, vehicle, day = ride
    try:
        rate = rate_on(reader.book.mileage, vehicle, day)
        pieces = [(n, _named(rate, n), distance, amount) for n, distance, amount in bands_of(rate, km, so_far)]
    except LookupError:
        pieces = []
    pieces = pieces or [(0, say("no rate of that day, km"), km, Decimal(0))]
    whole, left = sum((piece[3] for piece in pieces), Decimal(0)), earned
    for place, (n, name, distance, amount) in enumerate(pieces):
        last = place == len(pieces) - 1
        part = left if last or not whole else (earned * amount / whole).quantize(Decimal("0.01"))
        left -= part
        have = found.setdefault((owner, vehicle, n, name), [Decimal(0)] * 3)
        have[0] += 0 if place else 1
        have[1] += distance
        have[2] += part


def _unit(band: str) -> str:
    return "mi" if " mi at " in band else "km"


REPORT = Report(
    "mileage", say("Mileage"), say("How far does who drive, with what, in which band, and what does it earn?"), say("Travel"), table=table, figure="amount",
    dims=lambda reader: [person("owner_id")],
)  # fmt: skip
