"""A scheme from its data: every key and every value is looked at, and each fault says where and what to do."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, time
from decimal import Decimal, InvalidOperation
from typing import Any

from wainwright.core.allowance.reach import unreached
from wainwright.core.allowance.rows import Kind, Pays, Row
from wainwright.core.allowance.scheme import LongStay, MealRule, NightRule, PlaceRule, Rounding, Scheme, Step
from wainwright.core.journey import Meal
from wainwright.core.money import Money
from wainwright.core.said import joined, said_by, say

MOST_ROWS, MOST_HOURS, LONGEST = 40, 10_000, 200
_CLOCK, _AFTER, _NAME = (
    re.compile(r"([01]\d|2[0-4]):([0-5]\d)"),
    re.compile(r"(\d{1,4}) (days?|months?)"),
    re.compile(r"[a-z][a-z0-9 -]{0,19}"),
)


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong with a scheme's data: where, and what to do."""

    where: str
    words: str


class SchemeFaults(ValueError):
    """Data that says no scheme, with every fault."""

    def __init__(self, faults: Sequence[Fault]) -> None:
        self.faults = tuple(faults)
        super().__init__(joined("; ", (joined(": ", (fault.where, fault.words)) for fault in faults)))


class _Wrong(ValueError):
    """What is wrong with one value, in words."""


def read_scheme(data: Mapping[str, Any], currency: str) -> Scheme:
    """Build a scheme from its data; its own sums are in ``currency``. Raises ``SchemeFaults`` with all that is wrong."""
    faults: list[Fault] = []
    top = _Table("", data, faults)
    rows = _rows(top, "rows", must=True)
    supplements = _rows(top, "supplements")
    window = top.get("window", _one_of("day", "24h"))
    made = {
        "code": top.get("code", _text(20)), "name": top.get("name", _text(80)), "since": top.get("since", _day), "window": window,
        "meals": _meals(top), "nights": _nights(top, currency), "places": _places(top), "long_stay": _long_stay(top),
        "rounding": _rounding(top), "actual_cost_share": top.get("actual_cost_share", _number(Decimal(1), Decimal(10)), None),
    }  # fmt: skip
    top.done()
    wrong = {Kind.REST} if window == "day" else {Kind.ONLY, Kind.FIRST, Kind.LAST}
    for where, each in (("rows", rows), ("supplements", supplements)):
        for number, row in enumerate(each, 1):
            if odd := sorted(kind.value for kind in row.period & wrong):
                faults.append(
                    Fault(
                        say("{where} {number}, period", where=where, number=number),
                        say("With the window “{window}” there is no period “{odd}”.", window=window, odd=odd[0]),
                    )
                )
    if not faults:
        faults += [
            Fault(
                say("rows {number}", number=number),
                say("It can never be reached: {why} Move it up, narrow what stands above, or take it out.", why=why),
            )
            for number, why in unreached(rows, str(window))
        ]
    if faults:
        raise SchemeFaults(faults)
    return Scheme(rows=tuple(rows), supplements=tuple(supplements), **made)


class _Table:
    """A table of the data: what is taken from it is looked at, and what nobody took is unknown."""

    def __init__(self, where: str, data: Any, faults: list[Fault]) -> None:
        self.where, self.faults = where, faults
        self.taken: set[str] = set()
        self.data: Mapping[str, Any] = data if isinstance(data, Mapping) else {}
        if not isinstance(data, Mapping):
            faults.append(Fault(where or "scheme", say("This is a table of keys and values.")))

    def at(self, key: str) -> str:
        """Where a key stands, in words."""
        return f"{self.where}, {key}" if self.where else key

    def get(self, key: str, read: Callable[[Any], Any], default: Any = ...) -> Any:
        """Return a value as read; ``default`` where it is not there, a fault where it must be or is wrong."""
        self.taken.add(key)
        if key not in self.data:
            if default is ...:
                self.faults.append(Fault(self.at(key), say("This is missing.")))
            return None if default is ... else default
        try:
            return read(self.data[key])
        except _Wrong as wrong:
            self.faults.append(Fault(self.at(key), said_by(wrong)))
            return None if default is ... else default

    def table(self, key: str) -> _Table:
        """Return a table within this one, an empty one where it is not there."""
        self.taken.add(key)
        return _Table(self.at(key), self.data.get(key, {}), self.faults)

    def done(self) -> None:
        """Say which keys nobody knows."""
        for key in sorted(set(map(str, self.data)) - self.taken):
            self.faults.append(
                Fault(
                    self.at(key[:40]),
                    say("There is no such key. There is: {list}.", list=joined(", ", sorted(self.taken))),
                )
            )


def _rows(top: _Table, key: str, must: bool = False) -> list[Row]:
    given = top.get(key, _list, ... if must else [])
    if given is not None and must and not given:
        top.faults.append(Fault(key, say("A scheme has at least one row.")))
    if len(given or []) > MOST_ROWS:
        top.faults.append(
            Fault(
                key,
                say(
                    "There are {given_count} rows, more than {most_rows}.", given_count=len(given), most_rows=MOST_ROWS
                ),
            )
        )
        return []
    return [_row(_Table(f"{key} {number}", each, top.faults)) for number, each in enumerate(given or [], 1)]


def _row(table: _Table) -> Row:
    hours = _number(Decimal(0), Decimal(MOST_HOURS))
    pays = table.table("pays")
    if "pays" not in table.data:
        table.faults.append(Fault(table.at("pays"), say("This is missing: what does the row pay?")))
    what = Pays(
        pays.get("share", _share, Decimal(1)), pays.get("amount", _name, "full"), pays.get("hourly", _whole(1, 48), None)
    )  # fmt: skip
    pays.done()
    row = Row(
        what, table.get("name", _text(40), ""), table.get("period", _kinds, frozenset()), table.get("night", _yes, None),
        table.get("from", hours, None), table.get("over", hours, None), table.get("below", hours, None),
        table.get("journey_from", hours, None), table.get("journey_over", hours, None),
        table.get("left_from", _time, None), table.get("back_until", _time, None), table.get("away_at", _time, None), table.get("most", _yes, False),
    )  # fmt: skip
    table.done()
    least = max((each for each in (row.hours_from, row.hours_over) if each is not None), default=None)
    if least is not None and row.hours_below is not None and row.hours_below <= least:
        table.faults.append(
            Fault(table.at("below"), say("No period has fewer hours than that and so many: it would never fit."))
        )
    return row


def _meals(top: _Table) -> MealRule:
    table = top.table("meals")
    shares = table.table("shares")
    read = {}
    for key in list(shares.data):
        meals = meal_set(str(key))
        if meals is None:
            continue
        read[meals] = shares.get(key, _share, Decimal(0))
    shares.taken |= {"breakfast", "lunch", "dinner"}
    shares.done()
    rule = MealRule(
        table.get("by", _one_of("table", "share"), "table"), read, table.get("part_day", _one_of("full", "proportion"), "full"),
        table.get("floor", _one_of("zero", "incidentals"), "zero"), _rounding(table),
    )  # fmt: skip
    if rule.by == "share" and not read and "by" in table.data:
        table.faults.append(
            Fault(table.at("shares"), say("This is missing: which share of the full day is each meal?"))
        )
    if rule.by == "table" and read:
        table.faults.append(
            Fault(
                table.at("shares"),
                say("Shares count with by = “share” alone; with “table” the rates have the amounts."),
            )
        )
    table.done()
    return rule


def _nights(top: _Table, currency: str) -> NightRule:
    table = top.table("nights")
    flat = table.get("flat", _number(Decimal(0), Decimal(100_000)), None)
    rule = NightRule(
        Money.rounded(flat, currency) if flat else None, table.get("tax_outside_ceiling", _yes, False)
    )  # fmt: skip
    table.done()
    return rule


def _places(top: _Table) -> PlaceRule:
    table = top.table("places")
    between = table.get("between", _span, (0, 1440))
    rule = PlaceRule(
        table.get("by", _one_of("night", "most", "shared"), "night"), between, table.get("last_day", _one_of("night", "worked"), "night"),
        table.get("day_out", _one_of("last", "highest"), "last"), table.get("under_way", _one_of("left", "next"), "left"),
    )  # fmt: skip
    table.done()
    return rule


def _long_stay(top: _Table) -> LongStay:
    table = top.table("long_stay")
    steps = []
    for number, each in enumerate(table.get("steps", _list, []), 1):
        one = _Table(f"{table.at('steps')} {number}", each, top.faults)
        after, share = one.get("after", _after), one.get("share", _share)
        one.done()
        if after is not None and share is not None:
            steps.append(Step(after[0], after[1], share))
    rough = [step.after * (30 if step.unit == "months" else 1) for step in steps]
    if rough != sorted(set(rough)):
        top.faults.append(Fault(table.at("steps"), say("They go from the shortest stay to the longest, each once.")))
    rule = LongStay(tuple(steps), table.get("continues_within", _whole(0, 3660), 0))
    table.done()
    return rule


def _rounding(table: _Table) -> Rounding:
    unit = table.get("unit", _number(Decimal("0.001"), Decimal(1000)), None)
    return Rounding(unit, table.get("rounding", _one_of("nearest", "up", "down"), "nearest"))


def _text(most: int) -> Callable[[Any], str]:
    def read(value: Any) -> str:
        if not isinstance(value, str) or not value.strip() or len(value) > most or not value.isprintable():
            raise _Wrong(say("This is a text of at most {most} letters.", most=most))
        return value.strip()

    return read


def _name(value: Any) -> str:
    if not isinstance(value, str) or not _NAME.fullmatch(value):
        raise _Wrong(say("This is the name of an amount of the rates: small letters, as “part”."))
    return value


def _one_of(*known: str) -> Callable[[Any], str]:
    def read(value: Any) -> str:
        if value not in known:
            raise _Wrong(
                say("“{value}” is not known here. There is: {list}.", value=str(value)[:40], list=joined(", ", known))
            )
        return str(value)

    return read


def _number(least: Decimal, most: Decimal) -> Callable[[Any], Decimal]:
    def read(value: Any) -> Decimal:
        if isinstance(value, bool) or not isinstance(value, str | int | float | Decimal) or len(str(value)) > LONGEST:
            raise _Wrong(say("This is a number, as 12 or 0.75."))
        try:
            found = Decimal(str(value))
        except InvalidOperation:
            raise _Wrong(say("“{value}” is no number. Write it as 12 or 0.75.", value=str(value)[:40])) from None
        if not found.is_finite() or not least <= found <= most:
            raise _Wrong(
                say("{value} is out of bounds: from {least} to {most}.", value=str(value)[:40], least=least, most=most)
            )
        return found

    return read


def _share(value: Any) -> Decimal:
    try:
        return _number(Decimal(0), Decimal(1))(value)
    except _Wrong as wrong:
        if "bounds" not in said_by(wrong):
            raise
        raise _Wrong(
            say("{value} is no share: it is from 0 to 1, as 0.75 for three quarters.", value=str(value)[:40])
        ) from None


def _whole(least: int, most: int) -> Callable[[Any], int]:
    def read(value: Any) -> int:
        found = _number(Decimal(least), Decimal(most))(value)
        if found != found.to_integral_value():
            raise _Wrong(say("This is a whole number."))
        return int(found)

    return read


def _yes(value: Any) -> bool:
    if not isinstance(value, bool):
        raise _Wrong(say("This is true or false."))
    return value


def _list(value: Any) -> list[Any]:
    if not isinstance(value, list | tuple):
        raise _Wrong(say("This is a list."))
    return list(value)


def _kinds(value: Any) -> frozenset[Kind]:
    given = _list(value) if isinstance(value, list | tuple) else [value]
    known = [kind.value for kind in Kind]
    for each in given:
        if each not in known:
            raise _Wrong(say("“{each}” is no period. There is: {list}.", each=str(each)[:40], list=joined(", ", known)))
    if not given:
        raise _Wrong(say("Name a period, or leave this out for every one."))
    return frozenset(Kind(each) for each in given)


def _day(value: Any) -> date:
    try:
        return value if type(value) is date else date.fromisoformat(str(value))
    except ValueError:
        raise _Wrong(say("This is a day, as 2026-01-01.")) from None


def _minutes(value: Any) -> int:
    found = _CLOCK.fullmatch(f"{value:%H:%M}" if isinstance(value, time) else str(value))
    if found is None or (minutes := int(found[1]) * 60 + int(found[2])) > 1440:
        raise _Wrong(say("This is a clock time, as 12:00."))
    return minutes


def _time(value: Any) -> time:
    minutes = _minutes(value)
    if minutes == 1440:
        raise _Wrong(say("This is a clock time of a day, up to 23:59."))
    return time(minutes // 60, minutes % 60)


def _span(value: Any) -> tuple[int, int]:
    both = _list(value)
    if len(both) != 2 or _minutes(both[0]) >= _minutes(both[1]):
        raise _Wrong(say("These are two clock times of a day, the earlier first, as [“06:00”, “24:00”]."))
    return _minutes(both[0]), _minutes(both[1])


def _after(value: Any) -> tuple[int, str]:
    found = _AFTER.fullmatch(str(value))
    if found is None or int(found[1]) < 1:
        raise _Wrong(say("This is how long the stay has lasted, as “30 days” or “3 months”."))
    return int(found[1]), found[2].rstrip("s") + "s"


def meal_set(text: str) -> tuple[Meal, ...] | None:
    """Return the meals of a key as "lunch+dinner", in their order; nothing where it names none."""
    parts = [part.strip() for part in text.split("+")]
    if not parts or len(set(parts)) != len(parts) or not set(parts) <= {meal.value for meal in Meal}:
        return None
    return tuple(meal for meal in Meal if meal.value in parts)
