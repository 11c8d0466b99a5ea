"""How far the money is on its road."""

from wainwright.reports.catalogue._spending import spending

REPORT = spending(
    "spend-by-stage",
    "Spend by stage",
    "How much is planned, committed, claimed, approved, posted and paid?",
    ("stage",),
    "",
    "share",
    (),
)
