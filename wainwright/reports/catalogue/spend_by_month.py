"""When it was spent."""

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import spending

REPORT = spending(
    "spend-by-month",
    say("Spend by month"),
    say("How does what we spend go through the year?"),
    ("month",),
    "category",
    "stacked",
)
