"""Tables of allowance rates: looked at first, with what each row would change; then taken in one act, or not at all."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal, InvalidOperation

from babel import Locale
from django.db import transaction

from wainwright import clock
from wainwright.core.journey import LODGINGS
from wainwright.core.money import Money, places
from wainwright.core.said import joined, said_by, say
from wainwright.core.text import decimal, one_line
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.fields import plain_number
from wainwright.formats.allowance_table import MOST_BYTES, SETS
from wainwright.formats.apart import apart
from wainwright.formats.countries import country_code
from wainwright.formats.places import known_town
from wainwright.formats.problems import Unreadable
from wainwright.formats.written import read_day
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version
from wainwright.rulebook.holding import FARTHEST, locked, renew
from wainwright.rulebook.models import AllowanceRate, RateSheet, SchemeData
from wainwright.trail.services import record

NEW, CHANGED, SAME, WRONG = "new", "changed", "same", "wrong"
_ENGLISH = Locale("en")
PLAIN = ("breakfast", "lunch", "dinner", "incidentals")
AT_MOST = Decimal(1_000_000)
Key = tuple[str, str, date, date | None]


@dataclass
class Checked:
    """A row checked: what it would do, the rate that it says, what it would change of one that is there, and each fault.

    ``unknown``: its town is none that journeys are known to go to; it may be right, or a slip of the pen.
    """

    number: int
    cells: Mapping[str, str]
    what: str = NEW
    rate: AllowanceRate | None = None
    changes: list[str] = field(default_factory=list)
    faults: list[tuple[str, str]] = field(default_factory=list)
    unknown: bool = False

    @property
    def place(self) -> str:
        """The place as it stands in the file."""
        return f"{self.cells.get('town', '')} {self.cells.get('country', '')}".strip() or say("anywhere else")

    @property
    def begins(self) -> str:
        """From when, as it stands in the file."""
        return self.cells.get("since", "")

    @property
    def full(self) -> str:
        """What a full day earns, with its currency, as it stands in the file."""
        return f"{self.cells.get('full', '')} {self.cells.get('currency', '')}".strip()

    def wrong(self, column: str, words: str) -> None:
        """Say what is wrong with a cell."""
        self.faults.append(("from" if column == "since" else column, words))


def names_of(firm: Firm) -> list[str]:
    """Return the amounts that rows of the firm's schemes name, drafts too. One query."""
    rows = SchemeData.objects.filter(firm=firm).values_list("data", flat=True)
    named = (
        each["pays"].get("amount", "full")
        for data in rows
        for key in ("rows", "supplements")
        for each in data.get(key, [])
    )
    return sorted(set(named))


def read_sheet(by: Membership, name: str, content: bytes) -> RateSheet:
    """Read a table of rates and keep its rows; no rate changes yet. Raises ``NotAllowed``, ``Refusal``."""
    must(by, "rules")
    if not content:
        raise Refusal(say("Choose a file."), "file")
    if len(content) > MOST_BYTES:
        raise Refusal(say("The file is larger than 8 MB. Leave out what is not needed."), "file")
    try:
        rows = apart("allowances", content, names_of(by.firm))
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    if not rows:
        raise Refusal(say("There are no rows below the header."), "file")
    return RateSheet.objects.create(
        firm=by.firm, by=by, time=clock.now(), name=one_line(name, 120) or "table", rows=[list(row) for row in rows]
    )


def as_rows(firm: Firm) -> tuple[list[str], list[list[str]]]:
    """Return the header and the rows of all rates of a firm, as a table that can be sent in again. One query."""
    rates = [(rate, _said(rate, firm.currency)) for rate in AllowanceRate.objects.filter(firm=firm)]
    used = {name for _, said in rates for name in said} - {"currency"}
    columns = [name for name in ("full", *PLAIN, "ceiling", "flat night") if name in used]
    columns += sorted(used - set(columns))
    header = ["country", "town", "from", "until", "currency", *columns]
    rows = [
        [rate.country, rate.town, str(rate.since), str(rate.until or ""), said["currency"], *(said.get(name, "") for name in columns)]
        for rate, said in rates
    ]  # fmt: skip
    return header, rows


def checked(sheet: RateSheet) -> list[Checked]:
    """Return the rows of a table with what each would do now. One query more than the table itself."""
    firm = sheet.firm
    there = {_key(rate): rate for rate in AllowanceRate.objects.filter(firm=firm)}
    today, seen, found = clock.today(firm.zone), {}, []
    for number, cells in sheet.rows:
        row = Checked(number, cells)
        rate = _rate(row, firm)
        if rate is not None and not row.faults:
            row.rate, key = rate, _key(rate)
            row.unknown = bool(rate.town) and known_town(rate.town, rate.country) is None
            if key in seen:
                row.wrong("from", say("Row {seen} has the same place and days.", seen=seen[key]))
            seen.setdefault(key, number)
            if key in there:
                _beside(row, there[key], rate, today, firm.currency)
        row.what = WRONG if row.faults else row.what
        found.append(row)
    return found


def _key(rate: AllowanceRate) -> Key:
    return rate.town.casefold(), rate.country, rate.since, rate.until


def _beside(row: Checked, old: AllowanceRate, new: AllowanceRate, today: date, home: str) -> None:
    """What a row would change of a rate that is there; one that has begun stays as it is."""
    row.changes = [
        joined("", (name, " ", was or "nothing", " → ", now or "nothing"))
        for name, was, now in _differences(old, new, home)
    ]
    row.what = CHANGED if row.changes else SAME
    if row.changes and old.since <= today:
        row.wrong(
            "from",
            say(
                "That rate holds since {since} with other amounts ({changes}). Say from which later day "
                "the new ones hold.",
                since=day_text(old.since, year=True),
                changes=row.changes[0],
            ),
        )
    new.pk = old.pk


def _differences(old: AllowanceRate, new: AllowanceRate, home: str) -> list[tuple[str, str, str]]:
    one, other = _said(old, home), _said(new, home)
    return [
        (name, one.get(name, ""), other.get(name, ""))
        for name in sorted({*one, *other})
        if one.get(name, "") != other.get(name, "")
    ]


def _said(rate: AllowanceRate, home: str) -> dict[str, str]:
    """The amounts of a rate by their columns, in words."""
    currency = rate.currency or home
    minor = {
        "full": rate.full_minor, **{name: getattr(rate, f"{name}_minor") for name in PLAIN}, "ceiling": rate.ceiling_minor,
        "flat night": rate.flat_night_minor, **rate.amounts, **{f"free {name}": each for name, each in rate.free.items()}, **rate.sets,
        **{f"ceiling {kind}": each for kind, each in rate.ceilings.items()}, **{f"flat night {kind}": each for kind, each in rate.flats.items()},
    }  # fmt: skip
    return {
        "currency": currency,
        **{name: str(Money.from_minor(each, currency)) for name, each in minor.items() if each},
    }


def _rate(row: Checked, firm: Firm) -> AllowanceRate | None:
    """The rate that a row says; faults are put beside the row."""
    cells = row.cells
    country = _country(row, cells.get("country", ""))
    currency = cells.get("currency", "").upper() or firm.currency
    if len(currency) != 3 or currency not in _ENGLISH.currencies:
        row.wrong("currency", say("“{currency}” is no currency. Write three letters, as EUR.", currency=currency[:12]))
        return None
    if cells.get("town") and not cells.get("country"):
        row.wrong("country", say("A town needs its country."))
    since, until = _day(row, "since"), _day(row, "until")
    if since is None:
        if not any(column == "from" for column, _ in row.faults):
            row.wrong("since", say("Say from which day it holds."))
        return None
    if until is not None and until < since:
        row.wrong("until", say("It ends before it begins."))
    amounts = {
        name: _amount(row, name, currency)
        for name in cells
        if name not in ("town", "country", "currency", "since", "until")
    }
    minor = {name: amount.minor for name, amount in amounts.items() if amount is not None}
    if "full" not in minor and not any(column == "full" for column, _ in row.faults):
        row.wrong("full", say("Say what a full day earns."))
    free = {name.removeprefix("free "): each for name, each in minor.items() if name.startswith("free ")}
    for name, each in free.items():
        if each > minor.get(name, each):
            row.wrong(f"free {name}", say("More is free of tax than is paid."))
    ceilings, flats = (
        {kind: minor[f"{name} {kind}"] for kind in LODGINGS if f"{name} {kind}" in minor}
        for name in ("ceiling", "flat night")
    )
    known = {
        "full",
        "ceiling",
        "flat night",
        *PLAIN,
        *SETS,
        *(f"ceiling {kind}" for kind in ceilings),
        *(f"flat night {kind}" for kind in flats),
    }
    return AllowanceRate(
        firm=firm, town=one_line(cells.get("town", ""), 80), country=country, since=since, until=until, full_minor=minor.get("full", 0),
        **{f"{name}_minor": minor.get(name, 0) for name in PLAIN}, ceiling_minor=minor.get("ceiling"), flat_night_minor=minor.get("flat night"),
        currency="" if currency == firm.currency else currency, free=free, sets={name: minor[name] for name in SETS if name in minor},
        amounts={name: each for name, each in minor.items() if name not in known and not name.startswith("free ")},
        ceilings=ceilings, flats=flats,
    )  # fmt: skip


def _country(row: Checked, text: str) -> str:
    code = country_code(text)
    if text and not code:
        row.wrong(
            "country", say("“{text}” is no country. Write its two letters, as NO, or its English name.", text=text[:40])
        )
    return code


def _day(row: Checked, column: str) -> date | None:
    text = row.cells.get(column, "")
    try:
        return read_day(text) if text else None
    except ValueError:
        row.wrong(column, say("“{text}” is no day. Write it as 2026-10-12.", text=text[:20]))
        return None


def _amount(row: Checked, column: str, currency: str) -> Money | None:
    text = row.cells[column]
    try:
        value = decimal(plain_number(text, places(currency)))
        if not 0 <= value < AT_MOST:
            raise InvalidOperation
        return Money(value, currency) if value == value.to_integral_value() else Money.of(str(value), currency)
    except (InvalidOperation, ValueError):
        row.wrong(
            column, say("“{text}” is no amount of {currency}: write 58 or 58.00.", text=text[:20], currency=currency)
        )
        return None


@transaction.atomic
def take_sheet(by: Membership, sheet_id: int, said: int) -> RateSheet:
    """Take every right row of a table in, in one act; ``said`` is how many the page showed.

    Raises ``NotAllowed``, ``Refusal``; ``Stale`` where others fit by now than were shown, or it was taken already.
    """
    must(by, "rules")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)
    sheet = (
        RateSheet.objects.select_for_update(of=("self",), no_key=True)
        .select_related("firm")
        .get(pk=sheet_id, firm=firm)
    )
    if sheet.taken is not None:
        raise Stale(say("It was taken already: its rates are in."))
    rows = [row for row in checked(sheet) if row.what in (NEW, CHANGED) and row.rate is not None]
    if len(rows) != said:
        raise Stale(
            say(
                "{rows_count} rates would change by now, not {said}. Look at it again.", rows_count=len(rows), said=said
            )
        )
    if not rows:
        raise Refusal(say("No rate of it can be taken: put right what is said beside the rows."))
    _keep(rows)
    sheet.taken, sheet.kept = clock.now(), len(rows)
    sheet.save(update_fields=["taken", "kept"])
    firm.rules_version = new_version()
    firm.save(update_fields=["rules_version"])
    record(by, say("took allowance rates in"), f"firm:{firm.pk}", after={"table": sheet.name, **_counts(rows)})
    return sheet


def subject(rate: AllowanceRate) -> str:
    """Return the name of a rate in the trail."""
    return f"allowance-rate:{rate.pk}"


def digest(rate: AllowanceRate) -> str:
    """Return what tells whether a rate is still as somebody saw it."""
    return hashlib.sha256(
        json.dumps([_said(rate, rate.firm.currency), str(rate.since), str(rate.until)]).encode()
    ).hexdigest()[:16]


@transaction.atomic
def end_rate(by: Membership, rate_id: int, until: date | None, seen: str) -> AllowanceRate:
    """Say on which day a rate holds for the last time, today or later. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    firm = locked(by)
    row = (
        AllowanceRate.objects.select_for_update(of=("self",), no_key=True)
        .select_related("firm")
        .filter(pk=rate_id, firm=firm)
        .first()
    )
    if row is None or digest(row) != seen:
        raise Stale(say("Somebody changed that rate meanwhile. Look at it as it is now."))
    today = clock.today(firm.zone)
    if row.until is not None and row.until < today:
        raise Stale(say("It ended on {until}.", until=day_text(row.until, year=True)))
    if until is None or not max(today, row.since) <= until <= today + FARTHEST:
        raise Refusal(say("Choose its last day: today or later, on which it holds, within two years."), "until")
    other = AllowanceRate.objects.filter(
        firm=firm, town__iexact=row.town, country=row.country, since=row.since, until=until
    )
    if other.exclude(pk=row.pk).exists():
        raise Refusal(say("A season of that place has the same days. Choose another day."), "until")
    before, row.until = str(row.until or ""), until
    row.save(update_fields=["until"])
    renew(firm)
    record(
        by,
        say("ended an allowance rate"),
        subject(row),
        before={"until": before},
        after={"rate": str(row), "until": str(until)},
    )
    return row


def _keep(rows: Iterable[Checked]) -> None:
    rates = [(row.what, row.rate) for row in rows if row.rate is not None]
    AllowanceRate.objects.bulk_create([rate for what, rate in rates if what == NEW], batch_size=500)
    fields = [each.name for each in AllowanceRate._meta.concrete_fields if each.name not in ("id", "firm")]
    changed = [rate for what, rate in rates if what == CHANGED]
    if changed:
        AllowanceRate.objects.bulk_update(changed, fields, batch_size=500)


def _counts(rows: list[Checked]) -> dict[str, int]:
    return {what: sum(row.what == what for row in rows) for what in (NEW, CHANGED)}
