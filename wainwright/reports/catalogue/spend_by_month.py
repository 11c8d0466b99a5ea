"""When it was spent."""

from wainwright.reports.catalogue._spending import spending

REPORT = spending(
    "spend-by-month", "Spend by month", "How does what we spend go through the year?", ("month",), "category", "stacked"
)
