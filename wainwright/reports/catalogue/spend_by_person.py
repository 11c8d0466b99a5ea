"""Who spent it."""

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import spending

REPORT = spending("spend-by-person", say("Spend by person"), say("Who travels and spends how much?"), ("person",))
