"""What it was for."""

from wainwright.reports.catalogue._spending import spending

REPORT = spending("spend-by-category", "Spend by category", "What do we spend on?", ("category",))
