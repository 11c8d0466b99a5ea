"""In which countries and towns."""

from wainwright.reports.catalogue._spending import spending

REPORT = spending("spend-by-place", "Spend by place", "Where in the world is it spent?", ("country", "town"))
