"""Mileage rates as an administrator keeps them: each from a day on, typed or from a table; what has begun is not rewritten."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal, InvalidOperation

from django.db import transaction

from wainwright import clock
from wainwright.core.said import joined, said_by, say
from wainwright.core.text import decimal, one_line
from wainwright.core.workings import day_text, plain
from wainwright.errors import Faults, Refusal, Stale
from wainwright.fields import plain_number
from wainwright.formats.apart import apart
from wainwright.formats.problems import Unreadable
from wainwright.formats.tables import write_csv
from wainwright.formats.written import read_day
from wainwright.people.models import Firm, Membership
from wainwright.rulebook.holding import FARTHEST, locked, renew
from wainwright.rulebook.models import MileageRateRow
from wainwright.trail.services import record

UNITS = ("km", "mi")
MOST_BANDS, MOST_BYTES, MOST_ROWS = 12, 500_000, 5_000
AT_MOST = Decimal(1000)
COLUMNS = ("vehicle", "unit", "from", "up to", "rate", "passenger")


@dataclass(frozen=True)
class MileageTyped:
    """A rate as it is typed: bands a line each, "5000 0.42", the last without an upper end."""

    vehicle: str
    unit: str
    since: date | None
    bands: str
    passenger: str = ""


@dataclass
class Line:
    """A rate of a table: its first row, what it says, and what is wrong with it."""

    number: int
    row: MileageRateRow | None = None
    faults: list[str] = field(default_factory=list)


def subject(firm_id: int) -> str:
    """Return the name of a firm's mileage rates in the trail."""
    return f"mileage:{firm_id}"


def words_of(row: MileageRateRow) -> str:
    """Return the bands of a rate in words; one without bands ends the rate before it."""
    if not row.bands:
        return say("no rate any more")
    said = [
        say("up to {decimal} {unit}: {rate}", decimal=plain(Decimal(str(upper))), unit=row.unit, rate=rate)
        if upper is not None
        else say("beyond: {rate}", rate=rate)
        for upper, rate in row.bands
    ]
    return joined("; ", said) if len(said) > 1 else say("{rate} a {unit}", rate=row.bands[0][1], unit=row.unit)


def typed_bands(row: MileageRateRow) -> str:
    """Return the bands of a rate as they are typed."""
    return "\n".join(
        joined("", (plain(Decimal(str(upper))), " ", rate)) if upper is not None else f"{rate}"
        for upper, rate in row.bands
    )


def read_rate(firm: Firm, typed: MileageTyped, today: date) -> MileageRateRow:
    """Return what is typed as a rate, not kept. Raises ``Faults`` with everything that is wrong."""
    faults: dict[str, str] = {}
    vehicle = one_line(typed.vehicle, 20).strip().lower()
    if not vehicle:
        faults["vehicle"] = say("Say which kind of vehicle, as car.")
    if typed.unit not in UNITS:
        faults["unit"] = say("Choose km or miles.")
    if typed.since is None or not today <= typed.since <= today + FARTHEST:
        faults["since"] = say(
            "Choose from which day on: today or later, within two years. What was driven before stays as it was paid."
        )
    bands = _bands(typed.bands, faults)
    passenger = _number(typed.passenger or "0")
    if passenger is None or not 0 <= passenger < AT_MOST:
        faults["passenger"] = say("Say what each passenger adds, as 0.04; empty: nothing.")
    if faults or typed.since is None or passenger is None:
        raise Faults(faults)
    return MileageRateRow(
        firm=firm, vehicle=vehicle, unit=typed.unit, since=typed.since, bands=bands, passenger=passenger
    )


def _bands(text: str, faults: dict[str, str]) -> list[list[object]]:
    lines = [line.split() for line in text.replace("beyond", "").replace(":", " ").splitlines() if line.strip()]
    found: list[list[object]] = []
    before = Decimal(0)
    for n, words in enumerate(lines, 1):
        last = n == len(lines)
        numbers = [_number(word, 0 if len(words) == 2 and at == 0 else 4) for at, word in enumerate(words)]
        if None in numbers or len(words) != (1 if last else 2):
            faults["bands"] = (
                say("Line {n}: the last line is the rate beyond alone, as 0.28.", n=n)
                if last
                else say("Line {n}: type up to how far, and the rate, as 5000 0.42.", n=n)
            )
            return []
        upper, rate = (None, numbers[0]) if last else numbers
        if rate is None or not 0 < rate < AT_MOST:
            faults["bands"] = say("Line {n}: a rate is above zero, and below {at_most}.", n=n, at_most=AT_MOST)
        elif upper is not None and not before < upper <= 1_000_000:
            faults["bands"] = say("Line {n}: bands stand in their order, each further than the one before.", n=n)
        before = upper if upper is not None else before
        found.append([None if upper is None else int(upper), f"{rate}"])
    if not found or len(found) > MOST_BANDS:
        faults["bands"] = say("Type the rate, or up to {most_bands} bands.", most_bands=MOST_BANDS)
    return found


def _number(text: str, decimals: int = 4) -> Decimal | None:
    try:
        value = decimal(plain_number(text, decimals))
    except (InvalidOperation, ArithmeticError):
        return None
    return value if value.is_finite() and value == round(value, decimals) else None


@transaction.atomic
def add_rate(by: Membership, typed: MileageTyped) -> MileageRateRow:
    """Put a rate in force from a day on; the one before holds until then. Raises ``NotAllowed``, ``Faults``."""
    firm = locked(by)
    row = read_rate(firm, typed, clock.today(firm.zone))
    _free(firm, row)
    row.save()
    renew(firm)
    record(by, say("put a mileage rate in force"), subject(firm.pk), after=_said(row))
    return row


def _free(firm: Firm, row: MileageRateRow) -> None:
    if MileageRateRow.objects.filter(firm=firm, vehicle=row.vehicle, since=row.since).exists():
        raise Faults(
            {
                "since": say(
                    "A rate of {vehicle} begins on that day already. Choose another, or take that one out.",
                    vehicle=row.vehicle,
                )
            }
        )


@transaction.atomic
def end_vehicle(by: Membership, vehicle: str, since: date | None) -> MileageRateRow:
    """Say from which day on a kind of vehicle has no rate any more. Raises ``NotAllowed``, ``Refusal``."""
    firm = locked(by)
    today = clock.today(firm.zone)
    if since is None or not today < since <= today + FARTHEST:
        raise Refusal(say("Choose from which day on there is none: after today, within two years."), "since")
    rows = MileageRateRow.objects.filter(firm=firm, vehicle=vehicle)
    if not rows.exists():
        raise Stale(say("There is no rate of {vehicle} any more.", vehicle=vehicle[:20]))
    if rows.filter(since__gte=since).exists():
        raise Refusal(say("A rate of it begins on that day or later. Take that one out first."), "since")
    last = rows.order_by("-since")[0]
    if not last.bands:
        raise Refusal(say("It ends on {since} already.", since=day_text(last.since, year=True)), "since")
    row = MileageRateRow.objects.create(firm=firm, vehicle=vehicle, unit=last.unit, since=since, bands=[], passenger=0)
    renew(firm)
    record(by, say("ended a mileage rate"), subject(firm.pk), before=_said(last), after=_said(row))
    return row


@transaction.atomic
def take_out(by: Membership, row_id: int) -> MileageRateRow:
    """Take a rate out that has not begun. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    firm = locked(by)
    row = MileageRateRow.objects.filter(firm=firm, pk=row_id).first()
    if row is None:
        raise Stale(say("That rate is gone: somebody took it out meanwhile."))
    if row.since <= clock.today(firm.zone):
        raise Refusal(say("It has begun: rides were paid by it. Put another in force from a day on."))
    record(by, say("took a mileage rate out before it began"), subject(firm.pk), before=_said(row))
    row.delete()
    renew(firm)
    return row


def read_table(firm: Firm, content: bytes) -> list[Line]:
    """Return the rates of a table with what is wrong at each; nothing is kept. Raises ``Refusal``."""
    if not content or len(content) > MOST_BYTES:
        raise Refusal(say("Choose a file, up to 500 KB."), "file")
    try:
        rows = apart("mileage", content)
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    today = clock.today(firm.zone)
    there = set(MileageRateRow.objects.filter(firm=firm).values_list("vehicle", "since"))
    grouped: dict[tuple[str, str, str], list[tuple[int, Mapping[str, str]]]] = {}
    for number, cells in rows:
        key = (cells.get("vehicle", ""), cells.get("unit", "") or "km", cells.get("since", ""))
        grouped.setdefault(key, []).append((number, cells))
    return [_line(firm, key, of_rate, there, today) for key, of_rate in grouped.items()]


def table_text(content: bytes) -> str:
    """Return the rows of a table as plain CSV, to be sent again with what was decided. Raises ``Refusal``."""
    try:
        rows = apart("mileage", content)
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    names = ("vehicle", "unit", "since", "up to", "rate", "passenger")
    return "".join(write_csv(COLUMNS, ([cells.get(name, "") for name in names] for _, cells in rows)))


def _line(
    firm: Firm, key: tuple[str, str, str], rows: Sequence[tuple[int, Mapping[str, str]]], there: set[tuple[str, date]], today: date
) -> Line:  # fmt: skip
    vehicle, unit, begins = key
    line = Line(rows[0][0])
    try:
        since = read_day(begins)
    except ValueError:
        line.faults.append(say("from: “{begins}” is no day. Write it as 2027-01-01.", begins=begins[:20]))
        return line
    unit = {"miles": "mi", "mile": "mi"}.get(unit.lower(), unit.lower())
    bands = "\n".join(f"{cells.get('up to', '')} {cells.get('rate', '')}".strip() for _, cells in rows)
    passenger = next((cells["passenger"] for _, cells in rows if cells.get("passenger")), "")
    try:
        line.row = read_rate(firm, MileageTyped(vehicle, unit, since, bands, passenger), today)
    except Faults as wrong:
        line.faults += [
            say("{field}: {words}", field="from" if name == "since" else name, words=words)
            for name, words in wrong.faults.items()
        ]
        return line
    spot = (line.row.vehicle, line.row.since)
    if spot in there:
        line.faults.append(say("from: a rate of {spot} begins on that day already.", spot=spot[0]))
    there.add(spot)
    return line


@transaction.atomic
def take_table(by: Membership, content: bytes) -> int:
    """Take all rates of a table in one act, or none; return how many. Raises ``NotAllowed``, ``Refusal``."""
    firm = locked(by)
    lines = read_table(firm, content)
    if not lines or any(line.faults for line in lines):
        raise Refusal(say("Something is wrong with it: nothing was taken. Put it right and send it again."), "file")
    rows = [line.row for line in lines if line.row is not None]
    MileageRateRow.objects.bulk_create(rows)
    renew(firm)
    record(by, say("took in mileage rates"), subject(firm.pk), after=[_said(row) for row in rows])
    return len(rows)


def as_rows(firm: Firm) -> list[list[str]]:
    """Return all rates as a table, a row for each band. One query."""
    rows = MileageRateRow.objects.filter(firm=firm).order_by("vehicle", "since")
    return [
        [row.vehicle, row.unit, str(row.since), "" if upper is None else f"{upper}", f"{rate}", f"{row.passenger.normalize():f}"]
        for row in rows for upper, rate in row.bands
    ]  # fmt: skip


def _said(row: MileageRateRow) -> dict[str, str]:
    return {"vehicle": row.vehicle, "from": str(row.since), "rate": words_of(row), "passenger": str(row.passenger)}
