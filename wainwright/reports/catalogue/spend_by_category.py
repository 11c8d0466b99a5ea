"""What it was for."""

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import spending

REPORT = spending("spend-by-category", say("Spend by category"), say("What do we spend on?"), ("category",))
