"""What was spent and is not posted at the end of the month before: as the month's page would accrue it."""

from wainwright.accounts.periods import month_before
from wainwright.closing.selectors import accrued
from wainwright.core.accruals import NAMES
from wainwright.core.said import as_figure, joined, say
from wainwright.core.table import Column, Row, Table
from wainwright.reports.asked import Asked
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report

COLUMNS = (
    Column("account", say("account")), Column("coding", say("coding")), Column("of", say("of what")), Column("things", say("things"), "count"), Column("amount", say("amount"), "money"),
)  # fmt: skip


def table(reader: Reader, asked: Asked) -> Table:
    """A row for each account and coding, and what it is of."""
    day = asked.span.until if asked.span is not None else month_before(reader.today)
    rows, whole, count = [], 0, 0
    month = day.replace(day=1)
    for each in accrued(reader.firm, month):
        words = joined(", ", (name for name, _ in each.by_what))
        rows.append(
            Row(
                (each.coding.account, str(each.coding), words, len(each.of), each.amount.amount),
                (),
                f"/ledger/month/?month={month:%Y-%m}",
            )
        )
        whole, count = whole + each.amount.minor, count + len(each.of)
    total = (say("All"), "", joined(", ", NAMES.values()), count, reader.money(whole)) if rows else ()
    return Table(COLUMNS, tuple(rows), total, (say("To the end of {month}.", month=as_figure(month, "%B %Y")),))


REPORT = Report(
    "accruals", say("Accruals"), say("What was spent and is not posted at the end of a month?"), say("Money under way"), span="last-month", table=table, figure="amount",
    may="read_books", act=(say("Accrue it"), "/ledger/month/"),
)  # fmt: skip
