"""On which days of the week."""

from wainwright.reports.catalogue._spending import spending

REPORT = spending(
    "spend-by-day",
    "Spend by week and day",
    "In which weeks, and on which days of them, is it spent?",
    ("week",),
    "weekday",
    "heat",
)
