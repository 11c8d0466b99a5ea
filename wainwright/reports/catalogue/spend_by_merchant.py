"""Where the money went."""

from wainwright.reports.catalogue._spending import spending

REPORT = spending(
    "spend-by-merchant", "Spend by merchant", "Which hotels, airlines and restaurants get our money?", ("merchant",)
)
