"""How far the money is on its road."""

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import spending

REPORT = spending(
    "spend-by-stage",
    say("Spend by stage"),
    say("How much is planned, committed, claimed, approved, posted and paid?"),
    ("stage",),
    "",
    "share",
    (),
)
