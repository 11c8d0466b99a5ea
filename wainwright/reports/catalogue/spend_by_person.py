"""Who spent it."""

from wainwright.reports.catalogue._spending import spending

REPORT = spending("spend-by-person", "Spend by person", "Who travels and spends how much?", ("person",))
