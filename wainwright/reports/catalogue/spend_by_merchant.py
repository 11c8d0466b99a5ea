"""Where the money went."""

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import spending

REPORT = spending(
    "spend-by-merchant",
    say("Spend by merchant"),
    say("Which hotels, airlines and restaurants get our money?"),
    ("merchant",),
)
