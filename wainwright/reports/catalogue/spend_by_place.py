"""In which countries and towns."""

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import spending

REPORT = spending("spend-by-place", say("Spend by place"), say("Where in the world is it spent?"), ("country", "town"))
