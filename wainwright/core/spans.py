"""Spans of days by name: this month, last year, twelve months; the span before one; how days fold into months and weeks."""

from __future__ import annotations

import calendar
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta

from wainwright.core.said import as_figure, say

# A longer span is no question that anybody asks: it is a table to take away, in pieces.
MOST_YEARS = 11
FIRST, LAST = date(1990, 1, 1), date(2199, 12, 31)


class NoSpan(ValueError):
    """What was asked for is no span of days; the message says why."""


@dataclass(frozen=True, slots=True)
class Span:
    """From a day to a day, both in it, and its name."""

    code: str
    since: date
    until: date

    @property
    def words(self) -> str:
        """How it stands in a sentence."""
        if self.code in NAMES and self.code != "days":
            return NAMES[self.code]
        return say(
            "{since} to {until}",
            since=as_figure(self.since, "%-d %b %Y"),
            until=as_figure(self.until, "%-d %b %Y"),
        )

    @property
    def whole_months(self) -> bool:
        """Whether it begins and ends with a month."""
        return self.since.day == 1 and self.until == month_end(self.until)

    @property
    def days(self) -> int:
        """How many days it has."""
        return (self.until - self.since).days + 1


def month_end(day: date) -> date:
    """Return the last day of a day's month."""
    return day.replace(day=calendar.monthrange(day.year, day.month)[1])


def months_on(day: date, by: int) -> date:
    """Return the first day of the month so many months on."""
    number = day.year * 12 + day.month - 1 + by
    return date(number // 12, number % 12 + 1, 1)


def _quarter(day: date) -> date:
    return date(day.year, 3 * ((day.month - 1) // 3) + 1, 1)


NAMES = {
    "this-month": say("this month"), "last-month": say("last month"), "this-quarter": say("this quarter"), "last-quarter": say("last quarter"),
    "this-year": say("this year"), "last-year": say("last year"), "12-months": say("the last twelve months"), "30-days": say("the last 30 days"),
    "ahead": say("the next 90 days"), "days": say("from a day to a day"),
}  # fmt: skip

_SPANS: dict[str, Callable[[date], tuple[date, date]]] = {
    "this-month": lambda d: (d.replace(day=1), month_end(d)),
    "last-month": lambda d: (months_on(d, -1), d.replace(day=1) - timedelta(days=1)),
    "this-quarter": lambda d: (_quarter(d), months_on(_quarter(d), 3) - timedelta(days=1)),
    "last-quarter": lambda d: (months_on(_quarter(d), -3), _quarter(d) - timedelta(days=1)),
    "this-year": lambda d: (date(d.year, 1, 1), date(d.year, 12, 31)),
    "last-year": lambda d: (date(d.year - 1, 1, 1), date(d.year - 1, 12, 31)),
    "12-months": lambda d: (months_on(d, -11), month_end(d)),
    "30-days": lambda d: (d - timedelta(days=29), d),
    "ahead": lambda d: (d, d + timedelta(days=89)),
}


def span_of(code: str, today: date, since: date | None = None, until: date | None = None) -> Span:
    """Return a span by its name, as it is today. Raises ``NoSpan`` for none, one that ends before it begins, or one too long."""
    if code in _SPANS:
        return Span(code, *_SPANS[code](today))
    if code != "days":
        raise NoSpan(say("Choose which time it is of."))
    if since is None or until is None:
        raise NoSpan(say("Choose from which day to which day."))
    if until < since:
        raise NoSpan(say("The last day is before the first. Turn them round."))
    if not FIRST <= since <= until <= LAST:
        raise NoSpan(say("Choose days between {year} and {year_2}.", year=FIRST.year, year_2=LAST.year))
    if until.year - since.year >= MOST_YEARS:
        raise NoSpan(
            say(
                "That is {year} years. Choose {most_years} at most, and ask for the rest by itself.",
                year=until.year - since.year + 1,
                most_years=MOST_YEARS,
            )
        )
    return Span(code, since, until)


def _year_before(day: date) -> date:
    try:
        return day.replace(year=day.year - 1)
    except ValueError:
        return day.replace(year=day.year - 1, day=28)


def span_before(span: Span, how: str) -> Span:
    """Return the span that one is compared with: "year" the same a year before, "before" the one of its length just before it.

    Whole months go back by whole months. Raises ``NoSpan`` for another ``how``, or for days before ``FIRST``.
    """
    if span.since.year <= FIRST.year:
        raise NoSpan(say("There is nothing before {year} to compare with.", year=FIRST.year))
    if how == "year":
        until = month_end(_year_before(span.until)) if span.whole_months else _year_before(span.until)
        return Span("days", _year_before(span.since), until)
    if how != "before":
        raise NoSpan(say("Choose what it is compared with."))
    if span.whole_months:
        months = (span.until.year - span.since.year) * 12 + span.until.month - span.since.month + 1
        return Span("days", months_on(span.since, -months), span.since - timedelta(days=1))
    return Span("days", span.since - timedelta(days=span.days), span.since - timedelta(days=1))


@dataclass(frozen=True, slots=True)
class Piece:
    """A piece of time that days fold into: its name in addresses, its label, and its days."""

    id: str
    label: str
    since: date
    until: date


def month_of(day: date) -> Piece:
    """The month of a day."""
    first = day.replace(day=1)
    return Piece(f"{day:%Y-%m}", as_figure(day, "%b %Y"), first, month_end(day))


def quarter_of(day: date) -> Piece:
    """The quarter of a day."""
    first = _quarter(day)
    number = (day.month - 1) // 3 + 1
    return Piece(f"{day.year}-Q{number}", f"Q{number} {day.year}", first, months_on(first, 3) - timedelta(days=1))


def year_of(day: date) -> Piece:
    """The year of a day."""
    return Piece(str(day.year), str(day.year), date(day.year, 1, 1), date(day.year, 12, 31))


def week_of(day: date) -> Piece:
    """The week of a day, by ISO 8601."""
    year, week, weekday = day.isocalendar()
    first = day - timedelta(days=weekday - 1)
    return Piece(
        f"{year}-W{week:02d}", say("week {week}, {year}", week=week, year=year), first, first + timedelta(days=6)
    )


PIECES: dict[str, Callable[[date], Piece]] = {
    "month": month_of,
    "quarter": quarter_of,
    "year": year_of,
    "week": week_of,
}


def piece_by(kind: str, text: str) -> Piece:
    """Return a piece of time by its name in addresses ("2026-10", "2026-Q3", "2026", "2026-W41"). Raises ``NoSpan``."""
    try:
        if kind == "month":
            day = date.fromisoformat(f"{text}-01")
        elif kind == "quarter":
            year, _, number = text.partition("-Q")
            day = date(int(year), 3 * int(number) - 2, 1)
        elif kind == "week":
            year, _, number = text.partition("-W")
            day = date.fromisocalendar(int(year), int(number), 1)
        elif kind == "year":
            day = date(int(text), 1, 1)
        else:
            raise NoSpan(say("{kind} is no piece of time", kind=kind))
    except ValueError as error:
        raise NoSpan(say("“{text}” is no {kind}.", text=text[:20], kind=kind)) from error
    return PIECES[kind](day)
