"""How long papers are kept: whole fiscal years after the end of the one in which something was last done about them."""

from __future__ import annotations

from datetime import date, timedelta

from wainwright.core.budget import year_of

# The laws of bookkeeping that we know of ask five to ten years; nobody here takes away what is younger than five.
LEAST, USUAL, MOST = 5, 10, 30


def last_day_over(today: date, years: int, begins: int) -> date:
    """Return the last day of the latest fiscal year of which the papers need not be kept any more.

    ``years`` are full fiscal years after that one's end; ``begins`` is the first month of a fiscal year, 1 to 12.
    """
    return date(year_of(today, begins) - years, begins, 1) - timedelta(days=1)
