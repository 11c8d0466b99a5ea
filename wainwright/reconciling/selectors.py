"""Reads of what a statement should show, and of what agrees and what is left."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db.models import Count, Max, Min, Q, QuerySet, Sum

from wainwright.accounts.models import FirmAccounts, Payment, PayRun, Posting
from wainwright.claims.beside import owes
from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.core.reconciling import DAYS_AFTER, BankLine, Expected, Match, propose
from wainwright.core.said import joined, say
from wainwright.core.states import CLAIM_SENT
from wainwright.core.workings import day_text
from wainwright.drawing.agreement import Day
from wainwright.expenses.models import Charge
from wainwright.people.models import Firm, Membership
from wainwright.reconciling.models import BankAccount, Line, MatchedThing, StatementFile
from wainwright.trips.models import Trip

# No more than so many open lines are laid beside what they may be at once; what is beyond is counted and comes next.
AT_ONCE = 5000
WINDOW = timedelta(days=60)
# How issuers write on a card's statement that its bill was paid.
CARD_PAID = ("payment", "direct debit", "lastschrift", "zahlung", "innbetaling", "betaling", "paiement", "pago")


def accounts_of(firm: Firm) -> QuerySet[BankAccount]:
    """Return a firm's accounts, each with how many lines of it are open and the last day it has."""
    open_ = Q(lines__match__isnull=True)
    return BankAccount.objects.filter(firm=firm).annotate(
        open_lines=Count("lines", filter=open_), last_day=Max("lines__day")
    )


def open_lines(account: BankAccount) -> QuerySet[Line]:
    """Return the lines that are nothing yet, the oldest first."""
    rows = Line.objects.filter(account=account, match__isnull=True)
    return rows.select_related("account").order_by("day", "pk")


def expected(account: BankAccount, since: date, until: date) -> list[Expected]:
    """Return what a statement of the account should show around some days and is not matched yet. Eight queries at most."""
    since, until = since - WINDOW, until + timedelta(days=DAYS_AFTER)
    matched = set(MatchedThing.objects.filter(firm_id=account.firm_id).values_list("key", flat=True))
    found = _charges(account, since, until) if account.kind == "card" else _money(account, since, until)
    found += _booked(account, since, until)
    return [each for each in found if each.key not in matched]


def _money(account: BankAccount, since: date, until: date) -> list[Expected]:
    rows = Payment.objects.filter(
        run__firm_id=account.firm_id, run__currency=account.currency, run__date__range=(since, until)
    )
    rows = (
        rows.exclude(state=Payment.State.FAILED)
        .exclude(run__to_release=True)
        .exclude(run__state=PayRun.State.PREPARED)
        .select_related("run", "member__person")
        .defer("run__file")
    )
    found = [
        Expected(
            f"payment:{row.pk}", row.run.date, -row.amount, row.member.person.name,
            (row.end_to_end, row.run.message_id, row.text.partition(" ")[0], row.by_hand.partition(": ")[2].partition(" (")[0]), row.run.message_id,
        )
        for row in rows
    ]  # fmt: skip
    back = Claim.objects.filter(
        firm_id=account.firm_id, currency=account.currency, state="Posted", statement__due_minor__lt=0
    )
    for each in owes(back.select_related("claimant__person", "statement")):
        claim = each.claim
        day = claim.sent.date() if claim.sent else since
        found.append(
            Expected(f"claim:{claim.pk}", max(day, since), each.left, claim.claimant.person.name, (claim.code,))
        )
    held = Q(claims__state__in=CLAIM_SENT) | Q(also_claims__state__in=CLAIM_SENT) | Q(advance_taken__isnull=False)
    out = Trip.objects.filter(
        firm_id=account.firm_id, currency=account.currency, advance_paid=True, advance_settled=False
    )
    for trip in out.exclude(held).select_related("traveller__person"):
        day = max(trip.ends or since, since)
        found.append(Expected(f"advance:{trip.pk}", day, trip.advance_out, trip.traveller.person.name, (trip.code,)))
    return [*found, *_bills(account, since, until)]


def _bills(account: BankAccount, since: date, until: date) -> list[Expected]:
    """What the firm's card accounts owe by their statements: the bank pays it by direct debit, in one sum."""
    rows = StatementFile.objects.filter(
        account__firm_id=account.firm_id, account__kind=BankAccount.Kind.CARD, account__currency=account.currency,
        state=StatementFile.State.TAKEN, closing_minor__lt=0,
    )  # fmt: skip
    rows = rows.annotate(last=Max("lines__day")).filter(last__range=(since, until)).select_related("account")
    return [
        Expected(f"bill:{row.pk}", row.last, Money.from_minor(row.closing_minor or 0, account.currency), row.account.name, (row.account.number, row.account.name))
        for row in rows
    ]  # fmt: skip


def _booked(account: BankAccount, since: date, until: date) -> list[Expected]:
    """What finance has booked on the account already and no line has shown: money that came back, a card's bill that was paid."""
    rows = Posting.objects.filter(firm_id=account.firm_id, currency=account.currency, date__range=(since, until))
    rows = rows.exclude(state=Posting.State.REFUSED)
    told: tuple[str, ...] = ()
    if account.kind == BankAccount.Kind.CARD:
        rows = rows.filter(key__startswith="card-bill:", subject=f"bankaccount:{account.pk}").exclude(
            key__endswith=":undo"
        )
        told = CARD_PAID
    else:
        back = Q(key__startswith="paid-back:") | Q(key__startswith="advance-back:")
        rows = rows.filter(back, lines__account=account.ledger_account)
    return [
        Expected(f"posting:{row.pk}", row.date, row.total, row.title, (*re.findall(r"\b[A-Z]+-\d[\w-]*", row.title), *told))
        for row in rows.distinct()
    ]  # fmt: skip


def _charges(account: BankAccount, since: date, until: date) -> list[Expected]:
    usual = FirmAccounts.objects.filter(firm=account.firm_id).values_list("card_clearing", flat=True).first()
    # A card without a clearing account of its own goes against the firm's.
    behind = [account.ledger_account, *([""] if account.ledger_account == usual else [])]
    of_account = Q(card__account__in=behind) | Q(card__last_four=account.last_four)
    rows = Charge.objects.filter(
        of_account, firm_id=account.firm_id, currency=account.currency, date__range=(since, until)
    )
    return [
        Expected(
            f"charge:{row.pk}", row.date, -row.amount, row.merchant, (row.bank_id,) if len(row.bank_id) >= 6 else ()
        )
        for row in rows.filter(card__firm_pays=True)
    ]


def as_core(line: Line) -> BankLine:
    """A line as the core compares it."""
    return BankLine(f"line:{line.pk}", line.day, line.amount, line.name, line.text)


@dataclass(frozen=True)
class Laid:
    """Open lines of an account beside what they may be: the matches that are proposed, and what fits nothing."""

    lines: dict[str, Line]
    things: dict[str, Expected]
    sure: list[Match]
    likely: list[Match]
    loose: list[Line]
    count: int

    @property
    def beyond(self) -> int:
        """How many open lines are not laid out, since they are too many at once."""
        return self.count - len(self.lines)


def lay(account: BankAccount) -> Laid:
    """Lay the open lines of an account beside what they may be. Ten queries at most."""
    count = open_lines(account).count()
    rows = list(open_lines(account)[:AT_ONCE])
    if not rows:
        return Laid({}, {}, [], [], [], count)
    things = expected(account, rows[0].day, rows[-1].day)
    lines = {f"line:{row.pk}": row for row in rows}
    found = propose([as_core(row) for row in rows], things)
    told = {key for match in found for key in match.lines}
    return Laid(
        lines, {each.key: each for each in things}, [m for m in found if m.sure], [m for m in found if not m.sure],
        [row for key, row in lines.items() if key not in told], count,
    )  # fmt: skip


@dataclass(frozen=True)
class Agreed:
    """What agrees and what is left of an account, in its currency."""

    opening: Money
    came_in: Money
    went_out: Money
    matched: Money
    left: Money
    count: int
    left_count: int
    since: date | None
    until: date | None

    @property
    def closing(self) -> Money:
        """The opening balance with everything that came in and went out."""
        return self.opening + self.came_in + self.went_out

    @property
    def share(self) -> int:
        """How much of the lines is told, in per cent."""
        whole = max(self.count, self.left_count)
        return round(100 * (whole - self.left_count) / whole) if whole else 100


def agreed(account: BankAccount, until: date | None = None) -> Agreed:
    """Return what of an account's lines since its last closed period agrees, and all that is left. Four queries at most."""
    last = account.reconciliations.first()
    rows = Line.objects.filter(account=account, reconciliation__isnull=True)
    if until is not None:
        rows = rows.filter(day__lte=until)
    sums = rows.aggregate(
        n=Count("pk"), a=Min("day"), b=Max("day"), i=Sum("amount_minor", filter=Q(amount_minor__gt=0), default=0),
        o=Sum("amount_minor", filter=Q(amount_minor__lt=0), default=0), m=Sum("amount_minor", filter=Q(match__isnull=False), default=0),
    )  # fmt: skip
    loose = open_lines(account).order_by()
    loose = loose.filter(day__lte=until) if until is not None else loose
    sums |= loose.aggregate(left=Sum("amount_minor", default=0), k=Count("pk"))
    if last is not None:
        opening = last.closing_minor
    else:
        first = account.files.filter(state="taken", opening_minor__isnull=False).order_by("time", "pk").first()
        opening = (first.opening_minor or 0) if first is not None else 0
    money = [
        Money.from_minor(minor, account.currency) for minor in (opening, sums["i"], sums["o"], sums["m"], sums["left"])
    ]
    return Agreed(*money, sums["n"], sums["k"], sums["a"], sums["b"])


def label_of(key: str, thing: Expected) -> str:
    """What something is called on the page and in a match: a sentence with its sum, its day, its name and first reference."""
    figures = {
        "sum": thing.amount,
        "day": day_text(thing.day),
        "name": joined(", ", (thing.name, *thing.references[:1])),
    }
    return {
        "payment": say("Payment of {sum} on {day} to {name}", **figures), "charge": say("Charge of {sum} on {day} at {name}", **figures),
        "claim": say("{sum} owed back since {day} by {name}", **figures), "advance": say("Advance of {sum} owed back since {day} by {name}", **figures),
        "posting": say("{sum} in the ledger on {day}: {name}", **figures), "bill": say("Card bill of {sum} on {day}: {name}", **figures),
    }[key.partition(":")[0]]  # fmt: skip


def told_as(things: Sequence[Expected]) -> str:
    """What lines are that were matched with several things: the first three, and how many more."""
    named = [label_of(each.key, each) for each in things[:3]]
    more = len(things) - len(named)
    return joined("; ", [*named, say("{count} more", count=more)] if more else named)


def may_read(member: Membership) -> bool:
    """Whether somebody sees the firm's accounts at all."""
    return member.may["read_books"]


def labels(laid: Laid, matches: Sequence[Match]) -> list[dict]:
    """Matches as a page shows them: their lines, what they are called, and why."""
    return [
        {
            "lines": [laid.lines[key] for key in match.lines], "things": [label_of(key, laid.things[key]) for key in match.things[:4]],
            "more": max(0, len(match.things) - 4), "score": match.score, "why": match.why,
            "value": f"{','.join(match.lines)}>{','.join(match.things)}",
        }
        for match in matches
    ]  # fmt: skip


def by_day(account: BankAccount, most: int = 400) -> list[Day]:
    """Return the sums of each of the last days that have lines, told and left, in and out. One query."""
    up, down, told = Q(amount_minor__gt=0), Q(amount_minor__lt=0), Q(match__isnull=False)
    rows = Line.objects.filter(account=account).order_by().values("day").annotate(
        a=Sum("amount_minor", filter=up & told, default=0), b=Sum("amount_minor", filter=up & ~told, default=0),
        c=Sum("amount_minor", filter=down & told, default=0), d=Sum("amount_minor", filter=down & ~told, default=0),
    )  # fmt: skip
    last = list(rows.order_by("-day")[:most])[::-1]
    return [Day(row["day"], row["a"], row["b"], -row["c"], -row["d"]) for row in last]
