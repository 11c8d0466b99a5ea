"""What asks for an act of finance: refused, to be checked, cleared, unpaid, not reconciled, unmatched, the connection, the month."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from django.db.models import Case, Count, Min, QuerySet, Sum, Value
from django.db.models.functions import Abs

from wainwright import clock
from wainwright.accounts.connection import connection_of
from wainwright.accounts.models import PayRun, Period, Posting
from wainwright.accounts.periods import last_of, month_before
from wainwright.claims.models import Claim
from wainwright.claims.paying import TO_PAY, advances_to_pay, at_bank, objected, payable
from wainwright.core.said import as_figure, say
from wainwright.core.waiting import CAN_WAIT, HOLDS, LATE, NEAR, Ask
from wainwright.expenses.models import Charge
from wainwright.reconciling.models import Line
from wainwright.reports.reader import Reader
from wainwright.web.desk.worker import asks_of_the_worker

# By key: what it is of one and of several, where it is done, what is done there, how grave it is to wait.
KINDS = {
    "refused": (say("refused by the ledger"), say("refused by the ledger"), "/ledger/", say("Mend them"), HOLDS),
    "objected": (say("claim is objected to"), say("claims are objected to"), "/ledger/pay/", say("Answer"), HOLDS),
    "release": (say("pay run waits for a second person"), say("pay runs wait for a second person"), "/ledger/pay/", say("Release"), HOLDS),
    "check": (say("claim waits for finance"), say("claims wait for finance"), "/bench/", say("Check them"), LATE),
    "cleared": (say("claim is cleared and not posted"), say("claims are cleared and not posted"), "/ledger/", say("Post them"), LATE),
    "payable": (say("claim is posted and owed"), say("claims are posted and owed"), "/ledger/pay/", say("Pay them"), LATE),
    "advances": (say("advance is to be paid"), say("advances are to be paid"), "/ledger/pay/", say("Pay them"), LATE),
    "lines": (say("line of a statement is not matched"), say("lines of statements are not matched"), "/ledger/bank/", say("Reconcile"), NEAR),
    "loose": (say("charge of the firm lies loose"), say("charges of the firm lie loose"), "/ledger/loose/", say("Remind whose they are"), CAN_WAIT),
}  # fmt: skip


def asks_of_finance(reader: Reader) -> Iterator[Ask]:
    """Everything that waits for finance. Seven queries, whatever there is."""
    firm, member = reader.firm, reader.member
    connection = connection_of(firm)
    if connection is not None and connection.failing:
        yield Ask(
            say("The connection to the ledger fails"), "/ledger/masters/", say("See why"), HOLDS, since=clock.day_of(connection.failing, firm.zone),
            detail=say("{problem}. What is posted is kept, and sent by itself once it answers", problem=connection.problem),
        )  # fmt: skip
    yield from asks_of_the_worker(firm)
    bank, claims = at_bank(firm.pk), Claim.objects.filter(firm=firm)
    by_moment = [
        _counted("refused", Posting.objects.filter(firm=firm, state=Posting.State.REFUSED), "total_minor", "time"),
        _counted("objected", objected(member), "statement__due_minor", "sent"),
        _counted(
            "release", PayRun.objects.filter(firm=firm, to_release=True).exclude(made_by=member), "total_minor", "time"
        ),
        _counted(
            "check", claims.filter(state="In finance check").exclude(claimant=member), "statement__total_minor", "sent"
        ),
        _counted("cleared", claims.filter(state="Cleared"), "statement__total_minor", "sent"),
        _counted("payable", payable(member, bank), "statement__due_minor", "sent"),
        _counted("advances", advances_to_pay(member, bank), TO_PAY, "authorised"),
    ]
    by_day = [
        _counted(
            "lines",
            Line.objects.filter(account__firm=firm, match=None, reconciliation=None),
            Abs("amount_minor"),
            "day",
        ),
        _counted(
            "loose",
            Charge.objects.filter(firm=firm, state="Loose", aside="", currency=reader.home).exclude(owner=member),
            "amount_minor",
            "date",
        ),
    ]
    for rows in (by_moment[0].union(*by_moment[1:], all=True), by_day[0].union(*by_day[1:], all=True)):
        for key, count, minor, since in rows:
            if not count:
                continue
            one, many, link, act, level = KINDS[key]
            day = clock.day_of(since, firm.zone) if isinstance(since, datetime) else since
            yield Ask(one if count == 1 else many, link, act, level, count, reader.money(minor), day)
    yield from _month(reader)


def _counted(key: str, rows: QuerySet, of: str | Case | Abs, day: str) -> QuerySet:
    """How many of a kind there are, what they come to, since when the oldest waits: one row, with a count of 0 where there is none."""
    grouped = rows.order_by().annotate(of_kind=Value(key)).values("of_kind")
    return grouped.annotate(n=Count("pk"), s=Sum(of), since_=Min(day)).values_list("of_kind", "n", "s", "since_")


def _month(reader: Reader) -> Iterator[Ask]:
    """The month before, until it is closed; where no month was ever closed, nobody closes months here."""
    month = month_before(reader.today)
    closed = set(Period.objects.filter(firm=reader.firm).order_by("-month").values_list("month", flat=True)[:24])
    if closed and month not in closed:
        yield Ask(
            say("{month} is not closed", month=as_figure(month, "%B")),
            f"/ledger/month/?month={month:%Y-%m}",
            say("Close it"),
            NEAR,
            since=last_of(month),
        )
