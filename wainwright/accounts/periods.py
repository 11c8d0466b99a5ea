"""Closed months: what would be posted into one goes to the first day of the next that is open."""

from __future__ import annotations

from datetime import date

from wainwright.accounts.models import Period
from wainwright.core.spans import month_end, months_on
from wainwright.people.models import Firm


def first_of(day: date) -> date:
    """The first day of a day's month."""
    return day.replace(day=1)


def next_month(day: date) -> date:
    """The first day of the month after a day's."""
    return months_on(day, 1)


def month_before(day: date) -> date:
    """The first day of the month before a day's."""
    return months_on(day, -1)


def last_of(month: date) -> date:
    """The last day of a month."""
    return month_end(month)


def open_day(firm: Firm, day: date) -> date:
    """Return the day on which something is posted that would be posted on ``day``: itself where its month is open. One query."""
    closed = set(Period.objects.filter(firm=firm, month__gte=first_of(day)).values_list("month", flat=True))
    while first_of(day) in closed:
        day = next_month(day)
    return day
