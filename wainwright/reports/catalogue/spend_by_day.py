"""On which days of the week."""

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import spending

REPORT = spending(
    "spend-by-day",
    say("Spend by week and day"),
    say("In which weeks, and on which days of them, is it spent?"),
    ("week",),
    "weekday",
    "heat",
)
