"""Which rows of a scheme can never pay, as those above always fit first, or as their conditions never hold together."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime, time, timedelta
from decimal import Decimal
from itertools import product

from wainwright.core.allowance.rows import Kind, Row, Situation
from wainwright.core.said import say

# So many situations are tried; a scheme with more is looked at row against row alone.
MOST = 20_000
LITTLE, LONG, DAY = Decimal("0.01"), Decimal(20_000), Decimal(24)


def unreached(rows: Sequence[Row], window: str) -> list[tuple[int, str]]:
    """Return the number (from 1) of each row that never pays, and why."""
    paid: set[int] = set()
    fitted: set[int] = set()
    tried = _situations(rows, window)
    if tried is not None:
        for at in tried:
            first = True
            for number, row in enumerate(rows, 1):
                if row.fits(at):
                    fitted.add(number)
                    if first:
                        paid.add(number)
                        first = False
    found = []
    for number, row in enumerate(rows, 1):
        if number in paid:
            continue
        above = next((n for n, other in enumerate(rows[: number - 1], 1) if _covers(other, row)), None)
        if above is not None:
            found.append((number, say("row {above} fits whatever it fits.", above=above)))
        elif tried is not None:
            found.append(
                (
                    number,
                    say("the rows above fit whatever it fits.")
                    if number in fitted
                    else say("its conditions never hold together."),
                )
            )
    return found


def _covers(wide: Row, narrow: Row) -> bool:
    """Say whether ``wide`` fits whenever ``narrow`` does, by their conditions alone."""
    return (
        (not wide.period or (bool(narrow.period) and narrow.period <= wide.period))
        and wide.night in (None, narrow.night)
        and _least(wide.hours_from, wide.hours_over) <= _least(narrow.hours_from, narrow.hours_over)
        and (wide.hours_below is None or (narrow.hours_below is not None and narrow.hours_below <= wide.hours_below))
        and _least(wide.journey_from, wide.journey_over) <= _least(narrow.journey_from, narrow.journey_over)
        and (wide.left_from is None or (narrow.left_from is not None and narrow.left_from >= wide.left_from))
        and (wide.back_until is None or (narrow.back_until is not None and narrow.back_until <= wide.back_until))
        and wide.away_at in (None, narrow.away_at)
        and (not wide.most or narrow.most)
    )


def _least(since: Decimal | None, over: Decimal | None) -> tuple[Decimal, bool]:
    """The lower bound of hours, comparable: "over 8" is narrower than "from 8"."""
    return max((since or Decimal(0), False), (over, True) if over is not None else (Decimal(0), False))


def _situations(rows: Sequence[Row], window: str) -> Iterator[Situation] | None:
    """Every kind of situation that the rows tell apart; nothing where there are too many."""
    hours = _around([each for row in rows for each in (row.hours_from, row.hours_over, row.hours_below)])
    spans = _around([each for row in rows for each in (row.journey_from, row.journey_over)])
    lefts = _clocks([row.left_from for row in rows])
    backs = _clocks([row.back_until for row in rows])
    aways = sorted({row.away_at for row in rows if row.away_at is not None})
    sets = list(product((False, True), repeat=min(len(aways), 6)))
    most = (False, True) if any(row.most for row in rows) else (False,)
    kinds = (Kind.WHOLE, Kind.REST) if window == "24h" else (Kind.ONLY, Kind.FIRST, Kind.LAST, Kind.WHOLE)
    if (
        len(kinds) * 2 * len(hours) * len(spans) * len(lefts) * len(backs) * len(sets) * len(most) > MOST
        or len(aways) > 6
    ):
        return None
    return (
        at
        for kind in kinds
        for each in product(hours, spans, lefts, backs, sets, most)
        for at in _of(kind, window, aways, *each)
    )


def _of(
    kind: Kind,
    window: str,
    aways: Sequence[time],
    hours: Decimal,
    span: Decimal,
    left: time,
    back: time,
    away: Sequence[bool],
    most: bool,
) -> Iterator[Situation]:
    """The situations of one kind of period that can be, with and without a night."""
    leaves = kind in (Kind.ONLY, Kind.FIRST) or window == "24h"
    returns = kind in (Kind.ONLY, Kind.LAST) or window == "24h"
    there = dict(zip(aways, away, strict=False))
    if kind == Kind.ONLY:
        span = hours
    if kind == Kind.WHOLE:
        hours = DAY
        if span < hours:
            return
    if hours > DAY + 1 or span < hours or (kind == Kind.REST and hours >= DAY):
        return
    for night in (False, True):
        if (kind == Kind.ONLY and night) or (kind == Kind.WHOLE and not night) or (not night and span > DAY + 6):
            continue
        yield Situation(
            kind,
            hours,
            span,
            night,
            left if leaves else None,
            back if returns else None,
            lambda at: there.get(at, False),
            most,
        )


def _around(bounds: Sequence[Decimal | None]) -> list[Decimal]:
    known = {each for bound in bounds if bound is not None for each in (bound - LITTLE, bound, bound + LITTLE)}
    return sorted(each for each in known | {LITTLE, DAY / 2, DAY, LONG} if each > 0)


def _clocks(bounds: Sequence[time | None]) -> list[time]:
    known = {time.min, time(12), time(23, 59)}
    for bound in bounds:
        if bound is not None:
            near = datetime.combine(datetime.min, bound) + timedelta(days=1)
            known |= {(near + timedelta(minutes=by)).time() for by in (-1, 0, 1)}
    return sorted(known) if any(bound is not None for bound in bounds) else [time(12)]
