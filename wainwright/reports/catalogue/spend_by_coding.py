"""Which codes bear it: grouped by the first dimension of the firm's ledger, whichever that is."""

from wainwright.core.said import say
from wainwright.reports.catalogue._spending import spending

REPORT = spending("spend-by-coding", say("Spend by coding"), say("Which codes of the ledger bear it?"), ("coding",))
